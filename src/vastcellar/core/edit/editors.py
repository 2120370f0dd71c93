"""Several editors with their hours: how busy each stage of a store is, from one change to the next.

The ladder asks how many streams of one kind a store holds. Here each desk plays its own: other
streams, sound beside, renders; and some come when others go home. What the disks and the links
give is the ladder's rule; with desks that are all alike both say the same.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from vastcellar.core.checks import require_not_negative
from vastcellar.core.edit.edit_load import Beside, StreamKind
from vastcellar.core.edit.edit_store import EditStore, Stage, StageKind
from vastcellar.core.edit.ladder import (
    disk_seconds_beside,
    places_beside,
    taken_beside_bytes_per_s,
)
from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.formats import audio_bytes_per_s

TRACK_BYTES_PER_S = audio_bytes_per_s(1)
"""Of a track of sound: one channel, as productions record it."""
SOUND_AHEAD_S = 2.0
"""Sound is read further ahead than pictures: it takes little memory. Typical."""
SOUND = "sound"
DAY_S = 24 * 3600.0
_EVEN = 1e-9
_MINUTE_S = 60.0


def sound_of(tracks: int) -> Beside:
    """Return what so many files of sound ask that play along: little, but each at its own place."""
    rate = tracks * TRACK_BYTES_PER_S
    return Beside(
        SOUND, read_bytes_per_s=rate, block_bytes=TRACK_BYTES_PER_S * SOUND_AHEAD_S
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Desk:
    """One editor's desk while somebody works at it."""

    name: str
    start_s: float
    end_s: float
    stream: StreamKind
    streams: int
    beside: tuple[Beside, ...] = ()

    def __post_init__(self) -> None:
        where = f"editor {self.name!r}"
        require_not_negative(where, streams=self.streams)
        if not self.start_s < self.end_s:
            raise BadValueError("the hours end before they start", where=where, mend="Swap them")

    def is_within(self, at_s: float) -> bool:
        """Whether *at_s*, on any day, lies between coming and going."""
        return 0 < (at_s - self.start_s) % DAY_S < self.end_s - self.start_s

    def pieces(self, day_begins_s: float) -> tuple[tuple[float, float], ...]:
        """Return its hours within the day that begins then: two pieces where it goes past its end.

        Who leaves at six in the morning is there at the begin of each day, too.
        """
        start_s = (self.start_s - day_begins_s) % DAY_S + day_begins_s
        end_s = start_s + self.end_s - self.start_s
        most_s = day_begins_s + DAY_S
        if end_s <= most_s:
            return ((start_s, end_s),)
        return ((start_s, most_s), (day_begins_s, end_s - DAY_S))

    @property
    def asked_bytes_per_s(self) -> float:
        """Of all its streams."""
        return self.streams * self.stream.bytes_per_s


@dataclass(frozen=True, slots=True)
class Used:
    """How much of what a stage can give is asked for, as shares of it."""

    kind: StageKind
    name: str
    streams_share: float
    beside_share: float
    desk: str = ""
    """The desk whose own link it is: the one that is fullest."""

    @property
    def share(self) -> float:
        """All of it; above 1 where it can't be given."""
        return self.streams_share + self.beside_share

    @property
    def given_share(self) -> float:
        """What the streams get of what they ask; above 1 where there is more."""
        left = max(1.0 - self.beside_share, 0.0)
        return left / self.streams_share if self.streams_share > 0 else float("inf")


@dataclass(frozen=True)
class Spell:
    """A time in which the same people work."""

    start_s: float
    end_s: float
    desks: tuple[Desk, ...]
    used: tuple[Used, ...]
    """The disks first, then the stages on their way."""

    @property
    def streams(self) -> int:
        """Of all desks."""
        return sum(each.streams for each in self.desks)

    @property
    def asked_bytes_per_s(self) -> float:
        """By all streams."""
        return sum(each.asked_bytes_per_s for each in self.desks)

    @property
    def limit(self) -> Used:
        """The stage that gives least of what is asked."""
        return min(self.used, key=lambda each: (each.given_share, -each.share))

    @property
    def margin(self) -> float:
        """How much more than asked there is; below 0 where it falls short, infinite without any
        stream."""
        return self.limit.given_share - 1

    @property
    def is_held(self) -> bool:
        """Whether every frame is there in time."""
        return self.limit.given_share >= 1 - _EVEN

    @property
    def late_frames_per_minute(self) -> float:
        """Of all streams together."""
        if self.is_held:
            return 0.0
        frames = sum(each.streams * each.stream.frames_per_s for each in self.desks)
        return frames * _MINUTE_S * (1 - self.limit.given_share)


