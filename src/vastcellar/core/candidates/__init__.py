"""Everything that could be put together, judged as arrays, and which to take."""
