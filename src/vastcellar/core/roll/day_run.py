"""The day as it goes: from event to event, until every card is copied and free, or never is."""

from __future__ import annotations

import heapq
import math
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from itertools import count

from vastcellar.core.roll.card_fill import (
    CameraWait,
    CardFill,
    Position,
    Recorded,
    fill_card,
    next_start_s,
    out_of_cards_s,
)
from vastcellar.core.roll.day import CameraDay, Card, RollDay
from vastcellar.core.roll.offloading import (
    CopyJob,
    CopyStretch,
    DriveStretch,
    Offloading,
    OnDrive,
)
from vastcellar.core.roll.people import People
from vastcellar.core.shoot.offload import CardOrder


@dataclass(frozen=True, slots=True)
class DriveDone:
    """A card on one drive of the day."""

    drive_tag: str
    done_s: float
    """Verified, or copied where it isn't read back; infinite where neither came."""
    is_verified: bool
    has_no_room: bool


@dataclass(frozen=True, slots=True)
class CardTrip:
    """A card from the camera to the station and back; times that never come are infinite."""

    camera_key: str
    card_tag: str
    in_s: float
    recorded: tuple[Recorded, ...]
    out_s: float
    arrives_s: float
    start_s: float = math.inf
    """The first byte of its copy."""
    copied_s: float = math.inf
    on: tuple[DriveDone, ...] = ()
    safe_s: float = math.inf
    """When as many drives have it as the rule asks for."""
    over_s: float = math.inf
    """When the last drive that had room for it has it."""
    free_s: float = math.inf
    """When it is back at the camera."""
    reader_key: str = ""

    @property
    def card_bytes(self) -> float:
        """What it holds."""
        return self.recorded[-1].bytes_after

    @property
    def queue_s(self) -> float:
        """How long it lies at the station before its copy begins; infinite where it never does."""
        return self.start_s - self.arrives_s


@dataclass(frozen=True)
class DayRun:
    """What came of a day."""

    day: RollDay
    trips: tuple[CardTrip, ...]
    """In the order in which the cards came out of the cameras."""
    waits: tuple[CameraWait, ...]
    copies: tuple[CopyStretch, ...]
    drives: tuple[DriveStretch, ...]
    wraps_s: tuple[tuple[str, float], ...]
    """The end of each camera's last take; infinite where it never gets there."""
    left_s: tuple[tuple[str, float], ...]
    """When each person at the station has nothing more to change."""

    @cached_property
    def wrap_s(self) -> float:
        """The end of the last take."""
        return max((at_s for _key, at_s in self.wraps_s), default=0.0)

    @cached_property
    def last_verified_s(self) -> float:
        """When the last copy of the last card is verified; infinite where a card has none.

        The end of the last copy where no drive is read back; a drive without room is left out,
        and stands in ``without_room``.
        """
        return max((trip.over_s for trip in self.trips), default=0.0)

    @cached_property
    def last_safe_s(self) -> float:
        """When every card is on as many drives as the rule asks for."""
        return max((trip.safe_s for trip in self.trips), default=0.0)

    @cached_property
    def waited_s(self) -> float:
        """All waits of all cameras together."""
        return sum(wait.duration_s for wait in self.waits)

    @cached_property
    def is_every_copy_verified(self) -> bool:
        """Whether each copy on each drive was read back."""
        return all(each.is_verified for trip in self.trips for each in trip.on)

    @cached_property
    def without_room(self) -> tuple[tuple[str, str], ...]:
        """Cards and drives, by their tags, that had no room for them: copies that nobody makes."""
        return tuple(
            (trip.card_tag, each.drive_tag)
            for trip in self.trips
            for each in trip.on
            if each.has_no_room
        )

    @cached_property
    def home_s(self) -> tuple[tuple[str, float], ...]:
        """When everybody can go: cameras after their last take and walk, people of the station
        after the last card that they change; one of them stays for the last verified copy."""
        fetched = any(each.fetches for each in self.day.people)
        walk_s = 0.0 if fetched else self.day.walk_s
        rolled = {trip.camera_key for trip in self.trips}
        crews = [(key, at_s + walk_s) for key, at_s in self.wraps_s if key in rolled]
        people = sorted(self.left_s, key=lambda each: each[1])
        stays, _busy_s = people[-1]
        return (
            *crews,
            *(each for each in people[:-1] if each[1] > 0),
            (stays, max(self.last_verified_s, people[-1][1])),
        )

    def waits_of(self, camera_key: str) -> tuple[CameraWait, ...]:
        """Return the waits of one camera."""
        return tuple(each for each in self.waits if each.camera_key == camera_key)


