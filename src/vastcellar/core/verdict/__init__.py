"""Whether a setup holds, on what evidence, and what would help."""
