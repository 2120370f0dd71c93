"""Shoots opened, saved and planned; clips as evidence of what a camera records."""
