"""Codecs and parts of one's own, as the cellar keeps them for its other desks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select

from vastcellar.store.cellar import Cellar
from vastcellar.store.tables import OwnPartRow

Rows = Mapping[str, Sequence[Mapping[str, Any]]]
"""As a catalog file lists them: by the name of the section, each with its key."""


def kept_parts(cellar: Cellar) -> dict[str, dict[str, dict[str, Any]]]:
    """Return what is kept, by section and key; what can't be read is left out.

    Raises CellarError.
    """
    found: dict[str, dict[str, dict[str, Any]]] = {}
    wanted = select(OwnPartRow.section, OwnPartRow.key, OwnPartRow.data)
    for section, key, data in cellar.read("own part", OwnPartRow.key, wanted, tuple):
        if isinstance(data, dict) and data.get("key") == key:
            found.setdefault(section, {})[key] = data
        else:
            cellar.unreadable.add(f"own part {section} {key}")
    return found


def keep_parts(cellar: Cellar, rows: Rows) -> None:
    """Keep *rows*, each in place of one of its section and key, all or none.

    Raises CellarError.
    """
    with cellar.session() as session:
        for section, parts in rows.items():
            for each in parts:
                key = str(each["key"])
                session.merge(OwnPartRow(section=section, key=key, data=dict(each)))
