"""The bill of materials: what is bought, what is reused, and what it comes to per anything."""

from __future__ import annotations

import math
from dataclasses import dataclass

from vastcellar.core.checks import require_not_negative

TB = 1e12
MB = 1e6


@dataclass(frozen=True, slots=True)
class Worth:
    """What something costs against what it is: the same for a build and what stands beside it."""

    price: float
    capacity_bytes: float
    lasting_bytes_per_s: float
    """What it writes all day; 0 where that isn't known."""
    tbw_bytes: float
    """Rated endurance; 0 where none is."""

    @property
    def per_tb(self) -> float:
        """For each TB."""
        return self.price / (self.capacity_bytes / TB)

    @property
    def per_lasting_mb_per_s(self) -> float:
        """For each MB/s that lasts; infinite where none is known to."""
        lasting = self.lasting_bytes_per_s / MB
        return self.price / lasting if lasting > 0 else math.inf

    @property
    def per_endurance_tb(self) -> float:
        """For each TB of rated endurance; infinite where none is rated."""
        return self.price / (self.tbw_bytes / TB) if self.tbw_bytes > 0 else math.inf


@dataclass(frozen=True, slots=True)
class BillLine:
    """One thing that goes in, or is needed to put it in."""

    name: str
    price: float
    """Of all of them."""
    kind: str = "part"
    """"part", "consumable", "tool" or "print"."""
    reused_from: str = ""
    """The unit or place that it comes from: nothing is paid for it."""
    delivery_days: float | None = None
    """None where nobody knows."""
    count: int = 1

    def __post_init__(self) -> None:
        require_not_negative(f"bill: {self.name}", price=self.price)

    @property
    def to_pay(self) -> float:
        """What it costs now."""
        return 0.0 if self.reused_from else self.price


@dataclass(frozen=True)
class Bill:
    """All lines, with what the build then is."""

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
    def delivery_days(self) -> float | None:
        """Until the last thing is there; None where that of one of them isn't known."""
        bought = [line.delivery_days for line in self.lines if line.to_pay > 0]
        known = [days for days in bought if days is not None]
        return None if len(known) < len(bought) else max(known, default=0.0)

    @property
    def worth(self) -> Worth:
        """All new, against what it is."""
        return Worth(self.all_new, self.capacity_bytes, self.lasting_bytes_per_s, self.tbw_bytes)
