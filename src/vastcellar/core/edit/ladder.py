"""The stream ladder: what each stage gives to so many streams, and which of them ends it."""

from __future__ import annotations

import bisect
import math
from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.edit.edit_load import Beside, EditLoad, require_streams
from vastcellar.core.edit.edit_store import EditStore, Stage, StageKind

MOST_STREAMS = 1024
_EVEN = 1e-9
_ALL_RUNGS = 24
"""So many are reckoned one by one; of a longer ladder those about its end."""
_MINUTE_S = 60.0


@dataclass(frozen=True, slots=True)
class Given:
    """What a stage gives to the streams of a rung."""

    kind: StageKind
    name: str
    bytes_per_s: float


@dataclass(frozen=True)
class Rung:
    """So many streams at once."""

    streams: int
    asked_bytes_per_s: float
    given: tuple[Given, ...]
    """The disks first, then the stages on their way."""
    late_frames_per_minute: float
    """Of all streams together; frames that could not be there when they were due."""

    @property
    def limit(self) -> Given:
        """The stage that gives least."""
        return min(self.given, key=lambda each: each.bytes_per_s)

    @property
    def is_held(self) -> bool:
        """Whether every frame is there in time."""
        return self.limit.bytes_per_s >= self.asked_bytes_per_s * (1 - _EVEN)

    @property
    def margin(self) -> float:
        """How much more than asked there is, as a share; below 0 where it falls short."""
        return self.limit.bytes_per_s / self.asked_bytes_per_s - 1


@dataclass(frozen=True)
class Ladder:
    """Rungs from one stream on, a few of them above what holds; of a long one not all."""

    store: EditStore
    load: EditLoad
    held: int
    """How many streams play without a late frame; 0 where not even one does."""
    rungs: tuple[Rung, ...]

    @property
    def limit(self) -> Given:
        """What ends it: the stage that gives least to the first rung that isn't held."""
        return self.rung(self.held + 1).limit

    def rung(self, streams: int) -> Rung:
        """Return the rung of so many streams, reckoned where it isn't among the rungs."""
        for each in self.rungs:
            if each.streams == streams:
                return each
        return rung_of(self.store, self.load, streams)


def rung_of(store: EditStore, load: EditLoad, streams: int) -> Rung:
    """Return what *store* gives to so many *streams* of *load* at once.

    Disks give what their time allows: of a second each visit takes an access and its bytes, and
    what is written or read beside takes its own. A link gives what it carries, less what goes the
    same way beside.

    Raises:
        BadValueError: for no stream.

    """
    require_streams(streams)
    asked = streams * load.stream.bytes_per_s
    given = (
        Given(StageKind.DISKS, store.array.level.value, _disks_give(store, load, streams)),
        *(Given(s.kind, s.name, _stage_gives(s, load, streams)) for s in store.stages),
    )
    least = min(each.bytes_per_s for each in given)
    frames = streams * load.stream.frames_per_s * _MINUTE_S
    late = frames * max(1 - least / asked, 0.0)
    return Rung(streams, asked, given, 0.0 if least >= asked * (1 - _EVEN) else late)


def ladder_of(store: EditStore, load: EditLoad, *, above: int = 2) -> Ladder:
    """Return the ladder of *store* under *load*, with so many rungs *above* the last that holds.

    No rung above one that isn't held is held, so the last that is needn't be climbed to.
    """
    last = bisect.bisect_left(range(1, MOST_STREAMS + 1), True,
                              key=lambda n: not rung_of(store, load, n).is_held)  # fmt: skip
    first = range(1, min(last + above, _ALL_RUNGS) + 1)
    around = range(max(last - 1, 1), last + above + 1)
    rungs = tuple(rung_of(store, load, streams) for streams in sorted({*first, *around}))
    return Ladder(store, load, last, rungs)


def disk_seconds_beside(store: EditStore, beside: Sequence[Beside]) -> float:
    """Return the time of disks that work *beside* the streams takes, in a second.

    What is written keeps every disk of the array busy, those with parity as well.
    """
    array, filled = store.array, store.filled_share
    seconds = 0.0
    for each in beside:
        if each.write_bytes_per_s > 0:
            visits = each.write_bytes_per_s / each.block_bytes
            seconds += visits * array.write_disk_seconds(each.block_bytes, filled)
        if each.read_bytes_per_s > 0:
            visits = each.read_bytes_per_s / each.block_bytes
            seconds += visits * array.read_disk_seconds(each.block_bytes, filled, seeks=True)
    return seconds * array.disk_seconds_per_s / array.count


def places_beside(beside: Sequence[Beside]) -> int:
    """Return at how many other places of the disks something goes on."""
    return sum(1 for each in beside if each.write_bytes_per_s or each.read_bytes_per_s)


def taken_beside_bytes_per_s(stage: Stage, beside: Sequence[Beside]) -> float:
    """Return what *beside* takes of a stage in the direction in which streams come."""
    read = sum(each.read_bytes_per_s for each in beside)
    return read if stage.is_duplex else read + sum(each.write_bytes_per_s for each in beside)


def _disks_give(store: EditStore, load: EditLoad, streams: int) -> float:
    array, filled, stream = store.array, store.filled_share, load.stream
    beside = disk_seconds_beside(store, load.beside)
    visit_bytes = stream.visit_bytes
    seeks = streams + places_beside(load.beside) > array.lanes
    cost = array.read_disk_seconds(visit_bytes, filled, seeks=seeks) / visit_bytes
    used = array.disks_at_work(streams, visit_bytes) * store.disk_time_share
    return max(used - beside, 0.0) / cost


def _stage_gives(stage: Stage, load: EditLoad, streams: int) -> float:
    beside = taken_beside_bytes_per_s(stage, load.beside)
    if not stage.is_per_desk:
        return max(stage.bytes_per_s - beside, 0.0)
    # The desk with most of the streams is the first to be full.
    fullest = math.ceil(streams / load.desks)
    return max(stage.bytes_per_s - beside / load.desks, 0.0) * streams / fullest


def limits_of(ladder: Ladder) -> Sequence[Given]:
    """Return what each stage gives at the first rung that isn't held, the least first."""
    return sorted(ladder.rung(ladder.held + 1).given, key=lambda each: each.bytes_per_s)
