"""What a sum is: steps with what they are, how they are reckoned, and what comes out."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.evidence import Evidence


@dataclass(frozen=True, slots=True)
class SumLine:
    """One step: what it is, how it is reckoned, what comes out."""

    label: str
    reckoning: str
    value: str


@dataclass(frozen=True, slots=True)
class Sum:
    """The arithmetic of one figure."""

    key: str
    title: str
    lines: tuple[SumLine, ...]
    source: str
    evidence: Evidence
