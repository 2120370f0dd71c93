"""Catalog, cellar and folders in force, and what of one's own is kept in them."""
