"""Other people's lists of units: CSV with their own column names, mapped once and remembered."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from vastcellar.core.cellar.story import EventKind, UnitEvent
from vastcellar.core.cellar.unit_lists import (
    ListColumn,
    ListField,
    columns_of,
    day_in_list,
    meaning_of,
    plain_name,
)
from vastcellar.core.csv_cells import plain_cell
from vastcellar.core.errors import BadFileError, BadValueError, VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit
from vastcellar.core.units import parse_number, parse_size
from vastcellar.services.cellar.unit_edits import moment_on
from vastcellar.services.workplace.own_units import UNIT_STATES, checked_unit
from vastcellar.services.workplace.workplace import Shelf, Workplace
from vastcellar.store.json_files import read_json, write_text_whole
from vastcellar.store.private_files import make_private_folder
from vastcellar.store.reading import as_sentence, read_text
from vastcellar.store.trace_csv import header_of
from vastcellar.store.unit_lists import add_units, remove_units

REMEMBERED_FILE = "unit-lists.json"
_FORMAT = "vast-cellar/unit-lists"
_MOST_LINES = 20
_STATE_WORDS = {
    "ok": "ready", "good": "ready", "available": "ready", "in service": "ready", "active": "ready",
    "out": "on loan", "loaned": "on loan", "lent": "on loan", "defective": "in doubt",
    "broken": "in doubt", "repair": "in doubt", "disposed": "retired", "scrapped": "retired",
    "sold": "retired",
}  # fmt: skip


@dataclass(frozen=True)
class Meanings:
    """What somebody's names mean here: by plain name, fields of columns and keys of drives."""

    columns: Mapping[str, str]
    drives: Mapping[str, str]


@dataclass(frozen=True)
class ListedUnits:
    """A list as it would be taken over."""

    columns: tuple[ListColumn, ...]
    units: tuple[tuple[Unit, tuple[UnitEvent, ...]], ...]
    meanings: Meanings
    """As they are remembered once it was taken over."""


def remembered(workplace: Workplace) -> Meanings:
    """Return what was said before; nothing where no list was taken over. Raises BadFileError."""
    path = workplace.folders.config / REMEMBERED_FILE
    if not path.exists():
        return Meanings({}, {})
    content = read_json(path)
    kept = content if isinstance(content, dict) else {}
    return Meanings(_texts(kept.get("columns")), _texts(kept.get("drives")))


def _texts(value: Any) -> dict[str, str]:
    pairs = value.items() if isinstance(value, dict) else ()
    return {str(key): text for key, text in pairs if isinstance(text, str)}


@dataclass(frozen=True)
class ListDraft:
    """A list as it was found, and what is known of its names before anybody says more."""

    path: Path
    samples: Mapping[str, str]
    """By the name of each column, its first cell that isn't empty."""
    columns: Mapping[str, str | None]
    """By name, the field that each is; None where nobody said yet, "" where it is left out."""
    cells: Mapping[str, tuple[str, ...]]
    """By name, the different texts of each column."""

    def unknown_drives(self, columns: Mapping[str, str | None], known: KnownDrives) -> list[str]:
        """Return the names of drives that mean nothing yet, where *columns* are so."""
        named = [name for name, field in columns.items() if field == ListField.DRIVE.value]
        return [text for name in named for text in self.cells[name] if not known.key_of(text)]


@dataclass(frozen=True)
class KnownDrives:
    """The drives of a catalog, by any name that they go by."""

    catalog: Catalog
    said: Mapping[str, str]
    """By plain name, the keys that somebody said."""

    def key_of(self, name: str) -> str:
        """Return the key of the drive that is called *name*; "" where there is none."""
        return _key_of(self.said.get(plain_name(name), name), self.catalog.drives)


def open_list(path: Path, workplace: Workplace) -> ListDraft:
    """Return what the list *path* has, and what is known of its names. Raises BadFileError."""
    known = remembered(workplace)
    with as_sentence(path, "list of units"):
        header, rows = _table(path)
    cells: dict[str, dict[str, None]] = {name: {} for name in header}
    for _number, row in rows:
        for name, text in zip(header, row, strict=False):
            if value := plain_cell(text.strip()):
                cells[name][value] = None
    return ListDraft(
        path,
        {name: next(iter(found), "") for name, found in cells.items()},
        {name: meaning_of(name, known.columns) for name in header},
        {name: tuple(found) for name, found in cells.items()},
    )


