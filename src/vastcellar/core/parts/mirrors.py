"""Disks mirrored in pairs: what can be used of them, and what is wasted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.checks import require_above_zero
from vastcellar.core.errors import BadValueError


@dataclass(frozen=True, slots=True)
class MirroredPairs:
    """Disks that are mirrored two by two, the larger of each pair first."""

    pairs: tuple[tuple[float, float], ...]
    """Bytes of either disk."""

    @property
    def usable_bytes(self) -> float:
        """What can be written: of each pair the smaller disk."""
        return sum(smaller for _, smaller in self.pairs)

    @property
    def protective_bytes(self) -> float:
        """The same again, so that one disk of a pair may fail."""
        return self.usable_bytes

    @property
    def wasted_bytes(self) -> float:
        """What of the larger disk of each pair nothing is written to."""
        return sum(larger - smaller for larger, smaller in self.pairs)


def mirrored_pairs(sizes_bytes: Sequence[float]) -> MirroredPairs:
    """Return the pairs that waste least: the two largest together, then the next two.

    Raises BadValueError for an odd number of disks, for none, or for a size of nothing.
    """
    if not sizes_bytes or len(sizes_bytes) % 2:
        raise BadValueError(
            f"{len(sizes_bytes)} disks can't be mirrored in pairs",
            where="bays",
            mend="Fill an even number of bays",
        )
    for number, size in enumerate(sizes_bytes, start=1):
        require_above_zero(f"bay {number}", size_bytes=size)
    falling = sorted(sizes_bytes, reverse=True)
    return MirroredPairs(tuple(zip(falling[::2], falling[1::2], strict=True)))
