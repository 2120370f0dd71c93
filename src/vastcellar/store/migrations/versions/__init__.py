"""One file a step, in order."""
