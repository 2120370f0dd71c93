"""The station Roll: cards that are emptied while one shoots on, and copies that are verified."""
