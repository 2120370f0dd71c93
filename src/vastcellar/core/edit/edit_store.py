"""A store and the way from its disks to the desks: every stage with what it carries."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.edit.arrays import Array
from vastcellar.core.links.links import LinkMode

ROUND_TRIP_S = 0.5e-3
"""From a desk to a store and back, of a small question: typical of a switch between them."""
KEPT_FREE_SHARE = 0.1
"""Of a store: fuller ones grow slow, and some file systems fall to pieces."""


class StageKind(StrEnum):
    """What stands between the editors and their pictures."""

    DISKS = "disks"
    ENCRYPTION = "encryption"
    HUB = "hub"
    PORT = "port"
    SWITCH = "switch"
    DESK = "desk"


@dataclass(frozen=True, slots=True)
class Stage:
    """A link or a step on the way, and what it carries."""

    kind: StageKind
    name: str
    bytes_per_s: float
    is_per_desk: bool = False
    """Whether each desk has one of its own."""
    is_duplex: bool = True
    """Whether what is written goes beside what is read, and not in its place."""
    how: str = ""
    """Where the figure comes from, for its sum."""

    def __post_init__(self) -> None:
        require_above_zero(f"stage {self.name!r}", bytes_per_s=self.bytes_per_s)


@dataclass(frozen=True)
class EditStore:
    """Disks, as full as they are, and the stages between them and whoever plays from them."""

    name: str
    array: Array
    stages: tuple[Stage, ...] = ()
    filled_share: float = 0.0
    round_trip_s: float = 0.0
    """0 for a drive at the computer itself."""
    price: float = 0.0
    """Of all of it; 0 where nobody knows."""
    rebuild_bytes_per_s: float = 0.0
    """A disk, while others work on it; 0 for the typical share."""
    disk_time_share: float = 1.0
    """Of its disks' time, what is left for those who work: less while one is rebuilt."""

    def __post_init__(self) -> None:
        where = f"store {self.name!r}"
        require_between(where, 0.0, 1.0, filled_share=self.filled_share)
        require_between(where, 0.0, 1.0, round_trip_s=self.round_trip_s)
        require_between(where, 0.0, 1.0, disk_time_share=self.disk_time_share)
        require_not_negative(
            where, price=self.price, rebuild_bytes_per_s=self.rebuild_bytes_per_s
        )  # fmt: skip

    @property
    def narrowest(self) -> Stage | None:
        """The stage that carries least; None where the disks are all there is."""
        return min(self.stages, key=lambda stage: stage.bytes_per_s, default=None)

    def filled(self, share: float) -> EditStore:
        """Return the same store, filled that far."""
        return replace(self, filled_share=share)


def network_bytes_per_s(
    mode: LinkMode, window_bytes: float = 0.0, round_trip_s: float = 0.0
) -> float:
    """Return what file sharing carries over a network link in use.

    Args:
        mode: of the link, with its frames' efficiency; file sharing leaves its typical share.
        window_bytes: what may be on its way unanswered, of one connection; 0 where that is enough.
        round_trip_s: until an answer comes.

    References:
        throughput of one connection <= window / round trip.

    """
    require_not_negative("network", window_bytes=window_bytes, round_trip_s=round_trip_s)
    carried = mode.typical_bytes_per_s
    if window_bytes > 0 and round_trip_s > 0:
        carried = min(carried, window_bytes / round_trip_s)
    return carried
