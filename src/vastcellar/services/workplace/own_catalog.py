"""The user's own catalog: codecs and parts, one at a time or from a CSV or JSON file."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from vastcellar.core.errors import BadFileError
from vastcellar.core.links.links import Cable
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive, Enclosure
from vastcellar.core.shoot.formats import CodecFamily
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import Folders
from vastcellar.store.catalog_files import (
    CATALOG_FORMAT,
    load_catalog,
    read_sections,
    rows_for_file,
)
from vastcellar.store.json_files import read_json, require_format, write_text_whole
from vastcellar.store.part_csv import read_parts
from vastcellar.store.private_files import make_private_folder

OWN_CATALOG_FILE = "own.json"
_SECTION_OF: dict[Any, str] = {
    CodecFamily: "codecs",
    Drive: "drives",
    Enclosure: "enclosures",
    Cable: "cables",
}
Own = CodecFamily | Drive | Enclosure | Cable


def own_key(name: str) -> str:
    """Return the catalog key of something of the user's own called *name*."""
    bare = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-").removeprefix("own-")
    return f"own-{bare or 'part'}"


def save_own(things: Sequence[Own], places: Folders) -> Catalog:
    """Add *things* to the user's catalog, each in place of one of its key; return the catalog.

    Raises BadFileError where the result would not be a catalog or can't be written; the file is
    then as it was.
    """
    return put_rows(rows_of(things), places)


def rows_of(things: Sequence[Own]) -> dict[str, list[dict[str, Any]]]:
    """Return *things* as a catalog file lists them, by section."""
    found = {}
    for kind, section in _SECTION_OF.items():
        mine = [thing for thing in things if isinstance(thing, kind)]
        if mine:
            found[section] = rows_for_file(section, mine)
    return found


def own_rows(places: Folders) -> dict[str, dict[str, dict[str, Any]]]:
    """Return the user's catalog as its file lists it, by section and key. Raises BadFileError."""
    content = _own_content(places)
    return {
        section: {row["key"]: row for row in content[section] if row.get("key")}
        for section in _SECTION_OF.values()
        if section in content
    }


def _own_content(places: Folders) -> dict[str, Any]:
    path = places.catalog_folder / OWN_CATALOG_FILE
    if not path.exists():
        return {"format": CATALOG_FORMAT, "version": 1}
    content: dict[str, Any] = read_json(path)
    require_format(content, path, CATALOG_FORMAT, 1)
    for section in set(content) & set(_SECTION_OF.values()):
        rows = content[section]
        if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
            raise BadFileError(
                f"{section} is no list of parts", where=path.name, mend="Mend it, or move it away"
            )
    return content


def put_rows(rows: Mapping[str, Sequence[Mapping[str, Any]]], places: Folders) -> Catalog:
    """Add *rows*, by section, each in place of one of its key. Raises as ``save_own`` does."""
    path = places.catalog_folder / OWN_CATALOG_FILE
    content = _own_content(places)
    for section, entries in rows.items():
        keys = {entry["key"] for entry in entries}
        kept = [entry for entry in content.get(section, []) if entry.get("key") not in keys]
        content[section] = [*kept, *entries]
    try:
        make_private_folder(path.parent)
    except OSError as error:
        raise BadFileError(
            f"the folder can't be made ({error.strerror})",
            where=str(path.parent),
            mend="Check the permissions of the data folder",
        ) from error
    write_text_whole(path, json.dumps(content, indent=2, ensure_ascii=False) + "\n")
    return read_catalog(places)


def parts_in(path: Path, places: Folders) -> Sequence[Own]:
    """Return the parts in the CSV or JSON file *path*.

    Raises BadFileError naming line or field; nothing of a file with an error is taken over.
    """
    if path.suffix.lower() == ".csv":
        parts: Sequence[Any] = read_parts(path, read_catalog(places).modes)
    else:
        load_catalog([path])  # with the shipped one under it: every key that it names is known
        sections = read_sections(path, CATALOG_FORMAT)
        parts = [part for name in _SECTION_OF.values() for part in sections.get(name, [])]
        if not parts:
            raise BadFileError(
                "it has no codecs, drives, enclosures or cables",
                where=path.name,
                mend="List them in sections of these names",
            )
    return parts


def import_parts(path: Path, places: Folders) -> tuple[int, Catalog]:
    """Take over the parts in *path*; return how many, and the catalog. Raises BadFileError."""
    parts = parts_in(path, places)
    return len(parts), save_own(parts, places)
