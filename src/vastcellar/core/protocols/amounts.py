"""How much a test writes, as it is typed: "300 GB", "40 %", "20 min", "until steady"."""

from __future__ import annotations

import re
from dataclasses import dataclass

from vastcellar.core.checks import require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.units import GB, KB, MB, PLAIN, TB, NumberFormat, parse_duration, parse_size

HINT = "300 GB, 40 % (of what may be filled), 20 min, until steady; or 300 GB up to 20 min"

_STEADY = r"(?:until )?steady"
_SHARE = r"(\d+(?:[.,]\d+)?) ?%(?: of free)?"
_UP_TO = r"up to ((?:\d+(?:[.,]\d+)? ?[a-z]+ ?)+)"


@dataclass(frozen=True, slots=True)
class Amount:
    """What bounds a test; whatever comes first ends it. Nothing given: the room there is."""

    size_bytes: int = 0
    share_of_free: float = 0.0
    most_s: float = 0.0
    until_steady: bool = False

    def __post_init__(self) -> None:
        require_not_negative("amount", size_bytes=self.size_bytes, most_s=self.most_s)
        if not 0 <= self.share_of_free <= 1:
            raise BadValueError(
                f"share_of_free is {self.share_of_free}",
                where="amount",
                mend="Give a share from 0 to 1",
            )

    def bytes_of(self, room_bytes: int, default_bytes: int) -> int:
        """Return the bytes asked for where *room_bytes* may be filled: maybe more than that."""
        if self.share_of_free:
            return int(room_bytes * self.share_of_free)
        return self.size_bytes or default_bytes


def take_amount(text: str, where: str, decimal_point: str) -> tuple[Amount, str]:
    """Return the amount in *text* and what else it says. Raises BadValueError."""
    rest, share, most_s = text, 0.0, 0.0
    steady = re.search(_STEADY, rest, re.IGNORECASE)
    rest = _without(rest, steady)
    if found := re.search(_SHARE, rest, re.IGNORECASE):
        share = float(found.group(1).replace(",", ".")) / 100
        if not 0 < share <= 1:
            raise BadValueError(
                f"{found.group(1)} % is no share", where=where, mend="Give 1 to 100 %"
            )
        rest = _without(rest, found)
    if found := re.search(_UP_TO, rest, re.IGNORECASE):
        most_s = parse_duration(found.group(1), where=where, decimal_point=decimal_point)
        rest = _without(rest, found)
    return Amount(0, share, most_s, steady is not None), rest


def _without(text: str, found: re.Match[str] | None) -> str:
    return f"{text[: found.start()]} {text[found.end() :]}".strip() if found else text


def parse_amount(text: str, *, where: str = "Amount", decimal_point: str = ".") -> Amount:
    """Return the amount that *text* names, a time by itself included.

    Raises BadValueError for what is no amount, and for one of nothing.
    """
    amount, rest = take_amount(text.strip(), where, decimal_point)
    size = 0.0
    if rest and not amount.most_s and not amount.share_of_free:
        try:
            size = parse_size(rest, where=where, decimal_point=decimal_point)
        except BadValueError:
            if not (seconds := _duration_or_0(rest, where, decimal_point)):
                raise
            amount = Amount(most_s=seconds, until_steady=amount.until_steady)
    elif rest:
        size = parse_size(rest, where=where, decimal_point=decimal_point)
    made = Amount(int(size), amount.share_of_free, amount.most_s, amount.until_steady)
    if made == Amount():
        raise BadValueError("nothing would be written", where=where, mend=f"Write {HINT}")
    return made


def _duration_or_0(text: str, where: str, decimal_point: str) -> float:
    try:
        return parse_duration(text, where=where, decimal_point=decimal_point)
    except BadValueError:
        return 0.0


def amount_text(amount: Amount, fmt: NumberFormat = PLAIN) -> str:
    """Return *amount* as ``parse_amount`` reads it."""
    words = []
    if amount.share_of_free:
        words.append(f"{fmt.number(amount.share_of_free * 100, 0)} %")
    elif amount.size_bytes:
        words.append(exact_size(amount.size_bytes, fmt))
    if amount.most_s:
        words.append(f"{'up to ' if words else ''}{exactly(amount.most_s)}")
    if amount.until_steady:
        words.append("until steady")
    return " ".join(words)


def exact_size(size_bytes: int, fmt: NumberFormat = PLAIN) -> str:
    """Return a size to the byte, in the largest unit that needs no more than two decimals.

    Three would read as thousands set apart.
    """
    for factor, unit in ((TB, "TB"), (GB, "GB"), (MB, "MB"), (KB, "kB")):
        hundredths, left = divmod(size_bytes * 100, factor)
        if hundredths >= 100 and not left:
            text = f"{hundredths / 100:.2f}".rstrip("0").rstrip(".")
            return f"{text.replace('.', fmt.decimal_point)} {unit}"
    return f"{size_bytes} B"


def exactly(seconds: float) -> str:
    """Return a time to the second: what is shown to be read may be rounded, this is read back."""
    hours, left = divmod(seconds, 3600)
    minutes, rest = divmod(left, 60)
    parts = [(hours, "h"), (minutes, "min"), (rest, "s")]
    return " ".join(f"{value:g} {unit}" for value, unit in parts if value) or "0 s"