def read_list(
    path: Path,
    workplace: Workplace,
    columns: Mapping[str, str] | None = None,
    drives: Mapping[str, str] | None = None,
) -> ListedUnits:
    """Return the units that the list *path* has, none of them kept yet.

    Args:
        path: CSV with commas, semicolons or tabs; its first line names the columns.
        workplace: whose catalog the drives are looked up in, and whose shelf the tags.
        columns: by their name, the field that somebody says each is; "" leaves one out.
        drives: by the name that the list has for it, the key of a drive.

    Raises:
        BadFileError: with every line that is wrong, up to twenty; nothing of it is taken then.
        BadValueError: for columns that mean nothing yet.

    """
    known = remembered(workplace)
    with as_sentence(path, "list of units"):
        header, rows = _table(path)
    try:
        meant = columns_of(header, columns or {}, known.columns)
    except BadValueError as error:
        raise BadValueError(error.what, where=path.name, mend=error.mend) from error
    said = {plain_name(name): key for name, key in (drives or {}).items()}
    names = {**known.drives, **said}
    shelf = workplace.shelf()
    found: list[tuple[Unit, tuple[UnitEvent, ...]]] = []
    wrong: list[str] = []
    tags: set[str] = set()
    for number, cells in rows:
        try:
            row = _Row(cells, meant, workplace.catalog, names, shelf)
            unit, events = row.unit()
            if unit.tag in tags:
                raise BadValueError(f"the tag {unit.tag!r} stands twice", where="tag", mend="")
            tags.add(unit.tag)
            found.append((unit, events))
        except VastCellarError as error:
            wrong.append(f"line {number}: {error.what}")
    if not rows:
        wrong.append("there is no line below the names")
    if wrong:
        more = f"; and {len(wrong) - _MOST_LINES} more" if len(wrong) > _MOST_LINES else ""
        raise BadFileError(
            f"{'; '.join(wrong[:_MOST_LINES])}{more}", where=path.name,
            mend="Nothing was taken over. Mend these lines, or say which drive is meant",
        )  # fmt: skip
    fields = {
        plain_name(c.name): "" if c.field is ListField.NOTHING else c.field.value for c in meant
    }
    return ListedUnits(
        meant, tuple(found), Meanings({**known.columns, **fields}, {**known.drives, **said})
    )


def take_list(workplace: Workplace, listed: ListedUnits) -> int:
    """Put the units of a list on the shelf, all or none, and remember what its names mean.

    Returns how many. Raises CellarError; BadValueError for a tag that is taken meanwhile.
    """
    count = add_units(workplace.cellar, listed.units)
    content = {
        "format": _FORMAT, "version": 1,
        "columns": dict(listed.meanings.columns), "drives": dict(listed.meanings.drives),
    }  # fmt: skip
    make_private_folder(workplace.folders.config)
    path = workplace.folders.config / REMEMBERED_FILE
    write_text_whole(path, json.dumps(content, ensure_ascii=False, indent=1) + "\n")
    return count


def take_list_back(workplace: Workplace, listed: ListedUnits) -> None:
    """Take the units of a list off the shelf again, all or none; what its names mean stays said.

    Raises CellarError, UnknownPartError; BadValueError where more is known of one by now.
    """
    remove_units(workplace.cellar, listed.units)


def _table(path: Path) -> tuple[list[str], list[tuple[int, list[str]]]]:
    text = read_text(path)
    first = text.partition("\n")[0]
    delimiter = max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    header = header_of(reader, path.name)
    while header and not header[-1]:
        header.pop()
    if not header or len(set(map(plain_name, header))) < len(header):
        raise BadFileError(
            "its first line doesn't name each column once", where=f"{path.name}, line 1",
            mend="Give each column a name of its own",
        )  # fmt: skip
    rows = []
    for cells in reader:
        if any(cell.strip() for cell in cells):
            rows.append((reader.line_num, cells))
    return header, rows


