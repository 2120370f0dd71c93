"""The terminal door: the same services as the window, --json everywhere."""
