"""The station shoot: what will be recorded, and what that needs."""
