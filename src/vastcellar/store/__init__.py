"""What lasts: the cellar's database, and readers and writers of the open formats."""
