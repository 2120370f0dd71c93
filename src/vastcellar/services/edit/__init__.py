"""Edit as the window and the terminal use it: stores, streams, timelines, what would help."""
