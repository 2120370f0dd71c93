"""Roll as the window and the terminal use it: copies, their lists and records."""
