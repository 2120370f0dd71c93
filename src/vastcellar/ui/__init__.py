"""The window: Qt only, no sums and no rules of its own."""
