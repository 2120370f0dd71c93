"""Verified copies: one read of the source, written to every destination, read back and compared."""