def spells_of(
    store: EditStore, desks: Sequence[Desk], beside: Sequence[Beside] = ()
) -> tuple[Spell, ...]:
    """Return how busy *store* is from one change to the next; times when nobody works are left out.

    Every day is like the others: who works through the night meets who comes in the morning.

    Args:
        store: disks and stages.
        desks: everybody who works, with their hours.
        beside: what goes on whoever is there.

    """
    begins_s = day_begins_s(desks)
    pieces = {each: each.pieces(begins_s) for each in desks}
    edges = sorted({at_s for some in pieces.values() for piece in some for at_s in piece})
    found = []
    for start_s, end_s in pairwise(edges):
        there = tuple(
            each
            for each in desks
            if any(comes <= start_s and end_s <= goes for comes, goes in pieces[each])
        )
        if there:
            found.append(Spell(start_s, end_s, there, used_by(store, there, beside)))
    return tuple(found)


def day_begins_s(desks: Sequence[Desk]) -> float:
    """Return from when a day is counted: the earliest that somebody comes and nobody is there.

    Where somebody always is, it begins with the earliest who comes; 0 for nobody.
    """
    comes = sorted({each.start_s % DAY_S for each in desks})
    alone = (at_s for at_s in comes if not any(each.is_within(at_s) for each in desks))
    return next(alone, comes[0] if comes else 0.0)


def busiest(spells: Sequence[Spell]) -> Spell | None:
    """Return the spell with the least margin; None where there is none."""
    return min(spells, key=lambda each: each.margin, default=None)


def used_by(
    store: EditStore, desks: Sequence[Desk], beside: Sequence[Beside] = ()
) -> tuple[Used, ...]:
    """Return how much of each stage of *store* the work at *desks* asks for."""
    return (_disks(store, desks, beside), *(_stage(s, desks, beside) for s in store.stages))


def _disks(store: EditStore, desks: Sequence[Desk], beside: Sequence[Beside]) -> Used:
    array, filled = store.array, store.filled_share
    works = (*beside, *(each for desk in desks for each in desk.beside))
    playing = [each for each in desks if each.streams]
    streams = sum(each.streams for each in playing)
    seeks = streams + places_beside(works) > array.lanes
    asked = 0.0
    for each in playing:
        visit_bytes = each.stream.visit_bytes
        cost = array.read_disk_seconds(visit_bytes, filled, seeks=seeks) / visit_bytes
        asked += each.asked_bytes_per_s * cost
    touched = [(each.streams, array.touched(each.stream.visit_bytes)) for each in playing]
    if not playing:
        at_work = float(array.disk_seconds_per_s)
    elif all(count >= array.width for _streams, count in touched):
        at_work = array.disks_at_work(streams, playing[0].stream.visit_bytes)
    else:  # small visits have few disks each, beside others'
        at_work = min(float(array.disk_seconds_per_s), float(sum(n * t for n, t in touched)))
    there = at_work * store.disk_time_share
    return Used(
        StageKind.DISKS, array.level.value, asked / there, disk_seconds_beside(store, works) / there
    )


def _stage(stage: Stage, desks: Sequence[Desk], beside: Sequence[Beside]) -> Used:
    carried, shared = stage.bytes_per_s, taken_beside_bytes_per_s(stage, beside)
    if not stage.is_per_desk:
        asked = sum(each.asked_bytes_per_s for each in desks)
        own = sum(taken_beside_bytes_per_s(stage, each.beside) for each in desks)
        return Used(stage.kind, stage.name, asked / carried, (own + shared) / carried)
    each_has = shared / len(desks)
    uses = [
        Used(
            stage.kind, stage.name, desk.asked_bytes_per_s / carried,
            (taken_beside_bytes_per_s(stage, desk.beside) + each_has) / carried, desk.name,
        )
        for desk in desks
    ]  # fmt: skip
    return min(uses, key=lambda each: (each.given_share, -each.share))
