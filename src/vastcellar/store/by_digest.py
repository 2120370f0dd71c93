"""Rows that are known by the digest of what they hold: pictures that are kept once."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from vastcellar.store.tables import ClipFramesRow, UnitPhotoRow

_ASKED_AT_ONCE = 500
"""A statement takes only so many values."""
Row = TypeVar("Row", ClipFramesRow, UnitPhotoRow)


def rows_of(session: Session, kind: type[Row], digests: Iterable[str]) -> Iterator[Row]:
    """Yield the rows of a *kind* that are kept by *digests*; those that aren't are left out."""
    wanted = sorted({each for each in digests if each})
    for start in range(0, len(wanted), _ASKED_AT_ONCE):
        some = wanted[start : start + _ASKED_AT_ONCE]
        yield from session.scalars(select(kind).where(kind.digest.in_(some)))
