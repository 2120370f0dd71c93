"""The bill of materials: what is bought, what is reused, and what it comes to per anything."""

from __future__ import annotations

import math
from dataclasses import dataclass

from vastcellar.core.checks import require_not_negative

TB = 1e12
MB = 1e6


@dataclass(frozen=True, slots=True)
class BillLine:
    """One thing that goes in, or is needed to put it in."""

    name: str
    price: float
    kind: str = "part"
    """"part", "consumable", "tool" or "print"."""
    reused_from: str = ""
    """The unit or place that it comes from: nothing is paid for it."""

    def __post_init__(self) -> None:
        require_not_negative(f"bill: {self.name}", price=self.price)

    @property
    def to_pay(self) -> float:
        """What it costs now."""
        return 0.0 if self.reused_from else self.price


@dataclass(frozen=True)
class Bill:
    """All lines, with what the unit then is."""

    lines: tuple[BillLine, ...]
    capacity_bytes: float
    lasting_bytes_per_s: float
    """What it writes all day in this build; 0 where that isn't known."""
    tbw_bytes: float

    @property
    def to_pay(self) -> float:
        """What is to be bought."""
        return sum(line.to_pay for line in self.lines)

    @property
    def all_new(self) -> float:
        """What it would be without anything at hand; tools aren't used up."""
        return sum(line.price for line in self.lines if line.kind != "tool")

    @property
    def per_tb(self) -> float:
        """All new, for each TB."""
        return self.all_new / (self.capacity_bytes / TB)

    @property
    def per_lasting_mb_per_s(self) -> float:
        """All new, for each MB/s that lasts; infinite where none is known to."""
        lasting = self.lasting_bytes_per_s / MB
        return self.all_new / lasting if lasting > 0 else math.inf

    @property
    def per_endurance_tb(self) -> float:
        """All new, for each TB of rated endurance; infinite where none is rated."""
        return self.all_new / (self.tbw_bytes / TB) if self.tbw_bytes > 0 else math.inf
