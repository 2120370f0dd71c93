"""A proof's reach: what a run answers for, and why not for more."""
