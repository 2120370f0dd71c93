"""Typed-in quantities and their printed forms: bits and bytes, decimal and binary.

Inside the program everything is SI and bytes; text becomes a number here, and a number text,
and nowhere else.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from fractions import Fraction

from vastcellar.core.errors import BadValueError

KB, MB, GB, TB = 10**3, 10**6, 10**9, 10**12
KIB, MIB, GIB, TIB = 2**10, 2**20, 2**30, 2**40

MOST_HOUR = 36
"""Hours past midnight count on: a night shoot ends at 28:00."""

LEAST_FRAMES_PER_S, MOST_FRAMES_PER_S = 0.001, 10_000
"""From a frame in a quarter of an hour (time lapse) to what the fastest cameras take."""

THIN_SPACE = "\u202f"

# Prefixes and units as they are written; capitals tell bits from bytes and milli from mega.
_PREFIXES = {
    "": 1, "k": KB, "K": KB, "M": MB, "G": GB, "T": TB, "P": 10**15,
    "Ki": KIB, "Mi": MIB, "Gi": GIB, "Ti": TIB,
    "kilo": KB, "mega": MB, "giga": GB, "tera": TB, "peta": 10**15,
    "kibi": KIB, "mebi": MIB, "gibi": GIB, "tebi": TIB,
}  # fmt: skip
_BYTES = {
    **dict.fromkeys(("bit", "bits", "Bit", "Bits", "b"), 1 / 8),
    **dict.fromkeys(("byte", "bytes", "Byte", "Bytes", "B"), 1.0),
}
_SECONDS = {
    **dict.fromkeys(("s", "sec", "secs", "second", "seconds"), 1.0),
    **dict.fromkeys(("min", "mins", "minute", "minutes"), 60.0),
    **dict.fromkeys(("h", "hr", "hrs", "hour", "hours"), 3600.0),
    **dict.fromkeys(("d", "day", "days"), 86400.0),
}
_SIZES = {
    f"{prefix}{unit}": factor * size
    for prefix, factor in _PREFIXES.items()
    for unit, size in _BYTES.items()
}

# Said in small letters these are the trade's factor of 8: half of all writers mean bits.
_AMBIGUOUS = re.compile(r"(?<![A-Za-z])(?P<prefix>[kmgt])(?P<b>b)(?P<ps>ps)?(?![A-Za-z])")
_UNIT = re.compile(r"\s*[A-Za-zµμ]{1,20}(\s*/\s*[A-Za-zµμ]{1,20})?\s*")
_PER_SECOND = re.compile(r"(?<![A-Za-z])([kKMGT]i?)?(bit|b|B)ps(?![A-Za-z])")
_SPACES = re.compile("[\\s\u00a0\u2009\u202f]+")
_MAY_BE_THOUSANDS = re.compile(r"[1-9]\d{0,2}[.,]\d{3}")
_GROUPED = {".": re.compile(r"\d{1,3}(\.\d{3})+"), ",": re.compile(r"\d{1,3}(,\d{3})+")}
_TERM = re.compile(r"\s*([-+]?[\d][\d.,']*|[-+]?[.,]\d+)\s*([^\d\s+.,-][^\d+,]*)?")


def parse_number(
    text: str, *, where: str = "", decimal_point: str = ".", asks_back: bool = False
) -> float:
    """Return the number written in *text*, thousands set apart or not.

    Of two kinds of mark the last one is the decimal point ("1.500,5", "1,500.5"). A lone mark is
    one where *decimal_point* says so, or where it can't set thousands apart ("12,5").

    Args:
        text: as it was typed.
        where: it was typed, for the sentence.
        decimal_point: as this user writes it.
        asks_back: whether "1.500" and "1,500" are refused: one writer in two means 1500.

    Raises:
        BadValueError: for anything that is not one finite number, or might be two.

    """
    bare = _SPACES.sub("", text).replace("'", "")
    if asks_back and _MAY_BE_THOUSANDS.fullmatch(bare):
        whole, mark, rest = re.split("([.,])", bare)
        raise BadValueError(
            f"{text.strip()!r} may be {whole}{rest}, or {whole} and {rest} thousandths",
            where=where,
            mend=f"Write {whole}{rest}, or {whole}{mark}{rest.rstrip('0') or '0'}"
            + ("0" if rest[-1] != "0" else ""),
        )
    marks = [mark for mark in bare if mark in ".,"]
    decimal = decimal_point
    if len(set(marks)) == 2:
        decimal = marks[-1]
    elif len(marks) == 1 and not re.search(r"[.,]\d{3}$", bare):
        decimal = marks[0]  # it sets no thousands apart
    elif len(marks) > 1:
        decimal = "," if marks[0] == "." else "."  # 1.500.000: no number has two points
    group = "." if decimal == "," else ","
    whole = bare.split(decimal)[0].lstrip("+-")
    if group in bare and not _GROUPED[group].fullmatch(whole):
        number = math.nan
    else:
        number = _float(bare.replace(group, "").replace(decimal, "."))
    if not math.isfinite(number):
        raise BadValueError(
            f"{text.strip()!r} is not a number", where=where, mend="Write digits, for example 12.5"
        )
    return number


def _float(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        return math.nan


def _sum_of_terms(text: str, dimension: str, example: str, where: str, decimal_point: str) -> float:
    """Add up "1 h 30 min" in bytes, seconds or both; each term must have the *dimension*."""
    cleaned = _SPACES.sub(" ", text.strip())
    # A space between digits groups thousands: "1 274 Mb/s".
    cleaned = re.sub(r"(?<=\d) (?=\d{3}(\D|$))", "", cleaned)
    total, position = 0.0, 0
    if not cleaned:
        raise BadValueError("nothing is entered", where=where, mend=f"Write {example}")
    while position < len(cleaned):
        match = _TERM.match(cleaned, position)
        if match is None:
            raise BadValueError(
                f"{text.strip()!r} can't be read as a quantity",
                where=where,
                mend=f"Write {example}",
            )
        number = parse_number(match[1], where=where, decimal_point=decimal_point, asks_back=True)
        total += number * _factor(match[2] or "", text, dimension, example, where)
        position = match.end()
    return total


def _factor(unit: str, text: str, dimension: str, example: str, where: str) -> float:
    unit = unit.strip()
    if not unit:
        raise BadValueError(f"{text.strip()!r} has no unit", where=where, mend=f"Write {example}")
    unclear = _AMBIGUOUS.search(unit)
    if unclear:
        small, per = unclear["prefix"], "/s" if unclear["ps"] else ""
        bits, large = ("kbit", "k") if small == "k" else (f"{small.upper()}b", small.upper())
        raise BadValueError(
            f"{unclear[0]!r} may mean bits or bytes, a factor of 8",
            where=where,
            mend=f"Write {bits}{per} for bits or {large}B{per} for bytes",
        )
    plain = _PER_SECOND.sub(r"\1\2/s", unit).replace(" per ", "/")
    if not _UNIT.fullmatch(plain):  # a unit, and no expression to be worked out: 9**9**9
        raise BadValueError(
            f"{unit!r} is not a unit of a {dimension}", where=where, mend=f"Write {example}"
        )
    found = _dimension_of(plain)
    if found is None:
        raise BadValueError(
            f"{unit!r} is not a unit of a {dimension}", where=where, mend=f"Write {example}"
        )
    kind, factor = found
    if kind != dimension:
        raise BadValueError(
            f"{text.strip()!r} is not a {dimension}", where=where, mend=f"Write {example}"
        )
    return factor


def _dimension_of(unit: str) -> tuple[str, float] | None:
    """Return what *unit* measures and what one of it is in bytes, seconds, or bytes a second."""
    over, _, under = (part.strip() for part in unit.partition("/"))
    if not under:
        if over in _SIZES:
            return "size", _SIZES[over]
        return ("time", _SECONDS[over]) if over in _SECONDS else None
    if over in _SIZES and under in _SECONDS:
        return "rate", _SIZES[over] / _SECONDS[under]
    return None


def parse_rate(text: str, *, where: str = "", decimal_point: str = ".") -> float:
    """Return bytes per second for "1274 Mb/s", "160MB/s", "575 GB/h" ...

    Raises BadValueError without a unit, with an unclear one ("160 mb/s") or below zero.
    """
    example = "a rate with its unit, for example 160 MB/s or 1274 Mb/s"
    value = _sum_of_terms(text, "rate", example, where, decimal_point)
    return _not_negative(value, text, where)


def parse_size(text: str, *, where: str = "", decimal_point: str = ".") -> int:
    """Return whole bytes for "1 TiB", "256 GB" ... Raises BadValueError as parse_rate does."""
    example = "a size with its unit, for example 256 GB or 1 TiB"
    value = _sum_of_terms(text, "size", example, where, decimal_point)
    return round(_not_negative(value, text, where))


def parse_duration(text: str, *, where: str = "", decimal_point: str = ".") -> float:
    """Return seconds for "52 min", "1 h 30 min", "52:00" (min:s) or "1:02:03" (h:min:s).

    Raises BadValueError as parse_rate does.
    """
    clock = re.fullmatch(r"\s*(?:(\d+):)?(\d{1,4}):([0-5]\d(?:\.\d+)?)\s*", text)
    if clock:
        return int(clock[1] or 0) * 3600 + int(clock[2]) * 60 + float(clock[3])
    example = "a time with its unit, for example 52 min or 1 h 30 min"
    value = _sum_of_terms(text, "time", example, where, decimal_point)
    return _not_negative(value, text, where)


def parse_time_of_day(text: str, *, where: str = "", decimal_point: str = ".") -> float:
    """Return seconds since midnight for "7:30", "7.30" or "18". Raises BadValueError."""
    clock = re.fullmatch(r"\s*(\d{1,2})(?:[:.h]([0-5]\d))?\s*h?\s*", text)
    if clock is None or int(clock[1]) > MOST_HOUR:
        raise BadValueError(
            f"{text.strip()!r} is not a time of day", where=where, mend="Write for example 7:30"
        )
    return int(clock[1]) * 3600.0 + int(clock[2] or 0) * 60.0


def parse_share(text: str, *, where: str = "", decimal_point: str = ".") -> float:
    """Return a fraction for "20 %" or "20": a percentage either way."""
    bare = text.strip().removesuffix("%")
    return parse_number(bare, where=where, decimal_point=decimal_point, asks_back=True) / 100


def parse_temperature(text: str, *, where: str = "", decimal_point: str = ".") -> float:
    """Return degrees Celsius for "28", "28 °C" or "82 °F"."""
    bare = _SPACES.sub("", text).replace("°", "")
    fahrenheit = bare[-1:] in "Ff" and bare != ""
    number = parse_number(
        bare.rstrip("CcFf"), where=where, decimal_point=decimal_point, asks_back=True
    )
    return (number - 32) / 1.8 if fahrenheit else number


def parse_frame_rate(text: str, *, where: str = "", decimal_point: str = ".") -> Fraction:
    """Return frames per second, exact: "25", "24000/1001"; 23.976 and its kin as N x 1000/1001.

    A lone mark is the decimal point, whatever the user's language, where only that is a frame
    rate: "23,976" and "23.976" are one. "1,000" may be two, and is asked back.
    Source: the 1000/1001 rates of SMPTE ST 12-1.
    Raises BadValueError for what is none, or none between LEAST and MOST_FRAMES_PER_S.
    """
    bare = text.strip().lower().removesuffix("fps").removesuffix("p").strip()
    mend = "Write frames a second, for example 25, 23.976 or 24000/1001"
    lone = re.fullmatch(r"(\d+)[.,](\d{3})", bare)
    if lone and int(lone[1] + lone[2]) <= MOST_FRAMES_PER_S:
        parse_number(bare, where=where, asks_back=True)
    try:
        if "/" in bare:
            rate = Fraction(bare.replace(" ", ""))
        else:
            plain = bare.replace(",", ".") if lone else bare
            number = parse_number(plain, decimal_point="." if lone else decimal_point)
            rate = Fraction(str(number))
            whole = math.ceil(rate)
            slowed = Fraction(whole * 1000, 1001)
            if rate != whole and abs(float(rate - slowed)) < 0.006:
                rate = slowed
    except (ValueError, ZeroDivisionError, BadValueError) as error:
        raise BadValueError(
            f"{text.strip()!r} is not a frame rate", where=where, mend=mend
        ) from error
    if not LEAST_FRAMES_PER_S <= rate <= MOST_FRAMES_PER_S:
        raise BadValueError(
            f"the frame rate is {text.strip()}, and cameras have {LEAST_FRAMES_PER_S:g} to "
            f"{MOST_FRAMES_PER_S:g}",
            where=where,
            mend=mend,
        )
    return rate


def _not_negative(value: float, text: str, where: str) -> float:
    if value < 0:
        raise BadValueError(f"{text.strip()!r} is below zero", where=where, mend="Write 0 or more")
    return value


@dataclass(frozen=True, slots=True)
class NumberFormat:
    """How this user writes numbers; handed in by whoever prints."""

    decimal_point: str = "."
    group: str = THIN_SPACE

    def number(self, value: float, decimals: int | None = None) -> str:
        """Print *value* with thousands set apart; decimals by its size where not given."""
        if not math.isfinite(value):
            return "not known"
        if decimals is None:
            decimals = 0 if abs(value) >= 1000 else 1 if abs(value) >= 10 else 2
            text = f"{value:,.{decimals}f}"
            if "." in text:
                text = text.rstrip("0").rstrip(".")
        else:
            text = f"{value:,.{decimals}f}"
        return text.replace(",", "\0").replace(".", self.decimal_point).replace("\0", self.group)

    def rate(self, bytes_per_s: float, decimals: int | None = None) -> str:
        """Print a rate in MB/s, always that unit, so that figures can be compared."""
        shown = self.number(bytes_per_s / MB, decimals)
        return f"{shown} MB/s" if math.isfinite(bytes_per_s) else shown

    def bit_rate(self, bytes_per_s: float) -> str:
        """Print a rate in Mb/s, as codecs and menus state it."""
        return f"{self.number(bytes_per_s * 8 / MB)} Mb/s"

    def size(self, size_bytes: float) -> str:
        """Print a size in the decimal unit that fits: kB, MB, GB or TB."""
        return self._scaled(size_bytes, ((TB, "TB"), (GB, "GB"), (MB, "MB"), (KB, "kB")))

    def binary_size(self, size_bytes: float) -> str:
        """Print a size in the binary unit that fits: KiB, MiB, GiB or TiB."""
        return self._scaled(size_bytes, ((TIB, "TiB"), (GIB, "GiB"), (MIB, "MiB"), (KIB, "KiB")))

    def _scaled(self, size_bytes: float, steps: tuple[tuple[int, str], ...]) -> str:
        for factor, unit in steps:
            if abs(size_bytes) >= factor:
                return f"{self.number(size_bytes / factor)} {unit}"
        return f"{self.number(size_bytes)} B"

    def duration(self, seconds: float) -> str:
        """Print a time as said aloud: "0.8 s", "23 min 44 s", "1 h 02 min"."""
        if not math.isfinite(seconds):
            return "without end"
        if round(seconds) < 60:
            return f"{self.number(seconds, 1 if seconds % 1 > 0.05 and seconds < 20 else 0)} s"
        minutes, rest_s = divmod(round(seconds), 60)
        if minutes < 60:
            return f"{minutes} min {rest_s:02d} s" if rest_s else f"{minutes} min"
        hours, minutes = divmod(round(seconds / 60), 60)
        return f"{hours} h {minutes:02d} min" if minutes else f"{hours} h"

    def clock(self, seconds: float) -> str:
        """Print a running time as a counter: "28:06", "1:02:03"."""
        minutes, rest_s = divmod(int(seconds), 60)
        hours, minutes = divmod(minutes, 60)
        return f"{hours}:{minutes:02d}:{rest_s:02d}" if hours else f"{minutes}:{rest_s:02d}"

    def time_of_day(self, since_midnight_s: float) -> str:
        """Print a moment of the day: "7:30"; past midnight it counts on."""
        minutes = round(since_midnight_s / 60)
        return f"{minutes // 60}:{minutes % 60:02d}"

    def percent(self, share: float, *, signed: bool = False) -> str:
        """Print a share in per cent; with a true minus sign, and a plus where *signed*."""
        decimals = 1 if abs(share) < 0.0995 and abs(share * 100 - round(share * 100)) > 0.05 else 0
        text = self.number(abs(share) * 100, decimals)
        if share and not text.strip("0.,"):  # a shortfall, however small, is none of "+0 %"
            least = self.number(0.01, 2)
            text = self.number(abs(share) * 100, 2)
            text = text if text.strip("0.,") else f"<{least}"
        sign = "\u2212" if share < 0 and text.strip("0.,") else "+" if signed else ""
        return f"{sign}{text} %"

    def temperature(self, celsius: float) -> str:
        """Print a temperature in whole degrees Celsius."""
        return f"{self.number(celsius, 0)} °C"

    def frame_rate(self, frames_per_s: Fraction) -> str:
        """Print a frame rate as menus do: 25, 23.976, 59.94."""
        if frames_per_s.denominator == 1:
            return str(frames_per_s.numerator)
        text = f"{float(frames_per_s):.3f}".rstrip("0").rstrip(".")
        return text.replace(".", self.decimal_point)


PLAIN = NumberFormat()
