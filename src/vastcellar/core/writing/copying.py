"""A copy from one disk to another: it runs as fast as the slowest of what lies between."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from vastcellar.core.checks import require_above_zero
from vastcellar.core.errors import BadValueError


@dataclass(frozen=True, slots=True)
class CopyStage:
    """One thing that a copy runs through: what it carries at most, in bytes per second."""

    name: str
    bytes_per_s: float

    def __post_init__(self) -> None:
        require_above_zero(self.name, bytes_per_s=self.bytes_per_s)


@dataclass(frozen=True, slots=True)
class CopyRate:
    """How fast a copy runs, what sets it, and what each other stage could have done more."""

    bytes_per_s: float
    limit: CopyStage
    wasted: tuple[tuple[CopyStage, float], ...]
    """For each other stage the share of its rate that can't be used."""


def copy_rate(stages: Iterable[CopyStage]) -> CopyRate:
    """Return how fast a copy through *stages* runs: the card or disk read from, its reader and
    link, the host's own disk if the copy passes it, the link and drive written to.

    Raises BadValueError without a stage.
    """
    known = tuple(stages)
    if not known:
        raise BadValueError("nothing is copied", where="copy", mend="Name both ends")
    limit = min(known, key=lambda stage: stage.bytes_per_s)
    wasted = tuple(
        (stage, 1 - limit.bytes_per_s / stage.bytes_per_s) for stage in known if stage is not limit
    )
    return CopyRate(limit.bytes_per_s, limit, wasted)


def what_a_faster_part_gains(stages: Iterable[CopyStage], name: str, faster: float) -> float:
    """Return how many times faster the copy runs with the stage *name* at *faster*: 1 for not.

    Raises BadValueError where no stage has that name.
    """
    known = tuple(stages)
    if all(stage.name != name for stage in known):
        raise BadValueError(
            f"the copy has no stage {name!r}",
            where="copy",
            mend=f"Use one of {', '.join(stage.name for stage in known)}",
        )
    changed = [CopyStage(s.name, faster if s.name == name else s.bytes_per_s) for s in known]
    return copy_rate(changed).bytes_per_s / copy_rate(known).bytes_per_s
