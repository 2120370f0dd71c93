"""The catalog in force: what ships, with the user's own files laid over it."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from vastcellar.core.links.links import LinkMode
from vastcellar.core.parts.catalog import Catalog
from vastcellar.services.workplace.folders import Folders
from vastcellar.store.shipped_catalog import shipped_catalog, shipped_modes


def read_catalog(places: Folders) -> Catalog:
    """Return the shipped catalog with the user's files over it. Raises BadFileError."""
    own = own_files(places)
    if not own:
        return shipped_catalog()
    # What checks files from outside takes a while to load: only who has some waits for it.
    from vastcellar.store.catalog_files import load_catalog

    return load_catalog(own)


def read_modes(places: Folders) -> Mapping[str, LinkMode]:
    """Return the link modes in force, without the parts. Raises BadFileError."""
    return read_catalog(places).modes if own_files(places) else shipped_modes()


def own_files(places: Folders) -> list[Path]:
    """Return the user's catalog files, in the order in which they are laid over the shipped."""
    return sorted(places.catalog_folder.glob("*.json")) if places.catalog_folder.is_dir() else []
