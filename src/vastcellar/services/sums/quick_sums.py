"""The quick sum in words: the answer in both families of units, and the links that carry it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from vastcellar.core.links.links import LinkMode
from vastcellar.core.links.quick_sum import Fit, Kind, QuickAnswer, link_fits, quick_sum
from vastcellar.core.units import GB, GIB, MB, MIB, TB, TIB, NumberFormat
from vastcellar.services.sums.sum_lines import SumLine

EXAMPLES = (
    "4 TB in 30 min",
    "52 min at 160 MB/s x 3 copies",
    "47 GB at 180 MB/s",
    "1274 Mb/s",
    "1 TB",
)


@dataclass(frozen=True, slots=True)
class LinkFit:
    """One link held against the rate."""

    mode: LinkMode
    fit: Fit


@dataclass(frozen=True)
class AnsweredSum:
    """What a line comes to, ready to be read."""

    answer: QuickAnswer
    headline: str
    lines: tuple[SumLine, ...]
    links: tuple[LinkFit, ...]
    verdict: str
    """What the links say of a rate; "" where that isn't the question."""


def answer_line(text: str, modes: Mapping[str, LinkMode], fmt: NumberFormat) -> AnsweredSum:
    """Return what *text* comes to. Raises BadValueError for what can't be read."""
    answer = quick_sum(text, decimal_point=fmt.decimal_point)
    lines: tuple[SumLine, ...] = ()
    links: tuple[LinkFit, ...] = ()
    verdict = ""
    if answer.kind is Kind.SIZE:
        headline, lines = fmt.size(answer.value), size_lines(answer.value, fmt)
    elif answer.kind is Kind.RATE:
        decimals = 0 if answer.value >= GB else 2
        headline, lines = fmt.rate(answer.value, decimals), rate_lines(answer.value, fmt)
        links = tuple(LinkFit(*each) for each in link_fits(answer.value, modes.values()))
        verdict = link_verdict(links)
    elif answer.kind is Kind.TIME:
        headline = fmt.duration(answer.value)
        lines = (
            SumLine("in seconds", "", f"{fmt.number(answer.value, 1)} s"),
            SumLine("in hours", "÷ 3600", f"{fmt.number(answer.value / 3600)} h"),
        )
    else:
        headline = f"{fmt.number(answer.value)} ×"
    reckoned = reckoning(answer, fmt)
    if answer.unit:
        reckoned = reckoned or f"{headline} ÷ {_bare(answer, fmt)}"
        headline = f"{fmt.number(answer.in_unit)} {answer.unit}"
    if reckoned:
        lines = (SumLine("sum", reckoned, headline), *lines)
    return AnsweredSum(answer, headline, lines, links, verdict)


def _bare(answer: QuickAnswer, fmt: NumberFormat) -> str:
    """Say what one of the unit asked for is."""
    if answer.kind is Kind.SIZE:
        return fmt.size(answer.one_unit)
    return fmt.rate(answer.one_unit) if answer.kind is Kind.RATE else fmt.duration(answer.one_unit)


def reckoning(answer: QuickAnswer, fmt: NumberFormat) -> str:
    """Return the arithmetic of *answer* as one line, "" where there was none."""
    size, rate, time = (answer.part(kind) for kind in (Kind.SIZE, Kind.RATE, Kind.TIME))
    factor = "" if answer.factor == 1 else f" × {fmt.number(answer.factor)}"
    if answer.kind is Kind.SIZE and rate is not None and time is not None:
        return f"{fmt.duration(time)} × {fmt.rate(rate)}{factor}"
    if answer.kind is Kind.RATE and size is not None and time is not None:
        return f"{fmt.size(size)}{factor} ÷ {fmt.duration(time)}"
    if answer.kind is Kind.TIME and size is not None and rate is not None:
        return f"{fmt.size(size)}{factor} ÷ {fmt.rate(rate)}"
    if answer.kind is Kind.COUNT or not factor:
        return ""
    single: dict[Kind, tuple[float | None, Callable[[float], str]]] = {
        Kind.SIZE: (size, fmt.size),
        Kind.RATE: (rate, fmt.rate),
        Kind.TIME: (time, fmt.duration),
    }
    value, show = single[answer.kind]
    return f"{show(value)}{factor}" if value is not None else ""


_FAMILIES = ((TB, "TB", TIB, "TiB"), (GB, "GB", GIB, "GiB"), (MB, "MB", MIB, "MiB"))


def size_lines(size_bytes: float, fmt: NumberFormat) -> tuple[SumLine, ...]:
    """Return a size in both families, and why a drive of it shows a smaller number."""
    decimal, unit, binary, binary_unit = next(
        (family for family in _FAMILIES if size_bytes >= family[0]), _FAMILIES[-1]
    )
    # A new 1 TB drive is shown in the next smaller unit: 931, not 0.91.
    shown_decimal, shown_unit, shown_binary, _ = (
        _FAMILIES[1]
        if decimal == TB
        else (
            decimal,
            unit,
            binary,
            binary_unit,
        )
    )
    less = fmt.percent(1 - shown_decimal / shown_binary)
    shown = fmt.number(size_bytes / shown_binary, 0)
    return (
        SumLine("decimal", f"1 {unit} = 10^{len(str(decimal)) - 1} bytes", fmt.size(size_bytes)),
        SumLine(
            "binary",
            f"1 {binary_unit} = 2^{binary.bit_length() - 1} bytes",
            f"{fmt.number(size_bytes / binary, 2)} {binary_unit}",
        ),
        SumLine(
            f"shown by some computers as {shown} “{shown_unit}”",
            f"they divide by 2^{shown_binary.bit_length() - 1} and write {shown_unit}: the number "
            f"is {less} lower, nothing is missing",
            fmt.number(size_bytes / shown_binary),
        ),
        SumLine("in bytes", "", fmt.number(size_bytes, 0)),
    )


def rate_lines(bytes_per_s: float, fmt: NumberFormat) -> tuple[SumLine, ...]:
    """Return a rate in bits and in binary, an hour of it, and how long 1 TB lasts."""
    return (
        SumLine("in bits", "× 8", fmt.bit_rate(bytes_per_s)),
        SumLine("binary", "÷ 2^20", f"{fmt.number(bytes_per_s / MIB)} MiB/s"),
        SumLine("an hour", "× 3600 s", fmt.size(bytes_per_s * 3600)),
        SumLine(
            "1 TB lasts", "1 TB ÷ rate", fmt.duration(TB / bytes_per_s) if bytes_per_s else "–"
        ),
    )


def link_verdict(links: tuple[LinkFit, ...]) -> str:
    """Return in a sentence which USB link is the slowest that carries the rate."""
    wired = [each for each in links if each.mode.key.startswith("usb")]
    carrying = [each.mode for each in wired if each.fit is Fit.CARRIES]
    failing = [each.mode for each in wired if each.fit is not Fit.CARRIES]
    if not carrying:
        return "More than any link carries in use."
    enough = carrying[0].short
    over = [mode for mode in failing if mode.ceiling_bytes_per_s < carrying[0].ceiling_bytes_per_s]
    if not over:
        return f"Every link carries it, {enough} too."
    return f"More than a {over[-1].short} link carries in use; {enough} does."
