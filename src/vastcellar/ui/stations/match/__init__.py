"""The station match: what delivers it."""
