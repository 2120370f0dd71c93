"""Guaranteed minimum write rates printed on cards, and whether they alone answer for a need."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.errors import UnknownPartError


@dataclass(frozen=True, slots=True)
class Guarantee:
    """A class or profile, and the bytes per second that a card of it never falls below."""

    name: str
    write_bytes_per_s: float


VIDEO_SPEED_CLASSES = tuple(Guarantee(f"V{mb}", mb * 1e6) for mb in (6, 10, 30, 60, 90))
"""SD Association, video speed class: the number is MB/s."""

VIDEO_PERFORMANCE_PROFILES = tuple(
    Guarantee(f"VPG{mb}", mb * 1e6) for mb in (20, 65, 130, 200, 400)
)
"""CompactFlash Association, video performance guarantee: the number is MB/s."""

GUARANTEES = tuple(
    sorted((*VIDEO_SPEED_CLASSES, *VIDEO_PERFORMANCE_PROFILES), key=lambda g: g.write_bytes_per_s)
)
"""Both families, slowest first."""


@dataclass(frozen=True, slots=True)
class GuaranteeMargin:
    """What a guarantee leaves above a need, as a share of the need; below 0 it doesn't cover it."""

    guarantee: Guarantee
    margin: float

    @property
    def covers(self) -> bool:
        """Whether the guarantee alone satisfies the need."""
        return self.margin >= 0


def find_guarantee(name: str) -> Guarantee:
    """Return the guarantee called *name*. Raises UnknownPartError where there is none."""
    for guarantee in GUARANTEES:
        if guarantee.name == name.strip().upper():
            return guarantee
    raise UnknownPartError(
        f"there is no guaranteed class {name!r}",
        where="guaranteed class",
        mend=f"Use one of {', '.join(g.name for g in GUARANTEES)}",
    )


def guarantee_margins(needed_bytes_per_s: float) -> tuple[GuaranteeMargin, ...]:
    """Return for every guarantee what it leaves above *needed_bytes_per_s*, slowest first."""
    return tuple(
        GuaranteeMargin(guarantee, guarantee.write_bytes_per_s / needed_bytes_per_s - 1)
        for guarantee in GUARANTEES
    )


def guarantees_around(needed_bytes_per_s: float, count: int = 3) -> tuple[Guarantee, ...]:
    """Return the guarantees that matter for a need: the next below it and those just above."""
    above = [g for g in GUARANTEES if g.write_bytes_per_s >= needed_bytes_per_s][: count - 1]
    below = [g for g in GUARANTEES if g.write_bytes_per_s < needed_bytes_per_s]
    return (*below[-(count - len(above)) :], *above)
