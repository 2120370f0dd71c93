"""The seven stations in the order of the work."""
