"""Lists of units that somebody else keeps: what their columns mean here, guessed and given."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from vastcellar.core.errors import BadValueError

_MOST_NAMED = 6


class ListField(StrEnum):
    """What a column can be."""

    TAG = "tag"
    DRIVE = "drive"
    ENCLOSURE = "enclosure"
    WRITTEN = "written"
    USED = "used"
    STATE = "state"
    NOTE = "note"
    SERIAL = "serial"
    PLACE = "place"
    BOUGHT_ON = "bought-on"
    PRICE = "price"
    SELLER = "seller"
    WARRANTY_UNTIL = "warranty-until"
    NOTHING = "-"
    """Left out."""


_MAY_REPEAT = (ListField.NOTE, ListField.NOTHING)
_WORDS: dict[ListField, tuple[str, ...]] = {
    ListField.TAG: ("tag", "asset", "asset tag", "asset no", "asset number", "asset id", "label",
                    "id", "unit", "inventory no", "inventory number", "barcode"),
    ListField.DRIVE: ("drive", "model", "product", "type", "drive model", "device", "item"),
    ListField.ENCLOSURE: ("enclosure", "case", "housing"),
    ListField.WRITTEN: ("written", "host writes", "bytes written", "written bytes", "data written",
                        "total written"),
    ListField.USED: ("used", "in use", "used bytes", "data on it", "used space"),
    ListField.STATE: ("state", "status", "condition"),
    ListField.NOTE: ("note", "notes", "comment", "comments", "remark", "remarks", "description"),
    ListField.SERIAL: ("serial", "serial no", "serial number", "s n"),
    ListField.PLACE: ("place", "location", "where", "shelf", "room"),
    ListField.BOUGHT_ON: ("bought", "bought on", "purchased", "purchase date", "date of purchase"),
    ListField.PRICE: ("price", "cost", "purchase price", "value"),
    ListField.SELLER: ("seller", "vendor", "supplier", "shop", "bought from"),
    ListField.WARRANTY_UNTIL: ("warranty", "warranty until", "warranty end", "warranty expires"),
}  # fmt: skip
_UNIT_IN_NAME = re.compile(r"[\[(]\s*([KMGT]i?B)\s*[\])]\s*$")


@dataclass(frozen=True, slots=True)
class ListColumn:
    """A column as somebody else calls it."""

    name: str
    field: ListField
    unit: str = ""
    """Of its bare numbers, from its name: "GB" of "Written (GB)"."""


def plain_name(name: str) -> str:
    """Return a name as names are compared: without case, marks and a unit at its end."""
    bare = _UNIT_IN_NAME.sub("", name.strip())
    return " ".join(re.sub(r"[^\w]+", " ", bare.casefold().replace("_", " ")).split())


def meaning_of(name: str, remembered: Mapping[str, str]) -> str | None:
    """Return the field that a column is, as remembered or guessed; None where nobody said yet."""
    plain = plain_name(name)
    guessed = next((field.value for field, words in _WORDS.items() if plain in words), None)
    return remembered.get(plain, guessed)


def columns_of(
    names: Sequence[str], given: Mapping[str, str], remembered: Mapping[str, str]
) -> tuple[ListColumn, ...]:
    """Return what the columns *names* mean: as given, else as remembered, else as guessed.

    Args:
        names: as the list's first line has them.
        given: by name, the field that somebody chose for it now; "" leaves a column out.
        remembered: by plain name, the field that it was before.

    Raises:
        BadValueError: for a column that means nothing yet, a field that there isn't, one that two
            columns would be, a name that is no column, and without a tag or a drive.

    """
    said = {plain_name(name): field for name, field in given.items()}
    if strange := [name for name in given if plain_name(name) not in map(plain_name, names)]:
        raise BadValueError(
            f"it has no column {strange[0]!r}", where="list", mend=f"It has: {', '.join(names)}"
        )
    found, open_ones = [], []
    for name in names:
        field = said.get(plain_name(name), meaning_of(name, remembered))
        if field is None:
            open_ones.append(name)
            continue
        unit = _UNIT_IN_NAME.search(name.strip())
        found.append(ListColumn(name, _field(field), unit[1] if unit else ""))
    if open_ones:
        more = f" and {len(open_ones) - _MOST_NAMED} more" if len(open_ones) > _MOST_NAMED else ""
        raise BadValueError(
            f"nobody said yet what {', '.join(map(repr, open_ones[:_MOST_NAMED]))}{more} means",
            where="list",
            mend=f"Say it once of each, or leave it out. It can be {', '.join(_names())}",
        )
    fields = [column.field for column in found]
    for field in fields:
        if fields.count(field) > 1 and field not in _MAY_REPEAT:
            twice = " and ".join(repr(c.name) for c in found if c.field is field)
            raise BadValueError(
                f"{twice} would both be the {field.value}", where="list",
                mend="Leave one of them out",
            )  # fmt: skip
    for field in (ListField.TAG, ListField.DRIVE):
        if field not in fields:
            raise BadValueError(
                f"no column is the {field.value}", where="list",
                mend="Say which one is",
            )  # fmt: skip
    return tuple(found)


def _field(name: str) -> ListField:
    try:
        return ListField(name or ListField.NOTHING)
    except ValueError as error:
        raise BadValueError(
            f"{name!r} is nothing that a column can be", where="list",
            mend=f"Use one of {', '.join(_names())}",
        ) from error  # fmt: skip


def _names() -> list[str]:
    return [field.value for field in ListField if field is not ListField.NOTHING]


def day_in_list(text: str) -> date:
    """Return the day of "2026-11-27" or "27.11.2026". Raises BadValueError.

    "11/27/2026" and "27/11/2026" are asked back: half of all days can be read either way.
    """
    dotted = re.fullmatch(r"(\d{1,2})\.(\d{1,2})\.(\d{4})", text.strip())
    try:
        if dotted:
            return date(int(dotted[3]), int(dotted[2]), int(dotted[1]))
        return date.fromisoformat(text.strip())
    except ValueError as error:
        raise BadValueError(
            f"{text.strip()!r} is no day that can be read one way only", where="day",
            mend="Write it as 2026-11-27 or 27.11.2026",
        ) from error  # fmt: skip
