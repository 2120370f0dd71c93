"""The arithmetic of the trade: values in, values out. No Qt, database, clock or disk."""
