"""The shooting day: copies that are verified, and what is safe to wipe."""
