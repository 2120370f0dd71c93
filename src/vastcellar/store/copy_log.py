"""Kept copies in the cellar: written once each, read by day, changed by a check or a note."""

from __future__ import annotations

from dataclasses import asdict, astuple, replace
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select

from vastcellar.core.errors import UnknownPartError
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.roll.copies import (
    CopyOutcome,
    CopyState,
    DestinationOutcome,
    FileOnOne,
    FileOutcome,
)
from vastcellar.core.roll.copy_log import ClipHeader, KeptCopy, KeptPlace
from vastcellar.store.cellar import Cellar
from vastcellar.store.tables import CopyRow

_STATES = tuple(CopyState)


def add_copy(cellar: Cellar, kept: KeptCopy) -> int:
    """Keep a copy; return its number. Raises CellarError."""
    with cellar.session() as session:
        row = CopyRow(**_columns(kept))
        session.add(row)
        session.flush()
        return row.id


def keep_check(cellar: Cellar, kept: KeptCopy) -> None:
    """Keep what a check found of each file, and nothing else: somebody may have noted something
    meanwhile. Raises CellarError, UnknownPartError."""
    columns = _columns(kept)
    _change(cellar, kept.copy_id, {name: columns[name] for name in ("files", "checked_at")})


def keep_wiped(cellar: Cellar, copy_id: int, at: datetime) -> None:
    """Keep the note that a card was wiped. Raises CellarError, UnknownPartError."""
    _change(cellar, copy_id, {"wiped_at": at.astimezone(UTC)})


def _change(cellar: Cellar, copy_id: int, columns: dict[str, Any]) -> None:
    with cellar.session() as session:
        row = session.get(CopyRow, copy_id)
        if row is None:
            raise UnknownPartError(
                f"there is no copy {copy_id}", where="log", mend="Choose one of the log"
            )
        for name, value in columns.items():
            setattr(row, name, value)


def kept_copies(
    cellar: Cellar, *, since: datetime | None = None, until: datetime | None = None
) -> tuple[KeptCopy, ...]:
    """Return the kept copies, newest first; a row that can't be read is left out.

    Raises CellarError.
    """
    wanted = select(CopyRow).order_by(CopyRow.made_at.desc(), CopyRow.id.desc())
    if since is not None:
        wanted = wanted.where(CopyRow.made_at >= since.astimezone(UTC))
    if until is not None:
        wanted = wanted.where(CopyRow.made_at < until.astimezone(UTC))
    return cellar.read("copies", CopyRow.id, wanted, lambda row: _kept(row[0]))


def _columns(kept: KeptCopy) -> dict[str, Any]:
    outcome = asdict(replace(kept.outcome, files=()))
    del outcome["files"]
    outcome["folder_name"] = kept.folder_name
    outcome["clips"] = [list(astuple(each)) for each in kept.clips]
    outcome["places"] = [asdict(each) for each in kept.places]
    return {
        "card_name": kept.card_name,
        "made_at": kept.made_at.astimezone(UTC),
        "who": kept.who,
        "checked_at": kept.checked_at.astimezone(UTC) if kept.checked_at else None,
        "wiped_at": kept.wiped_at.astimezone(UTC) if kept.wiped_at else None,
        "outcome": outcome,
        # A card may have 100,000 files: rows of plain lists, not of named fields.
        "files": [
            [f.name, f.size_bytes, f.digest, f.modified_ns, f.trouble,
             [[_STATES.index(o.state), o.name, int(o.was_there), o.said] for o in f.on],
             f.ends_digest]
            for f in kept.outcome.files
        ],
    }  # fmt: skip


def _destination(given: dict[str, Any]) -> DestinationOutcome:
    given = dict(given)
    drive = given.pop("drive", None)  # before copies went to arrays, too, there was one
    drives = given.get("drives", (drive,) if drive else ())
    return DestinationOutcome(**{**given, "drives": tuple(drives)})


def _kept(row: CopyRow) -> KeptCopy:
    given = dict(row.outcome)
    folder_name = given.pop("folder_name", "")
    clips = tuple(ClipHeader(*each) for each in given.pop("clips", ()))
    places = tuple(
        KeptPlace(
            DeviceIdentity(**each["device"]), each["unit_tag"], each.get("usb_bits_per_s", 0.0)
        )
        for each in given.pop("places")
    )
    given["destinations"] = tuple(_destination(each) for each in given["destinations"])
    for name in ("left_out", "card_changes"):
        given[name] = tuple(given.get(name, ()))
    files = tuple(
        FileOutcome(
            name,
            size,
            digest,
            tuple(FileOnOne(_STATES[s], aside, bool(there), said) for s, aside, there, said in on),
            trouble,
            modified,
            *ends,  # copies that were kept before they were taken have none
        )
        for name, size, digest, modified, trouble, on, *ends in row.files
    )
    outcome = CopyOutcome(files=files, **given)
    if len(places) != len(outcome.destinations):
        raise ValueError("a copy has destinations without a place")
    return KeptCopy(
        row.card_name,
        row.made_at.replace(tzinfo=UTC),  # SQLite keeps no time zone; what was stored was UTC
        outcome,
        places,
        row.id,
        row.who,
        row.checked_at.replace(tzinfo=UTC) if row.checked_at else None,
        folder_name,
        clips,
        row.wiped_at.replace(tzinfo=UTC) if row.wiped_at else None,
    )
