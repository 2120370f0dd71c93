"""Why a drive slowed down: the causes, and what a diagnosis says of them."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.diagnosis.levels import Dip, Drop


class Cause(StrEnum):
    """What can stand behind a trace; several can hold."""

    CACHE = "cache"
    """The fast cache was full."""
    THERMAL = "thermal"
    """The drive throttled, hot."""
    LINK = "link"
    """Flat at the ceiling of the link."""
    INCONSISTENT = "inconsistent"
    """Lows at random: a bad sample."""
    HOST_CACHE = "host_cache"
    """The host's memory flattered the start."""
    HEALTHY = "healthy"
    """Flat below the link's ceiling."""


CANNOT_TELL = "cannot_tell"
SENSOR_K = 2.0
"""A sensor lags and is polled now and then: so far off may be the temperature of a fall."""


@dataclass(frozen=True, slots=True)
class Estimate:
    """A figure with the interval that it lies in, as far as the trace tells."""

    value: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Finding:
    """What was found at a place of the trace, and the evidence for it.

    ``cause`` is None where several are left; those are the ``candidates``.
    """

    cause: Cause | None
    at_s: float
    at_bytes: float
    evidence: str
    candidates: tuple[Cause, ...] = ()


@dataclass(frozen=True)
class Diagnosis:
    """The causes of a trace's slowdowns, with evidence; it promises nothing beyond the bytes seen.

    ``causes`` is empty where nothing could be told; ``candidates`` are what is left of it, or of
    the places still open beside the causes found.
    """

    causes: tuple[Cause, ...]
    candidates: tuple[Cause, ...]
    deciding_test: str
    findings: tuple[Finding, ...]
    burst_bytes_per_s: float
    sustained_bytes_per_s: float
    knee_bytes: Estimate | None
    rate_after_cache_bytes_per_s: Estimate | None
    throttle_c: Estimate | None
    seen_bytes: float
    seen_s: float
    drops: tuple[Drop, ...]
    dips: tuple[Dip, ...]

    @property
    def cause_names(self) -> list[str]:
        """The causes by name; ``["cannot_tell"]`` alone where there is none."""
        return [cause.value for cause in self.causes] or [CANNOT_TELL]