class _Kind(StrEnum):
    OUT = "card out of the camera"
    ARRIVES = "card at the station"
    TRY = "somebody may be there to change cards"
    BEGIN = "first byte"
    BACK = "card back at the camera"


@dataclass(slots=True)
class _AtCamera:
    value: CameraDay
    cards: list[Card]
    """Free ones at the camera, in the order in which they are used."""
    at: Position = field(default_factory=Position)
    has_card: bool = False


@dataclass(slots=True)
class _Trip:
    """A trip that is still going on."""

    camera: _AtCamera
    card: Card
    in_s: float
    fill: CardFill
    arrives_s: float = math.inf
    job: CopyJob | None = None
    safe_s: float = math.inf
    over_s: float = math.inf
    free_s: float = math.inf


class _Day:
    def __init__(self, day: RollDay, *, is_recorded: bool) -> None:
        self.day = day
        self.people = People(day.people, day.walk_s, day.swap_s)
        self.offloading = Offloading(day, is_recorded)
        self.cameras = [_AtCamera(each, list(each.cards)) for each in day.cameras]
        self.trips: list[_Trip] = []
        self.waits: list[CameraWait] = []
        self._queue: list[_Trip] = []
        self._readers_taken: set[str] = set()
        self._events: list[tuple[float, int, _Kind, object]] = []
        self._numbers = count()

    def _at(self, at_s: float, kind: _Kind, what: object = None) -> None:
        heapq.heappush(self._events, (at_s, next(self._numbers), kind, what))

    def run(self) -> None:
        for camera in self.cameras:
            self._put_in(camera, 0.0)
        while self._events or self.offloading.jobs:
            event_s = self._events[0][0] if self._events else math.inf
            if self.offloading.jobs and self.offloading.next_s <= event_s:
                self._copies_until(self.offloading.next_s)
                continue
            at_s, _number, kind, what = heapq.heappop(self._events)
            self._happen(at_s, kind, what)

    def _happen(self, at_s: float, kind: _Kind, what: object) -> None:
        if isinstance(what, _Trip):
            if kind is _Kind.OUT:
                self._out(what, at_s)
            elif kind is _Kind.ARRIVES:
                what.arrives_s = at_s
                self._queue.append(what)
                self._try(at_s)
            elif kind is _Kind.BEGIN:
                self._begin(what, at_s)
            else:
                self._back(what, at_s)
        else:
            self._try(at_s)

    # At the camera

    def _put_in(self, camera: _AtCamera, at_s: float) -> None:
        """Put the next free card in, where there is something left to record."""
        if camera.has_card or camera.at.take >= len(camera.value.takes) or not camera.cards:
            return
        card = camera.cards.pop(0)
        fill = fill_card(
            camera.value, camera.at, card.tag, card.room_bytes, at_s, spare=bool(camera.cards)
        )
        if fill.wait is not None:
            self.waits.append(fill.wait)
        trip = _Trip(camera, card, at_s, fill)
        self.trips.append(trip)
        camera.at, camera.has_card = fill.after, True
        self._at(fill.out_s, _Kind.OUT, trip)

    def _out(self, trip: _Trip, at_s: float) -> None:
        trip.camera.has_card = False
        self._at(self.people.brought_s(at_s), _Kind.ARRIVES, trip)
        self._put_in(trip.camera, at_s)

    def _back(self, trip: _Trip, at_s: float) -> None:
        trip.free_s = at_s
        trip.camera.cards.append(trip.card)
        self._put_in(trip.camera, at_s)

    # At the station

    def _try(self, at_s: float) -> None:
        """Put the next card into a reader, where one is free and somebody is there."""
        busy = len(self._readers_taken)
        if not self._queue or busy >= self.day.copies_at_once:
            return
        fits = [trip for trip in self._queue if self._reader_for(trip) is not None]
        if not fits:
            return
        hands_s = self.people.hands_s(at_s)
        if hands_s > at_s:
            self._at(hands_s, _Kind.TRY)
            return
        trip = min(fits, key=self._rank)
        self._queue.remove(trip)
        reader, read_bytes_per_s = self._reader_for(trip) or ("", math.inf)
        self._readers_taken.add(reader)
        drives = [
            OnDrive(each.tag, each.lies_on, each.counts, each.is_read_back)
            for each in self.day.drives
        ]
        start_s = self.people.changed_s(at_s)
        clips = max(len(trip.fill.recorded), 1)
        trip.job = CopyJob(
            trip.card.tag,
            reader,
            read_bytes_per_s,
            trip.fill.card_bytes,
            trip.fill.card_bytes / clips,
            start_s,
            drives,
        )
        self._at(start_s, _Kind.BEGIN, trip)
        self._try(at_s)

    def _reader_for(self, trip: _Trip) -> tuple[str, float] | None:
        """Return the fastest reader that is free for the card, and what comes off it there."""
        free = [each for each in trip.card.reads if each[0] not in self._readers_taken]
        known = {each.key for each in self.day.readers}
        return max((e for e in free if e[0] in known), key=lambda each: each[1], default=None)

    def _rank(self, trip: _Trip) -> tuple[float, float]:
        order, size = self.day.order, trip.fill.card_bytes
        if order is CardOrder.FULLEST:
            return -size, trip.arrives_s
        if order is CardOrder.SHORTEST:
            return size, trip.arrives_s
        if order is CardOrder.LONGEST_TAKE:
            return -trip.camera.value.longest_take_s, trip.arrives_s
        if order is CardOrder.NEEDED:
            camera = trip.camera
            if not camera.has_card and camera.at.take < len(camera.value.takes):
                return next_start_s(camera.value, camera.at), trip.arrives_s
            rooms = tuple(card.room_bytes for card in camera.cards)
            return out_of_cards_s(camera.value, camera.at, rooms), trip.arrives_s
        return trip.arrives_s, 0.0

    def _begin(self, trip: _Trip, at_s: float) -> None:
        assert trip.job is not None  # it was put into a reader
        if self.offloading.jobs:
            self._copies_until(at_s)
        self.offloading.begin(trip.job, at_s)
        if not trip.job.takers:
            self._copies_until(at_s)  # over as soon as it has begun

    def _copies_until(self, at_s: float) -> None:
        over = self.offloading.go_to(at_s)
        for trip in self.trips:
            if trip.job is None or math.isfinite(trip.safe_s):
                continue
            times = trip.job.done_times_s()
            if len(times) >= self.day.verified_copies:
                trip.safe_s = times[self.day.verified_copies - 1]
                self._at(self.people.taken_back_s(trip.safe_s), _Kind.BACK, trip)
        for job in over:
            trip = next(each for each in self.trips if each.job is job)
            takers = job.takers
            if takers:
                trip.over_s = max(each.done_s for each in takers)
            self._readers_taken.discard(job.reader_key)
        if over:
            self._try(at_s)


