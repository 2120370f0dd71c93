"""Alembic's migrations of the cellar."""