class _Row:
    """One line of the list."""

    def __init__(
        self, cells: Sequence[str], columns: Sequence[ListColumn], catalog: Catalog,
        drives: Mapping[str, str], shelf: Shelf,
    ) -> None:  # fmt: skip
        self._cells: dict[ListField, list[tuple[str, ListColumn]]] = {}
        for text, column in zip(cells, columns, strict=False):
            if value := plain_cell(text.strip()):
                self._cells.setdefault(column.field, []).append((value, column))
        if len(cells) > len(columns) and any(each.strip() for each in cells[len(columns) :]):
            raise BadValueError("it has more cells than there are names", where="", mend="")
        self._catalog, self._shelf = catalog, shelf
        self._drives = KnownDrives(catalog, drives)

    def _text(self, field: ListField) -> str:
        return " · ".join(text for text, _column in self._cells.get(field, ()))

    def unit(self) -> tuple[Unit, tuple[UnitEvent, ...]]:
        """Return the unit, and what the list says of its story."""
        tag, note = self._text(ListField.TAG), self._text(ListField.NOTE)
        if serial := self._text(ListField.SERIAL):
            note = f"{note} · serial {serial}" if note else f"serial {serial}"
        unit = checked_unit(
            Unit(
                tag,
                self._drive(),
                self._enclosure(),
                self._bytes(ListField.WRITTEN),
                self._bytes(ListField.USED),
                self._state(),
                note,
            ),
            self._catalog,
            self._shelf,
        )
        return unit, tuple(self._events(unit.tag))

    def _drive(self) -> str:
        name = self._text(ListField.DRIVE)
        if not name:
            raise BadValueError("it names no drive", where="", mend="")
        key = self._drives.key_of(name)
        if not key:
            raise BadValueError(f"the catalog has no drive {name!r}", where="", mend="")
        return key

    def _enclosure(self) -> str:
        name = self._text(ListField.ENCLOSURE)
        key = _key_of(name, self._catalog.enclosures) if name else ""
        if name and not key:
            raise BadValueError(f"the catalog has no enclosure {name!r}", where="", mend="")
        return key

    def _state(self) -> str:
        text = self._text(ListField.STATE).casefold()
        state = _STATE_WORDS.get(text, text) or "ready"
        if state not in UNIT_STATES:
            raise BadValueError(
                f"{text!r} is no state; it can be {', '.join(UNIT_STATES)}", where="", mend=""
            )
        return state

    def _bytes(self, field: ListField) -> float:
        total = 0.0
        for text, column in self._cells.get(field, ()):
            unit = column.unit or ("B" if "bytes" in plain_name(column.name).split() else "")
            is_bare = re.fullmatch(r"[\d.,' ]+", text) is not None
            if is_bare and not unit and text.strip("0., "):
                raise BadValueError(
                    f"{text!r} has no unit, and {column.name!r} none either", where="", mend=""
                )
            total += parse_size(f"{text} {unit or 'B'}" if is_bare else text)
        return total

    def _events(self, tag: str) -> list[UnitEvent]:
        found = []
        bought = self._text(ListField.BOUGHT_ON)
        until = self._text(ListField.WARRANTY_UNTIL)
        data: dict[str, Any] = {
            "seller": self._text(ListField.SELLER) or None,
            "price": self._price(),
            "warranty_until": day_in_list(until).isoformat() if until else None,
        }
        data = {name: value for name, value in data.items() if value is not None}
        if bought or data:
            at = moment_on(day_in_list(bought) if bought else None)
            found.append(UnitEvent(tag, at, EventKind.BOUGHT, data))
        if place := self._text(ListField.PLACE):
            found.append(UnitEvent(tag, moment_on(None), EventKind.PLACE, {"place": place}))
        return found

    def _price(self) -> float | None:
        text = self._text(ListField.PRICE)
        bare = re.sub(r"[^\d.,' ]", "", text).strip()
        return parse_number(bare, asks_back=True) if bare else None


def _key_of(name: str, parts: Mapping[str, Any]) -> str:
    """Return the key of the part that is meant by its key, its name, or its name without maker."""
    if name in parts:
        return name
    wanted = plain_name(name)

    def means(by: Callable[[str], str]) -> list[str]:
        return [key for key, part in parts.items() if plain_name(by(part.name)) == wanted]

    whole = means(str) or means(lambda full: full.partition(" ")[2])
    return whole[0] if len(whole) == 1 else ""