def run_day(day: RollDay, *, is_recorded: bool = True) -> DayRun:
    """Return how *day* goes.

    Args:
        day: with everything in it.
        is_recorded: whether the stretches of copies and drives are kept; times are the same
            without.

    """
    happening = _Day(day, is_recorded=is_recorded)
    happening.run()
    waits = list(happening.waits)
    for camera in happening.cameras:
        if camera.at.take < len(camera.value.takes) and not camera.has_card:
            # No card ever comes back: it stands from there to the end.
            from_s = next_start_s(camera.value, camera.at)
            waits.append(
                CameraWait(
                    camera.value.key, from_s, math.inf, "", is_inside_take=camera.at.left_s > 0
                )
            )
    return DayRun(
        day=day,
        trips=tuple(_trip(each) for each in happening.trips),
        waits=tuple(sorted(waits, key=lambda each: each.from_s)),
        copies=tuple(happening.offloading.copies),
        drives=tuple(happening.offloading.drives),
        wraps_s=tuple((each.value.key, _wrap_s(each)) for each in happening.cameras),
        left_s=happening.people.left_s(),
    )


def _wrap_s(camera: _AtCamera) -> float:
    return camera.at.free_s if camera.at.take >= len(camera.value.takes) else math.inf


def _trip(trip: _Trip) -> CardTrip:
    job, fill = trip.job, trip.fill
    common = (trip.camera.value.key, trip.card.tag, trip.in_s, fill.recorded, fill.out_s)
    if job is None:
        return CardTrip(*common, trip.arrives_s)
    return CardTrip(
        *common,
        trip.arrives_s,
        start_s=job.start_s,
        copied_s=job.copied_s if job.takers else math.inf,
        on=tuple(
            DriveDone(
                each.drive_tag,
                each.done_s,
                each.is_read_back and math.isfinite(each.done_s),
                each.has_no_room,
            )
            for each in job.on
        ),
        safe_s=trip.safe_s,
        over_s=trip.over_s,
        free_s=trip.free_s,
        reader_key=job.reader_key,
    )
