"""Parts of one's own on every desk of a cellar: saved in it, and brought from it."""

from __future__ import annotations

import contextlib
import hashlib
import json
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from vastcellar.core.parts.catalog import Catalog
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.own_catalog import Own, own_rows, put_rows, rows_of
from vastcellar.store.json_files import write_text_whole
from vastcellar.store.private_files import make_private_folder

if TYPE_CHECKING:
    from vastcellar.store.cellar import Cellar


_SEEN_FILE = "own-parts-seen.json"
Parts = dict[str, dict[str, dict[str, Any]]]
"""Rows of a catalog file, by section and key."""
Rows = dict[str, list[dict[str, Any]]]


def save_shared(things: Sequence[Own], places: Folders, cellar: Cellar) -> Catalog:
    """Add *things* to one's own catalog here, and in the cellar for its other desks.

    Raises CellarError, with nothing changed here; BadFileError where the catalog can't take them.
    """
    from vastcellar.store.own_parts import keep_parts

    rows = rows_of(things)
    keep_parts(cellar, rows)
    catalog = put_rows(rows, places)
    _note_seen(places, cellar, own_rows(places))
    return catalog


def brought_together(places: Folders, cellar: Cellar, catalog: Catalog) -> Catalog:
    """Return the catalog with what other desks have described; *catalog* itself where none has.

    Of a part that both know, whoever changed it since they were last the same counts: the cellar,
    or this desk's file that somebody edited. Where both did, the cellar's keeps its key, and this
    desk's gets one of its own. A part that this version can't read is left out here, and said.
    Raises CellarError, BadFileError.
    """
    from vastcellar.store.own_parts import keep_parts, kept_parts

    here, there = own_rows(places), kept_parts(cellar)
    if here == there:
        return catalog
    sent, renamed = _changed_here(here, there, _seen(places, cellar))
    if sent:
        keep_parts(cellar, sent)
        there = kept_parts(cellar)
    brought = {section: list(rows) for section, rows in renamed.items()}
    for section, rows in there.items():
        for key, row in rows.items():
            if here.get(section, {}).get(key) == row:
                continue
            if can_be_read(section, row):
                brought.setdefault(section, []).append(row)
            else:
                cellar.unreadable.add(f"own part {section} {key}")
    found = catalog
    if brought:
        found = put_rows(brought, places)
    elif sent:
        found = read_catalog(places)  # as somebody edited it
    _note_seen(places, cellar, own_rows(places))
    return found


def _changed_here(here: Parts, there: Parts, seen: dict[str, str]) -> tuple[Rows, Rows]:
    """Return what goes to the cellar, and what of it has another key here from now on."""
    sent: Rows = {}
    renamed: Rows = {}
    for section, rows in here.items():
        for key, row in rows.items():
            other, last = there.get(section, {}).get(key), seen.get(f"{section} {key}")
            if other == row:
                continue
            if other is None or last == _mark(other):
                sent.setdefault(section, []).append(row)
            elif last != _mark(row) and can_be_read(section, other):
                mine = _under_own_key(row, {*rows, *there.get(section, {})})
                sent.setdefault(section, []).append(mine)
                renamed.setdefault(section, []).append(mine)
    return sent, renamed


def _under_own_key(row: dict[str, Any], taken: set[str]) -> dict[str, Any]:
    """Return this desk's part under a key and a name that no other has."""
    number = next(n for n in range(2, len(taken) + 3) if f"{row['key']}-{n}" not in taken)
    return {**row, "key": f"{row['key']}-{number}", "name": f"{row['name']} ({number})"}


def _mark(row: dict[str, Any]) -> str:
    return hashlib.sha256(json.dumps(row, sort_keys=True).encode()).hexdigest()


def _seen(places: Folders, cellar: Cellar) -> dict[str, str]:
    """Return the marks of the parts as they last were the same here and in this very cellar."""
    marks = _all_seen(places).get(cellar.where)
    return marks if isinstance(marks, dict) else {}


def _all_seen(places: Folders) -> dict[str, Any]:
    with contextlib.suppress(OSError, ValueError):
        content = json.loads((places.state / _SEEN_FILE).read_text(encoding="utf-8"))
        return content if isinstance(content, dict) else {}
    return {}


def _note_seen(places: Folders, cellar: Cellar, rows: Parts) -> None:
    marks = {
        f"{name} {key}": _mark(row) for name, each in rows.items() for key, row in each.items()
    }
    content = {**_all_seen(places), cellar.where: marks}
    make_private_folder(places.state)
    write_text_whole(places.state / _SEEN_FILE, json.dumps(content, indent=1) + "\n")


def can_be_read(section: str, row: dict[str, Any]) -> bool:
    """Whether this version knows such a part; checked before it gets into a file."""
    from vastcellar.core.errors import VastCellarError
    from vastcellar.store.catalog_files import read_rows

    try:
        read_rows(section, [row])
    except (VastCellarError, ValueError, KeyError):
        return False
    return True
