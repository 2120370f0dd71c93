"""What to record to, and whether it holds."""
