"""A drive while it is written to: cache, heat and throttle, stepped from one event to the next.

Between events all rates are constant, hence all powers too: cache fill and bytes are linear,
temperatures the closed form of ``heat``. Whoever steps it says what is offered and for how long;
``write_profile`` does so for phases, a day of cards for several drives that pace each other.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.checks import require_above_zero, require_not_negative
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.writing.heat import Course, HeatPath
from vastcellar.core.writing.lasting_rate import HARD_DISK_ZONES, zone_write_bytes_per_s

EDGE_BYTES = 1.0
"""Closer to full or empty than this is full or empty."""
NO_LINK_BYTES_PER_S = 1e15
"""Of a link that is never the limit: none is there, or it is shared out beside the drive."""


class EventKind(StrEnum):
    """What changes the rate, or could."""

    CACHE_FULL = "cache full"
    CACHE_EMPTY = "cache empty"
    THROTTLE = "throttle"
    RECOVER = "recover"
    DRIVE_FULL = "drive full"


@dataclass(frozen=True, slots=True)
class Interval:
    """A stretch between two events; rates in bytes per second are constant within it."""

    start_s: float
    duration_s: float
    offered_bytes_per_s: float
    written_bytes_per_s: float
    ability_bytes_per_s: float
    """What the drive could take at this moment, whatever is offered."""
    written_at_start_bytes: float
    cached_at_start_bytes: float
    net_fill_bytes_per_s: float
    throttle_stage: int
    is_in_cache: bool
    course: Course


def cache_capacity_bytes(behaviour: WriteBehaviour, free_bytes: float) -> float:
    """Return the fast cache of a drive with so much free: static part + share of the free bytes."""
    return behaviour.cache_static_bytes + behaviour.cache_share_of_free * free_bytes


def fold_while_writing_bytes_per_s(behaviour: WriteBehaviour, written_bytes_per_s: float) -> float:
    """Return how fast the cache is emptied while so much is written into it: g f (1 - r/r_c)."""
    share = 1 - written_bytes_per_s / behaviour.cache_write_bytes_per_s
    return behaviour.fold_while_writing * behaviour.fold_bytes_per_s * max(share, 0.0)


def balance_rate_bytes_per_s(behaviour: WriteBehaviour) -> float:
    """Return the rate below which the cache never fills: r* = g f r_c / (r_c + g f)."""
    folding = behaviour.fold_while_writing * behaviour.fold_bytes_per_s
    in_cache = behaviour.cache_write_bytes_per_s
    return folding * in_cache / (in_cache + folding)


class DriveInUse:
    """The states that everything follows from: bytes, cache fill, both temperatures, throttle."""

    def __init__(
        self,
        behaviour: WriteBehaviour,
        path: HeatPath,
        link_cap_bytes_per_s: float,
        *,
        free_bytes: float,
        capacity_bytes: float | None = None,
        starts_at_ambient: bool = False,
    ) -> None:
        """Begin at rest, with the cache empty and warm from idling.

        Args:
            behaviour: of the drive.
            path: its way of losing heat.
            link_cap_bytes_per_s: what reaches the drive at most.
            free_bytes: room on the drive; once written, nothing more is taken.
            capacity_bytes: of a hard disk, to place its zones; free_bytes where not given.
            starts_at_ambient: both nodes at room temperature instead.

        Raises:
            BadValueError: for a link that isn't above 0 or a room below it.

        """
        require_above_zero("run", link_cap_bytes_per_s=link_cap_bytes_per_s)
        require_not_negative("run", free_bytes=free_bytes)
        self._behaviour, self._path, self._link_cap = behaviour, path, link_cap_bytes_per_s
        self.free_bytes = free_bytes
        self._whole_bytes = capacity_bytes or free_bytes
        self.cache_bytes = cache_capacity_bytes(behaviour, free_bytes)
        self.at_s = 0.0
        self.cached_bytes = 0.0
        self.written_bytes = 0.0
        self.stage = 0
        self.drive_c, self.case_c = path.idle_c(behaviour.idle_w)
        if starts_at_ambient:
            self.drive_c = self.case_c = path.ambient_c

    @property
    def is_full(self) -> bool:
        """Whether it takes nothing more."""
        return self.written_bytes >= self.free_bytes

    @property
    def is_cache_full(self) -> bool:
        """Whether it depends on what is offered if it writes into its cache."""
        return 0 < self.cache_bytes <= self.cached_bytes

    @property
    def _filled_share(self) -> float:
        return (self._whole_bytes - self.free_bytes + self.written_bytes) / self._whole_bytes

    def interval(self, offered_bytes_per_s: float, limit_bytes_per_s: float = math.inf) -> Interval:
        """Return what goes on from this moment, its duration still open (0).

        Args:
            offered_bytes_per_s: what is waiting to be written, infinite for flat out: by it the
                drive decides between its cache and what lies behind.
            limit_bytes_per_s: what of it is sent at most, where the drive has to read as well.

        """
        behaviour, offered, cached = self._behaviour, offered_bytes_per_s, self.cached_bytes
        in_cache, ability = self._mode(offered)
        folded = net = 0.0
        written = min(offered, ability, limit_bytes_per_s)
        if in_cache:
            folded = self._folded_bytes_per_s(offered, written)
            net = written - folded
            if net < 0 and cached <= 0:
                folded, net = written, 0.0  # what comes in is folded as it comes
        if self.is_full:
            ability = written = folded = 0.0
            net = min(net, 0.0)
        j_per_gb = behaviour.direct_j_per_gb
        if in_cache or self.cache_bytes <= 0:
            j_per_gb = behaviour.cache_j_per_gb
        watts = behaviour.idle_w + (j_per_gb * written + behaviour.fold_j_per_gb * folded) / 1e9
        return Interval(
            start_s=self.at_s,
            duration_s=0.0,
            offered_bytes_per_s=offered,
            written_bytes_per_s=written,
            ability_bytes_per_s=ability,
            written_at_start_bytes=self.written_bytes,
            cached_at_start_bytes=self.cached_bytes,
            net_fill_bytes_per_s=net,
            throttle_stage=self.stage,
            is_in_cache=in_cache,
            course=Course.start(self._path, watts, self.drive_c, self.case_c),
        )

    def ability_bytes_per_s(self, offered_bytes_per_s: float) -> float:
        """Return what it could take at this moment, with so much waiting to be written."""
        return 0.0 if self.is_full else self._mode(offered_bytes_per_s)[1]

    def _mode(self, offered_bytes_per_s: float) -> tuple[bool, float]:
        """Return whether it writes into its cache, and what it could take."""
        behaviour = self._behaviour
        cap = self._link_cap
        if self.stage:
            cap = min(cap, behaviour.throttle[self.stage - 1].cap_bytes_per_s)
        ability = min(cap, behaviour.cache_write_bytes_per_s)
        in_cache = self.cache_bytes > 0
        if self.is_cache_full:
            written = min(offered_bytes_per_s, ability)
            in_cache = written <= self._folded_bytes_per_s(offered_bytes_per_s, written)
        if not in_cache:
            ability = min(cap, zone_write_bytes_per_s(behaviour, self._filled_share))
        return in_cache, ability

    def _folded_bytes_per_s(self, offered_bytes_per_s: float, written_bytes_per_s: float) -> float:
        if offered_bytes_per_s > 0:
            return fold_while_writing_bytes_per_s(self._behaviour, written_bytes_per_s)
        return self._behaviour.fold_bytes_per_s if self.cached_bytes > 0 else 0.0

    def event_within(self, interval: Interval, horizon_s: float) -> tuple[float, EventKind | None]:
        """Return after how long the first event of *interval* comes, and its kind.

        None ends the horizon, or a zone of a hard disk.
        """
        behaviour = self._behaviour
        soonest_s: float = horizon_s
        kind: EventKind | None = None

        def offer(after_s: float, candidate: EventKind | None) -> None:
            nonlocal soonest_s, kind
            if after_s < soonest_s:
                soonest_s, kind = max(after_s, 0.0), candidate

        net, written = interval.net_fill_bytes_per_s, interval.written_bytes_per_s
        if net > 0:
            offer((self.cache_bytes - self.cached_bytes) / net, EventKind.CACHE_FULL)
        elif net < 0:
            offer(self.cached_bytes / -net, EventKind.CACHE_EMPTY)
        if written > 0:
            free, whole = self.free_bytes, self._whole_bytes
            offer((free - self.written_bytes) / written, EventKind.DRIVE_FULL)
            if behaviour.inner_share < 1:
                zone_bytes = whole / HARD_DISK_ZONES
                into = (whole - free + self.written_bytes + EDGE_BYTES) % zone_bytes
                to_next_zone = zone_bytes - into + EDGE_BYTES
                # The last zone ends where the drive is full, and that event counts.
                if to_next_zone < free - self.written_bytes - 2 * EDGE_BYTES:
                    offer(to_next_zone / written, None)
        course = interval.course
        if self.stage < len(behaviour.throttle):
            on_c = behaviour.throttle[self.stage].on_c
            offer(course.reaches_after_s(on_c, soonest_s, rising=True), EventKind.THROTTLE)
        if self.stage:
            off_c = behaviour.throttle[self.stage - 1].off_c
            offer(course.reaches_after_s(off_c, soonest_s, rising=False), EventKind.RECOVER)
        return soonest_s, kind

    def go_on(self, interval: Interval, duration_s: float, kind: EventKind | None) -> None:
        """Move on by *duration_s* of *interval*, and through the event *kind* at its end."""
        self.at_s += duration_s
        self.written_bytes += interval.written_bytes_per_s * duration_s
        self.cached_bytes += interval.net_fill_bytes_per_s * duration_s
        self.drive_c = interval.course.drive_c(duration_s)
        self.case_c = interval.course.case_c(duration_s)
        # Land on the edge itself: a remainder of a few bytes would bring the same event again.
        if kind is EventKind.CACHE_FULL:
            self.cached_bytes = self.cache_bytes
        elif kind is EventKind.CACHE_EMPTY:
            self.cached_bytes = 0.0
        elif kind is EventKind.DRIVE_FULL:
            self.written_bytes = self.free_bytes
        elif kind is EventKind.THROTTLE:
            self.stage += 1
        elif kind is EventKind.RECOVER:
            self.stage -= 1
