"""What an edit of a unit says about its story: it moved, it is called otherwise, it is away."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from vastcellar.core.cellar.story import EventKind
from vastcellar.store.tables import UnitEventRow

_TOLD = {
    "enclosure_key": EventKind.CASE,
    "drive_key": EventKind.DRIVE,
    "tag": EventKind.TAG,
    "state": EventKind.STATE,
}


def changes_told(
    unit_id: int, before: Mapping[str, Any], changed: Mapping[str, Any]
) -> list[UnitEventRow]:
    """Return the events that stand for what is *changed* of a unit, now."""
    now = datetime.now(UTC)
    return [
        UnitEventRow(
            unit_id=unit_id,
            at=now,
            kind=kind.value,
            data={"was": before[name], "now": changed[name]},
            note="",
        )
        for name, kind in _TOLD.items()
        if name in changed
    ]
