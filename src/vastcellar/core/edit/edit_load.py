"""What editors ask of a store: streams with their read-ahead, and what goes on beside them."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.edit_plan import Beside

MOST_DESKS = 64

__all__ = ["Beside", "EditLoad", "StreamKind", "require_streams"]


@dataclass(frozen=True, slots=True)
class StreamKind:
    """A stream as it is played: its rate, and how far ahead of the playhead it is read."""

    name: str
    bytes_per_s: float
    frames_per_s: float
    read_ahead_s: float = 0.5
    block_bytes: float = 0.0
    """Read at once, before another stream has its turn; 0 for the whole read-ahead."""

    def __post_init__(self) -> None:
        where = f"stream {self.name!r}"
        require_above_zero(
            where,
            bytes_per_s=self.bytes_per_s,
            frames_per_s=self.frames_per_s,
            read_ahead_s=self.read_ahead_s,
        )
        require_not_negative(where, block_bytes=self.block_bytes)
        require_between(where, 0.0, 60.0, read_ahead_s=self.read_ahead_s)

    @property
    def visit_bytes(self) -> float:
        """What one visit of the disks brings."""
        return self.block_bytes or self.ahead_bytes

    @property
    def ahead_bytes(self) -> float:
        """What is read ahead of the playhead."""
        return self.bytes_per_s * self.read_ahead_s

    @property
    def frame_bytes(self) -> float:
        """Of one frame."""
        return self.bytes_per_s / self.frames_per_s


@dataclass(frozen=True, slots=True)
class EditLoad:
    """Streams of one kind, evenly at so many desks, and what goes on beside them."""

    stream: StreamKind
    desks: int = 1
    beside: tuple[Beside, ...] = ()

    def __post_init__(self) -> None:
        require_between("load", 1, MOST_DESKS, desks=self.desks)

    @property
    def written_beside_bytes_per_s(self) -> float:
        """All that is written meanwhile."""
        return sum(each.write_bytes_per_s for each in self.beside)

    @property
    def read_beside_bytes_per_s(self) -> float:
        """All that is read meanwhile, without a deadline."""
        return sum(each.read_bytes_per_s for each in self.beside)


def require_streams(count: int) -> None:
    """Raise BadValueError for no stream at all."""
    if count < 1:
        raise BadValueError(f"{count} streams", where="streams", mend="Ask for one or more")
