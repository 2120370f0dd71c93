"""Why a drive slowed down: the causes, and what a diagnosis says of them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

from vastcellar.core.diagnosis.levels import Dip, Drop
from vastcellar.core.said import Said, said


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


class Why(StrEnum):
    """The kinds of reasons that a cause is named for: each is measured by itself for wrong ones."""

    COOL = "too cool to throttle"
    HOTTER_BEFORE = "ran hotter at full rate"
    COOLED = "cooled and stayed slow"
    TOO_EARLY = "too few bytes to warm it"
    SWINGS = "swings past the cache only"
    TOO_DEEP = "deeper than a first stage"
    OTHER_HEAT = "same fall at another temperature"
    SAME_BYTES = "same fall after the same bytes"
    LIKE_OTHER_RUN = "same fall as in another run"
    ABOVE_LOW = "stayed above the throttle's low"
    BEFORE_STAGE = "before the stage of a later sawtooth"
    NOT_BOTH_HEAT = "two stages can't do both"
    CLIFF_ELSEWHERE = "the cache ran out elsewhere"
    SECOND_NOT_HOTTER = "a second stage would be hotter"
    SEVERAL_DROPS = "several lasting drops"
    FAN = "the run with a fan"
    SAWTOOTH = "a sawtooth"
    RANDOM_LOWS = "lows at random"
    OVER_LINK = "more than the link carries"
    AT_LINK = "flat at the link"
    FLAT = "flat below the link"
    OPEN = "open"


@dataclass(frozen=True, slots=True)
class Reason:
    """What speaks for a cause or against one: its kind, and what is to be said of it."""

    why: Why
    said: Said


@dataclass(frozen=True, slots=True)
class Finding:
    """What was found at a place of the trace, and the evidence for it.

    ``cause`` is None where several are left; those are the ``candidates``.
    """

    cause: Cause | None
    at_s: float
    at_bytes: float
    said: tuple[Said, ...]
    candidates: tuple[Cause, ...] = ()
    why: Why = Why.OPEN


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
    burst: Estimate
    """The rate of the first level, in bytes per second."""
    sustained_bytes_per_s: float
    knee_bytes: Estimate | None
    rate_after_cache_bytes_per_s: Estimate | None
    throttle_c: Estimate | None
    seen_bytes: float
    seen_s: float
    drops: tuple[Drop, ...]
    dips: tuple[Dip, ...]

    @property
    def burst_bytes_per_s(self) -> float:
        """The rate of the first level."""
        return self.burst.value

    @property
    def cause_names(self) -> list[str]:
        """The causes by name; ``["cannot_tell"]`` alone where there is none."""
        return [cause.value for cause in self.causes] or [CANNOT_TELL]


def in_doubt(found: Diagnosis, disturbed_by: str) -> Diagnosis:
    """Return *found* of a run that was *disturbed_by* something: it names no cause any more.

    What it would have named is left as candidates; nothing of it calibrates the unit.
    """
    left = tuple(dict.fromkeys((*found.causes, *found.candidates)))
    end = found.findings[-1] if found.findings else None
    note = Finding(
        None, end.at_s if end else found.seen_s, end.at_bytes if end else found.seen_bytes,
        (said("disturbed", by=disturbed_by),), left,
    )  # fmt: skip
    return replace(
        found, causes=(), candidates=left,
        deciding_test="Run it again with nothing else going on", findings=(note,),
        knee_bytes=None, rate_after_cache_bytes_per_s=None, throttle_c=None,
    )  # fmt: skip
