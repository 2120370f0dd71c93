"""How busy the computer is with other things, before a test begins."""

from __future__ import annotations

import os
from dataclasses import dataclass

import psutil

from vastcellar.core.verdict.disturbed import is_busy


@dataclass(frozen=True, slots=True)
class OtherLoad:
    """Share of all cores in use, and the load average of the last minute."""

    cpu_share: float
    load_average: float

    @property
    def warning(self) -> str:
        """Say that it was busy, "" where it wasn't."""
        if not is_busy(self.cpu_share):
            return ""
        return (
            f"the computer was busy with other things before the test ({self.cpu_share:.0%} of "
            "its cores): figures may be low"
        )


def read_other_load(for_s: float = 0.15) -> OtherLoad:
    """Return the load over the next *for_s* seconds."""
    return OtherLoad(psutil.cpu_percent(interval=for_s) / 100, os.getloadavg()[0])
