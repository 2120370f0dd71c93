"""The quick sum: one line of sizes, rates, times and counts, and what it comes to.

"52 min at 160 MB/s x 3 copies" is a size, "4 TB in 30 min" a rate, "47 GB at 180 MB/s" a time;
"931 GiB in GB" is the same size in another unit.
What is meant follows from the kinds of the quantities, not from the words between them.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

from vastcellar.core.errors import BadValueError
from vastcellar.core.links.links import LinkMode
from vastcellar.core.units import parse_duration, parse_number, parse_rate, parse_size

EXAMPLE = "4 TB in 30 min, 52 min at 160 MB/s x 3 copies, or 1274 Mb/s"
_WHERE = "quick sum"
_MOST_CHARACTERS = 400

_NUMBER = re.compile(r"\d[\d.,']*(?:[\s\u00a0\u2009\u202f]\d{3}(?=\D|$))*")
_CLOCK = re.compile(r"\d+:\d\d(?::\d\d)?")
_UNIT = re.compile(r"[A-Za-z]+(?:\s*/\s*[A-Za-z]+|\s+per\s+(?!day\b)[A-Za-z]+)?")
_COUNTED = re.compile(
    r"(cop(?:y|ies)|cameras?|takes?|clips?|cards?|drives?|disks?|media|medium|files?|times|"
    r"streams?|days?|people|editors?)(?![A-Za-z])",
    re.IGNORECASE,
)
_JOIN = re.compile(
    r"(in|within|at|with|for|of|over|on|to|and|from|each|every|a\s+day|per\s+day|x|\*|×|·|\+)"
    r"(?![A-Za-z])",
    re.IGNORECASE,
)
_BEFORE_QUANTITIES = frozenset({"in", "within", "at", "with", "for", "over"})
"""What stands before a time or a rate: a number behind one counts nothing."""
_DIVIDE = re.compile(r"[/÷:]")
_IN_UNIT = re.compile(
    r"(?P<sum>.*\d.*)\s+(in|as|to)\s+(?P<unit>[A-Za-z]+(\s*/\s*[A-Za-z]+)?)\s*", re.DOTALL
)
_TIME_UNIT = re.compile(r"s|secs?|seconds?|min|mins|minutes?|h|hrs?|hours?|d", re.IGNORECASE)


class Kind(StrEnum):
    """What a quantity is."""

    SIZE = "size"
    RATE = "rate"
    TIME = "time"
    COUNT = "count"


_UNIT_READERS = {Kind.SIZE: parse_size, Kind.RATE: parse_rate, Kind.TIME: parse_duration}


@dataclass(frozen=True, slots=True)
class Quantity:
    """A quantity of the line: bytes, bytes per second, seconds, or a bare count."""

    kind: Kind
    value: float
    is_divisor: bool = False
    counted: str = ""
    """What is counted: "copies", "cameras" ... or nothing."""


@dataclass(frozen=True, slots=True)
class QuickAnswer:
    """What a line comes to, with the quantities that it was reckoned from."""

    kind: Kind
    value: float
    parts: tuple[Quantity, ...]
    unit: str = ""
    """The unit that was asked for, "" where none was."""
    one_unit: float = 1.0
    """What one of it is, in the base unit of its kind."""

    @property
    def in_unit(self) -> float:
        """The answer in the unit that was asked for."""
        return self.value / self.one_unit

    def part(self, kind: Kind) -> float | None:
        """Return the quantity of *kind* in the line, or None."""
        return next((part.value for part in self.parts if part.kind is kind), None)

    @property
    def factor(self) -> float:
        """All counts together."""
        factor = 1.0
        for part in self.parts:
            if part.kind is Kind.COUNT:
                factor = factor / part.value if part.is_divisor else factor * part.value
        return factor

    @property
    def is_claim(self) -> bool:
        """Whether so much in so little time is said: it can be held against what links carry."""
        kinds = {part.kind for part in self.parts}
        return self.kind is Kind.RATE and Kind.TIME in kinds


def read_quantities(text: str, *, decimal_point: str = ".") -> tuple[Quantity, ...]:
    """Return the quantities of *text*; neighbours of one kind add up ("1 h 30 min").

    Raises BadValueError naming the place that can't be read.
    """
    if not text.strip():
        raise BadValueError("nothing is entered", where=_WHERE, mend=f"Write for example {EXAMPLE}")
    if len(text) > _MOST_CHARACTERS:
        raise BadValueError(
            f"the line has {len(text)} characters", where=_WHERE, mend="Write one sum at a time"
        )
    found: list[Quantity] = []
    at, divides, joined, preposition = 0, False, True, ""
    while at < len(text):
        if text[at].isspace():
            at += 1
            continue
        if number := (_CLOCK.match(text, at) or _NUMBER.match(text, at)):
            quantity, at = _quantity(text, number, decimal_point)
            if quantity.kind is Kind.COUNT and preposition and not quantity.counted:
                raise _no_unit(number[0], preposition)
            preposition = ""
            if divides:
                quantity = Quantity(quantity.kind, quantity.value, True, quantity.counted)
            _append(found, quantity, is_new=joined)
            divides = joined = False
        elif join := (_JOIN.match(text, at) or _COUNTED.match(text, at)):
            joined = joined or join[0] != "+"
            preposition = join[0] if join[0].lower() in _BEFORE_QUANTITIES else ""
            at = join.end()
        elif _DIVIDE.match(text, at) and found:
            divides = joined = True
            at += 1
        else:
            raise BadValueError(
                f"{text[at : at + 12]!r} can't be read",
                where=f"{_WHERE}, at character {at + 1}",
                mend=f"Write for example {EXAMPLE}",
            )
    return tuple(found)


def _no_unit(number: str, preposition: str) -> BadValueError:
    """Return the question for a number that a size, a rate or a time is meant by."""
    after = "MB/s" if preposition.lower() in ("at", "with") else "min"
    return BadValueError(
        f'"{preposition} {number}" has no unit',
        where=_WHERE,
        mend=f"Write for example {preposition} {number} {after}",
    )


def _append(found: list[Quantity], quantity: Quantity, *, is_new: bool) -> None:
    before = found[-1] if found else None
    if before and not is_new and before.kind is quantity.kind and before.kind is not Kind.COUNT:
        found[-1] = Quantity(before.kind, before.value + quantity.value, before.is_divisor)
    else:
        found.append(quantity)


def _quantity(text: str, number: re.Match[str], decimal_point: str) -> tuple[Quantity, int]:
    """Return the quantity that starts with *number*, and where it ends."""
    if ":" in number[0]:
        return Quantity(Kind.TIME, parse_duration(number[0])), number.end()
    at = number.end()
    while at < len(text) and text[at].isspace():
        at += 1
    counted = _COUNTED.match(text, at)
    unit = None if counted or _JOIN.match(text, at) else _UNIT.match(text, at)
    if unit is None:
        count = parse_number(number[0], where=_WHERE, decimal_point=decimal_point, asks_back=True)
        if count <= 0:
            raise BadValueError(f"{number[0]} counts nothing", where=_WHERE, mend="Count from 1")
        end = counted.end() if counted else number.end()
        return Quantity(Kind.COUNT, count, counted=counted[0] if counted else ""), end
    term, name = f"{number[0]} {unit[0]}", unit[0].replace(" ", "")
    if _TIME_UNIT.fullmatch(name):
        value = parse_duration(term.lower(), where=_WHERE, decimal_point=decimal_point)
        return Quantity(Kind.TIME, value), unit.end()
    if "/" in name or "per" in name or name.endswith("ps"):
        value = parse_rate(term, where=_WHERE, decimal_point=decimal_point)
        return Quantity(Kind.RATE, value), unit.end()
    value = float(parse_size(term, where=_WHERE, decimal_point=decimal_point))
    return Quantity(Kind.SIZE, value), unit.end()


def quick_sum(text: str, *, decimal_point: str = ".") -> QuickAnswer:
    """Return what the line *text* comes to; "1 TB in GiB" asks for it in a unit.

    Raises BadValueError for what can't be read, has no unit, or can't be put together.
    """
    asked = _IN_UNIT.fullmatch(text)
    if asked is not None and not _COUNTED.fullmatch(asked["unit"]):
        answer, unit = quick_sum(asked["sum"], decimal_point=decimal_point), asked["unit"]
        if answer.kind is Kind.COUNT:
            raise BadValueError(
                f"a count has no unit {unit!r}", where=_WHERE, mend="Leave the unit out"
            )
        one = float(_UNIT_READERS[answer.kind](f"1 {unit}", where=_WHERE))
        return replace(answer, unit=unit, one_unit=one)
    parts = read_quantities(text, decimal_point=decimal_point)
    by_kind: dict[Kind, Quantity] = {}
    factor = 1.0
    for part in parts:
        if part.kind is Kind.COUNT:
            factor = factor / part.value if part.is_divisor else factor * part.value
        elif part.kind in by_kind:
            return _ratio(text, parts)
        else:
            by_kind[part.kind] = part
    kind, value = _put_together(by_kind, factor, text)
    return QuickAnswer(kind, value, parts)


def _put_together(by_kind: dict[Kind, Quantity], factor: float, text: str) -> tuple[Kind, float]:
    kinds = frozenset(by_kind)

    def of(kind: Kind) -> float:
        value = by_kind[kind].value
        if kinds != {kind} and value <= 0:
            raise BadValueError(
                f"a {kind.value} of 0 leads nowhere", where=_WHERE, mend="Write one above 0"
            )
        return value

    if kinds == {Kind.TIME, Kind.RATE}:
        return Kind.SIZE, of(Kind.TIME) * of(Kind.RATE) * factor
    if kinds == {Kind.SIZE, Kind.TIME}:
        return Kind.RATE, of(Kind.SIZE) * factor / of(Kind.TIME)
    if kinds == {Kind.SIZE, Kind.RATE}:
        return Kind.TIME, of(Kind.SIZE) * factor / of(Kind.RATE)
    if len(kinds) == 1:
        (kind,) = kinds
        return kind, of(kind) * factor
    if not kinds:
        raise BadValueError(
            f"{text.strip()!r} has no unit", where=_WHERE, mend=f"Write for example {EXAMPLE}"
        )
    raise BadValueError(
        "size, rate and time are all given", where=_WHERE, mend="Leave one out: it is the answer"
    )


def _ratio(text: str, parts: tuple[Quantity, ...]) -> QuickAnswer:
    """Return how many times one quantity goes into another of its kind: "4 TB / 500 GB"."""
    real = [part for part in parts if part.kind is not Kind.COUNT]
    if len(real) == 2 and real[0].kind is real[1].kind and real[1].is_divisor and real[1].value > 0:
        answer = QuickAnswer(Kind.COUNT, 0.0, parts)
        return QuickAnswer(Kind.COUNT, real[0].value / real[1].value * answer.factor, parts)
    raise BadValueError(
        f"{text.strip()!r} has two quantities of one kind",
        where=_WHERE,
        mend="Put / between them to divide, or leave one out",
    )


class Fit(StrEnum):
    """Whether a link carries a rate."""

    CARRIES = "carries it"
    ON_PAPER = "on paper only"
    """Below its ceiling, above what good bridges reach."""
    CANT = "can't"


def link_fits(
    rate_bytes_per_s: float, modes: Iterable[LinkMode]
) -> tuple[tuple[LinkMode, Fit], ...]:
    """Return for each of *modes* whether it carries the rate, slowest link first."""

    def fit(mode: LinkMode) -> Fit:
        if rate_bytes_per_s <= mode.typical_high_bytes_per_s:
            return Fit.CARRIES
        return Fit.ON_PAPER if rate_bytes_per_s <= mode.ceiling_bytes_per_s else Fit.CANT

    ordered = sorted(modes, key=lambda mode: mode.ceiling_bytes_per_s)
    return tuple((mode, fit(mode)) for mode in ordered)
