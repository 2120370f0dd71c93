"""Parts as CSV: one row a drive, enclosure or cable, quantities with their units."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from vastcellar.core.csv_cells import plain_cell
from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.links.links import Cable, LinkMode
from vastcellar.core.parts.parts import Case, Drive, DriveKind, Enclosure, WriteBehaviour
from vastcellar.core.units import parse_number, parse_rate, parse_size
from vastcellar.store.reading import as_sentence, read_text

COLUMNS = (
    "part",
    "key",
    "name",
    "kind",
    "medium",
    "form",
    "capacity",
    "read",
    "write",
    "after_cache",
    "cache",
    "tbw",
    "links",
    "rating",
    "length_m",
    "plugs",
    "price",
)
_SOURCE = "entered by the user; heat typical"
_PLASTIC = Case(40.0, 6.0, 12.0, 0.7)
"""Stands in for a case that nobody measured: small, plastic (typical)."""
Part = Drive | Enclosure | Cable


def read_parts(path: Path, modes: Mapping[str, LinkMode]) -> tuple[Part, ...]:
    """Return the parts in the CSV file *path*.

    What a row leaves empty stays unknown: a drive without ``after_cache`` is only as good as its
    box. Raises BadFileError naming line and column; nothing of a file with an error is taken.
    """
    with as_sentence(path, "list of parts"):
        return _read_parts(read_text(path), path, modes)


def _read_parts(text: str, path: Path, modes: Mapping[str, LinkMode]) -> tuple[Part, ...]:
    first = text.partition("\n")[0]
    delimiter = ";" if first.count(";") > first.count(",") else ","
    rows = csv.DictReader(io.StringIO(text), delimiter=delimiter)
    header = [name.strip().lower() for name in rows.fieldnames or []]
    unknown = [name for name in header if name not in COLUMNS]
    if "part" not in header or unknown:
        what = f"{unknown[0]!r} is no column of parts" if unknown else "there is no column 'part'"
        raise BadFileError(
            what, where=f"{path.name}, line 1", mend=f"Use the columns {', '.join(COLUMNS)}"
        )
    rows.fieldnames = header
    found, keys = [], set()
    for row in rows:
        where = f"{path.name}, line {rows.line_num}"
        part = _part(_Row(row, where), modes)
        if part.key in keys:
            raise BadFileError(
                f"the key {part.key!r} stands twice", where=where, mend="Give each its own key"
            )
        keys.add(part.key)
        found.append(part)
    if not found:
        raise BadFileError("it has no rows", where=path.name, mend="Add a row for each part")
    return tuple(found)


class _Row:
    """One row; every complaint names its line and column."""

    def __init__(self, cells: Mapping[str, str | None], where: str) -> None:
        self._cells, self.where = cells, where

    def text(self, name: str) -> str:
        cell = self._cells.get(name) or ""
        # A row with more cells than the header has hands the rest over as a list.
        return plain_cell(cell.strip()) if isinstance(cell, str) else ""

    def need(self, name: str) -> str:
        if not self.text(name):
            raise BadFileError("it is empty", where=f"{self.where}, {name}", mend="Fill it in")
        return self.text(name)

    def quantity(self, name: str, parse: Callable[..., Any], default: Any = None) -> Any:
        text = self.text(name)
        if not text:
            if default is None:
                raise BadFileError("it is empty", where=f"{self.where}, {name}", mend="Fill it in")
            return default
        try:
            return parse(text)
        except BadValueError as error:
            raise BadFileError(
                error.what, where=f"{self.where}, {name}", mend=error.mend
            ) from error

    def links(self, modes: Mapping[str, LinkMode]) -> tuple[str, ...]:
        keys = tuple(key for key in re.split(r"[\s/|+]+", self.text("links")) if key)
        for key in keys:
            if key not in modes:
                raise BadFileError(
                    f"there is no link mode {key!r}",
                    where=f"{self.where}, links",
                    mend=f"Use keys such as {', '.join(list(modes)[:6])}",
                )
        return keys


def _part(row: _Row, modes: Mapping[str, LinkMode]) -> Part:
    makers: dict[str, Callable[[_Row, Mapping[str, LinkMode]], Part]] = {
        "drive": _drive,
        "enclosure": _enclosure,
        "cable": _cable,
    }
    kind = row.need("part").lower()
    if kind not in makers:
        raise BadFileError(
            f"{kind!r} is no kind of part",
            where=f"{row.where}, part",
            mend="Write drive, enclosure or cable",
        )
    try:
        return makers[kind](row, modes)
    except BadValueError as error:
        raise BadFileError(error.what, where=row.where, mend=error.mend) from error


def _key(row: _Row) -> str:
    given = row.text("key") or row.need("name")
    return "own-" + re.sub(r"[^a-z0-9]+", "-", given.lower()).strip("-").removeprefix("own-")


def _drive(row: _Row, modes: Mapping[str, LinkMode]) -> Drive:
    kinds = {kind.value: kind for kind in DriveKind}
    kind = row.need("kind").lower().replace(" ", "_")
    if kind not in kinds:
        raise BadFileError(
            f"{kind!r} is no kind of drive",
            where=f"{row.where}, kind",
            mend=f"Use one of {', '.join(kinds)}",
        )
    write = row.quantity("write", parse_rate)
    after = row.quantity("after_cache", parse_rate, 0.0)
    behaviour = None
    if after:
        behaviour = WriteBehaviour(
            cache_write_bytes_per_s=write,
            direct_write_bytes_per_s=after,
            cache_static_bytes=row.quantity("cache", parse_size, 0.0),
        )
    is_nvme = kinds[kind] is DriveKind.NVME
    return Drive(
        key=_key(row),
        name=row.need("name"),
        kind=kinds[kind],
        medium=row.text("medium") or "not known",
        capacity_bytes=row.quantity("capacity", parse_size),
        claimed_read_bytes_per_s=row.quantity("read", parse_rate),
        claimed_write_bytes_per_s=write,
        behaviour=behaviour,
        pcie_generation=4 if is_nvme else 0,
        pcie_lanes=4 if is_nvme else 0,
        host_modes=row.links(modes),
        tbw_bytes=row.quantity("tbw", parse_size, 0.0),
        price=row.quantity("price", parse_number, 0.0),
        form=row.text("form"),
        source=_SOURCE,
    )


def _enclosure(row: _Row, modes: Mapping[str, LinkMode]) -> Enclosure:
    protocol = row.text("kind").lower() or "nvme"
    if protocol not in ("nvme", "sata"):
        raise BadFileError(
            f"{protocol!r} is no slot protocol",
            where=f"{row.where}, kind",
            mend="Write nvme or sata",
        )
    own = row.links(modes)
    bridge = row.quantity("write", parse_rate, 0.0)
    best = max((modes[key].ceiling_bytes_per_s for key in own), default=0.0)
    if bridge > best * 1.001 and own:
        raise BadFileError(
            f"a bridge of {bridge / 1e6:,.0f} MB/s is faster than its link, which carries "
            f"{best / 1e6:,.0f} MB/s",
            where=f"{row.where}, write",
            mend="Check for bits and bytes, a factor of 8",
        )
    return Enclosure(
        key=_key(row),
        name=row.need("name"),
        host_modes=own,
        slot_protocols=(protocol,),
        case=_PLASTIC,
        pcie_generation=3,
        bridge_write_bytes_per_s=bridge,
        price=row.quantity("price", parse_number, 0.0),
        forms=tuple(form for form in re.split(r"[\s/|+]+", row.text("form")) if form),
        source=_SOURCE,
    )


def _cable(row: _Row, modes: Mapping[str, LinkMode]) -> Cable:
    own = row.links(modes)
    rating = row.text("rating")
    if rating:
        if "B" in rating.replace("GbE", ""):
            rate = row.quantity("rating", parse_rate)
            raise BadFileError(
                f"{rating!r} is {rate * 8 / 1e9:g} Gb/s; cables are rated in bits",
                where=f"{row.where}, rating",
                mend=f"Write {rating.replace('B', 'b')} if that is meant",
            )
        bits = row.quantity("rating", parse_rate) * 8
        usb = [key for key in modes if key.startswith(("usb", "tunnel"))]
        own = own or tuple(k for k in usb if modes[k].line_rate_bits_per_s <= bits * 1.001)
    if not own:
        raise BadFileError(
            "neither its rating nor its links are given",
            where=row.where,
            mend="Give a rating such as 10 Gb/s",
        )
    plugs = re.split(r"[\s/|+-]+", row.text("plugs") or "C-C")
    return Cable(
        key=_key(row),
        name=row.need("name"),
        modes=own,
        length_m=row.quantity("length_m", parse_number, 1.0),
        plugs=(plugs[0].upper(), plugs[-1].upper()),
        price=row.quantity("price", parse_number, 0.0),
    )
