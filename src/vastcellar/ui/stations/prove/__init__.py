"""The station prove: measure it."""
