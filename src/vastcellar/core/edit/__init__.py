"""Storage that editors work from: what it holds, how many streams it plays, what limits it."""
