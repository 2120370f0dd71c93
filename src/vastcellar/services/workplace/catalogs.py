"""The catalog in force: what ships, with the user's own files laid over it."""

from __future__ import annotations

from vastcellar.core.parts.catalog import Catalog
from vastcellar.services.workplace.folders import Folders
from vastcellar.store.catalog_files import load_catalog


def read_catalog(places: Folders) -> Catalog:
    """Return the shipped catalog with the user's files over it. Raises BadFileError."""
    own = sorted(places.catalog_folder.glob("*.json")) if places.catalog_folder.is_dir() else ()
    return load_catalog(own)
