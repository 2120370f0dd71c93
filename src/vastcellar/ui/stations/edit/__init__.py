"""The station Edit: the storage that editors work from."""
