"""What the columns of a trace are: ours by their names, other programs' by what is usual."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import datetime

from vastcellar.core.errors import BadFileError

HEADER = ("elapsed_s", "written_bytes", "temperature_c")
_TIME = ("elapsed s", "elapsed", "time", "time s", "t", "t s", "seconds", "sec", "timestamp",
         "elapsed time", "elapsed seconds")  # fmt: skip
_WRITTEN = ("written bytes", "written", "bytes", "bytes written", "total", "total written",
            "position", "offset")  # fmt: skip
_RATE = ("rate", "speed", "write", "write speed", "write rate", "throughput", "bandwidth",
         "bytes per s", "bytes s", "transfer rate")  # fmt: skip
_HEAT = ("temperature c", "temperature", "temp", "temp c", "celsius", "drive temperature")
_PREFIXES = {"": 1.0, "k": 1e3, "m": 1e6, "g": 1e9, "t": 1e12}
_UNIT = re.compile(r"[\[( ]([kKMGT]?)(i?)B(/s|ps)?[\])]?$")
_UNCLEAR = re.compile(r"[\[(_ ]([kmgt])(i?)b(/s|ps|_s|_per_s)?[\])]?$", re.IGNORECASE)
Point = tuple[float, float, float]


class TraceColumns:
    """Reads a row as seconds since the first one, bytes since the start, and degrees."""

    def __init__(
        self, at: int, bytes_at: int, factor: float, heat_at: int | None, *, is_rate: bool,
        is_ours: bool,
    ) -> None:  # fmt: skip
        self._at, self._bytes_at, self._heat_at = at, bytes_at, heat_at
        self._factor, self._is_rate, self._is_ours = factor, is_rate, is_ours
        self._begin_s: float | None = None

    def point(self, row: Sequence[str], before: Point | None) -> Point:
        """Return the point of *row*, after *before*. Raises ValueError for no numbers."""
        elapsed_s = self._elapsed_s(row[self._at], before)
        value = _number(row[self._bytes_at]) * self._factor
        if self._is_rate:
            # What was written until now, at the rate of the step that ends here.
            step_s = elapsed_s - (before[0] if before else 0.0)
            value = (before[1] if before else 0.0) + value * max(step_s, 0.0)
        heat = row[self._heat_at].strip() if self._heat_at is not None else ""
        return elapsed_s, value, _number(heat) if heat else float("nan")

    def _elapsed_s(self, text: str, before: Point | None) -> float:
        try:
            moment, is_clock = _number(text), False
        except ValueError:
            moment, is_clock = _moment(text), True
        if self._begin_s is None:
            # Ours begin where they begin; a moment, or seconds since long ago, begins with itself.
            is_long_ago = is_clock or (not self._is_ours and moment >= _A_DAY_S)
            self._begin_s = moment if is_long_ago else 0.0
        elapsed_s = moment - self._begin_s
        if is_clock and before is not None and elapsed_s < before[0] - _A_DAY_S / 2:
            self._begin_s -= _A_DAY_S  # past midnight
            elapsed_s += _A_DAY_S
        return elapsed_s


_A_DAY_S = 86400.0


def columns_of_trace(header: Sequence[str], name: str) -> TraceColumns:
    """Return how the rows below *header* are read.

    Raises BadFileError where no column is a time, or none bytes or a rate, and for a size or a
    rate whose unit nobody says.
    """
    if tuple(header) == HEADER:
        return TraceColumns(0, 1, 1.0, 2, is_rate=False, is_ours=True)
    at = _place(header, _TIME)
    heat_at = _place(header, _HEAT)
    written_at, rate_at = _place(header, _WRITTEN), _place(header, _RATE)
    bytes_at = written_at if written_at is not None else rate_at
    if at is None or bytes_at is None:
        raise BadFileError(
            f"its first line is {','.join(header)[:60]!r}",
            where=f"{name}, line 1",
            mend=f"Give the columns {','.join(HEADER)}, or a time and bytes or a rate with units",
        )
    factor, is_rate = _counts(header[bytes_at], name)
    if is_rate is None:
        is_rate = written_at is None
    elif is_rate is False and written_at is None and _plain(header[bytes_at]) != "write":
        raise _unclear(header[bytes_at], name)  # a speed in MB is neither the one nor the other
    return TraceColumns(at, bytes_at, factor, heat_at, is_rate=is_rate, is_ours=False)


def _counts(column: str, name: str) -> tuple[float, bool | None]:
    """Return the bytes of one, and whether it is a rate as its unit says; None where none does.

    Raises BadFileError for a column whose unit isn't clear.
    """
    unit, plain = _UNIT.search(column.strip()), _plain(column)
    if unit is None:
        if plain in ("bytes per s", "bytes s"):
            return 1.0, True
        if plain not in ("bytes", "written bytes", "bytes written"):
            raise _unclear(column, name)
        return 1.0, None
    binary = {"": 1.0, "k": 2.0**10, "m": 2.0**20, "g": 2.0**30, "t": 2.0**40}
    prefixes = binary if unit[2] else _PREFIXES
    return prefixes[unit[1].lower()], bool(unit[3])


def _unclear(column: str, name: str) -> BadFileError:
    return BadFileError(
        f"what {column!r} counts in isn't clear: bits are a factor of 8",
        where=f"{name}, line 1",
        mend="Name it with its unit, as speed (MB/s) or written (GiB)",
    )


def _place(header: Sequence[str], names: Sequence[str]) -> int | None:
    return next((n for n, each in enumerate(header) if _plain(each) in names), None)


def _plain(name: str) -> str:
    bare = _UNCLEAR.sub("", _UNIT.sub("", name.strip())).casefold()
    bare = re.sub(r"[\[(](s|sec|seconds|c|°c)[\])]\s*$", "", bare)
    return " ".join(re.sub(r"[^a-z0-9]+", " ", bare).split())


def _number(text: str) -> float:
    bare = text.strip()
    if re.fullmatch(r"[+-]?[1-9]\d{0,2}(,\d{3})+", bare):
        raise ValueError(text)  # thousands, or three places: a factor of 1000
    if "," in bare and "." not in bare:
        bare = bare.replace(",", ".")
    return float(bare)


def _moment(text: str) -> float:
    """Return seconds of a time of day, or of a day with its time. Raises ValueError."""
    found = re.fullmatch(r"\s*(\d{1,2}):([0-5]\d):([0-5]\d(?:[.,]\d+)?)\s*", text)
    if found is not None:
        return int(found[1]) * 3600 + int(found[2]) * 60 + float(found[3].replace(",", "."))
    return datetime.fromisoformat(text.strip()).timestamp()
