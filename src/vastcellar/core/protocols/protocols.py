"""Protocols: named sets of tests for a job, with their pauses and what is to be done between."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.checks import require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.protocols.amounts import Amount


class StepKind(StrEnum):
    """What a step of a protocol does."""

    BURST = "burst"
    WRITE = "write"
    READ = "read"
    RECORD = "record"
    EDIT = "edit"
    PROJECT = "project"
    CAPACITY = "capacity"
    OFFLOAD = "offload"
    PAUSE = "pause"


@dataclass(frozen=True, slots=True)
class ProtocolStep:
    """One test, or one pause. What isn't given follows from the place and the camera."""

    kind: StepKind
    times: int = 1
    size_bytes: int = 0
    share_of_free: float = 0.0
    most_s: float = 0.0
    until_steady: bool = False
    pause_s: float = 0.0
    instruction: str = ""
    """What somebody has to do before it; the protocol waits for them."""

    def __post_init__(self) -> None:
        require_not_negative(f"step {self.kind}", pause_s=self.pause_s)
        if self.times < 1:
            raise BadValueError(
                f"it is done {self.times} times", where=f"step {self.kind}", mend="Give 1 or more"
            )
        _ = self.amount  # checks itself

    @property
    def amount(self) -> Amount:
        """What bounds it."""
        return Amount(self.size_bytes, self.share_of_free, self.most_s, self.until_steady)

    def bytes_of(self, room_bytes: int, default_bytes: int) -> int:
        """Return how many bytes the step writes at most, where so many may be filled."""
        return min(self.amount.bytes_of(room_bytes, default_bytes), room_bytes)


@dataclass(frozen=True, slots=True)
class Protocol:
    """A named set of steps."""

    key: str
    name: str
    purpose: str
    steps: tuple[ProtocolStep, ...]
    is_cooling_pair: bool = False
    """Whether its two writes are a run from rest and the same with a fan."""

    def __post_init__(self) -> None:
        if not self.steps:
            raise BadValueError("it has no step", where=f"protocol {self.key}", mend="Add one")
        writes = sum(step.times for step in self.steps if step.kind is StepKind.WRITE)
        if self.is_cooling_pair and writes != 2:
            raise BadValueError(
                f"a cooling pair has two writes, this has {writes}",
                where=f"protocol {self.key}",
                mend="Give a write from rest, a pause, and a write with a fan",
            )
