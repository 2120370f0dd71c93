"""Frames through a camera's buffer onto a drive, computed or replayed from a trace."""
