"""The station cellar: the record of every unit."""
