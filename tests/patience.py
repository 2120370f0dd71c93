"""How long a test waits for what should come at once: a shared machine may take its time."""

PATIENCE_MS = 120_000
