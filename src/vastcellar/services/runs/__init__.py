"""Kept runs: what they say of a drive, of why it slowed, of its model, and beside each other."""
