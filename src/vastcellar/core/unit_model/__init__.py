"""One unit's own write model, fitted to what its runs showed."""
