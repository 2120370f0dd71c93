"""Cards that are copied and read back at the station, and the drives that pace each other.

One card goes to all drives in one read, so the slowest of them sets the pace. Each file is read
back from a drive while the next is written to it; only the last file is read back after the copy.
A link carries both ways at once; the medium itself writes w or reads r a second and does both in
turn, so it takes at most 1 / (1/w + 1/r) of what is written and read back.
Reading is taken to make no heat: no figures of that are at hand.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

from vastcellar.core.roll.day import CopyDrive, RollDay
from vastcellar.core.roll.shared_rates import Flow, SharedRate, share_rates
from vastcellar.core.writing.drive_in_use import (
    NO_LINK_BYTES_PER_S,
    DriveInUse,
    EventKind,
    Interval,
)

_EDGE_BYTES = 1.0
_EDGE_S = 1e-6
_MOST_TURNS = 5  # two drives settle in two; beyond this they go round in circles
_EVEN = 1 + 1e-9
_LONGEST_S = 86_400.0  # a crossing of a temperature is looked for no further ahead

# A tag has no line feed: none of these can be taken for one.
HASH = "\nhash"
"""The limit of a copy that the checksum sets."""
LINK = "\nlink"
"""What follows a drive's tag where not the drive is the limit but what it hangs on."""
_IN = "\nin"  # the way from the device to the computer; the other way is free meanwhile


@dataclass(slots=True)
class OnDrive:
    """What became of a card on one drive."""

    drive_tag: str
    lies_on: str
    counts: bool
    is_read_back: bool
    done_s: float = math.inf
    """Verified, or copied where it isn't read back; infinite where neither came."""
    has_no_room: bool = False
    tail_bytes: float = 0.0
    """What is still to be read back after the copy."""


@dataclass(slots=True)
class CopyJob:
    """One card while it is copied."""

    card_tag: str
    reader_key: str
    read_bytes_per_s: float
    card_bytes: float
    clip_bytes: float
    """Of one file, on the average: so far the checks are behind."""
    start_s: float
    on: list[OnDrive]
    copied_bytes: float = 0.0
    copied_s: float = math.inf

    @property
    def is_copying(self) -> bool:
        """Whether it is still read."""
        return math.isinf(self.copied_s)

    @property
    def is_over(self) -> bool:
        """Whether it is copied and read back wherever that can be."""
        return not self.is_copying and all(each.tail_bytes <= 0 for each in self.on)

    @property
    def takers(self) -> list[OnDrive]:
        """The drives that had room for it."""
        return [each for each in self.on if not each.has_no_room]

    def done_times_s(self) -> list[float]:
        """Return when each device that counts had it, soonest first."""
        soonest: dict[str, float] = {}
        for each in self.on:
            if each.counts:
                known = soonest.get(each.lies_on, math.inf)
                soonest[each.lies_on] = min(known, each.done_s)
        return sorted(at_s for at_s in soonest.values() if math.isfinite(at_s))


@dataclass(frozen=True, slots=True)
class CopyStretch:
    """A stretch of a copy at a constant rate, and what set it."""

    card_tag: str
    start_s: float
    end_s: float
    bytes_per_s: float
    limit: str
    """The tag of the card or of a drive, a drive's tag with ``LINK``, a hub's key with the way,
    or ``HASH``."""
    is_reading_back: bool
    """Whether it is the rest of the check, after the copy."""
    drive_tag: str = ""
    """For the rest of a check, which drive is read."""


@dataclass(frozen=True, slots=True)
class DriveStretch:
    """A stretch of a drive's day at constant rates, in bytes per second."""

    drive_tag: str
    start_s: float
    end_s: float
    written_bytes_per_s: float
    read_bytes_per_s: float
    ability_bytes_per_s: float
    is_past_cache: bool
    throttle_stage: int


@dataclass(slots=True)
class _Station:
    """A drive at the station, with what goes on there now."""

    value: CopyDrive
    use: DriveInUse
    interval: Interval | None = None
    until_s: float = math.inf
    kind: EventKind | None = None
    read_bytes_per_s: float = 0.0
    promised_bytes: float = 0.0
    """Of cards that are being copied to it, still to come."""

    def rest_until(self, at_s: float) -> None:
        """Let it fold its cache and cool, with nothing to write."""
        while at_s - self.use.at_s > _EDGE_S:
            interval = self.use.interval(0.0)
            duration_s, kind = self.use.event_within(interval, at_s - self.use.at_s)
            self.use.go_on(interval, duration_s, kind)


@dataclass
class Offloading:
    """Copies that go on, stepped from one change of rates to the next."""

    day: RollDay
    is_recorded: bool = True
    """Whether stretches are kept, for a picture."""
    jobs: list[CopyJob] = field(default_factory=list)
    copies: list[CopyStretch] = field(default_factory=list)
    drives: list[DriveStretch] = field(default_factory=list)
    next_s: float = math.inf
    """When rates change by themselves; infinite while nothing is copied."""

    def __post_init__(self) -> None:
        self._at_s = 0.0
        self._stations = {each.tag: _Station(each, _in_use(each)) for each in self.day.drives}
        self._uplinks = {each.key: 1 / each.bytes_per_s for each in self.day.uplinks}
        self._reader_uplink = {each.key: each.uplink for each in self.day.readers}
        self._flows: list[tuple[CopyJob, OnDrive | None, SharedRate]] = []

    def begin(self, job: CopyJob, at_s: float) -> None:
        """Start *job*, with the others moved on to *at_s*; a drive without room is left out."""
        if not self.jobs:
            self._at_s = at_s
            for station in self._stations.values():
                station.rest_until(at_s)
        for each in job.on:
            station = self._stations[each.drive_tag]
            room = station.use.free_bytes - station.use.written_bytes - station.promised_bytes
            each.has_no_room = room < job.card_bytes
            if not each.has_no_room:
                station.promised_bytes += job.card_bytes
        self.jobs.append(job)
        if not job.takers:
            job.copied_s = at_s  # nothing takes it: it stays as it is, and is never free
        self._plan()

    def go_to(self, at_s: float) -> list[CopyJob]:
        """Move on to *at_s*, at most ``next_s``; return the jobs that are over by then."""
        duration_s = at_s - self._at_s
        if duration_s >= 0:
            self._move(duration_s)
        self._at_s = at_s
        self._end_phases()
        over = [job for job in self.jobs if job.is_over]
        self.jobs = [job for job in self.jobs if not job.is_over]
        self._plan()
        return over

    def _move(self, duration_s: float) -> None:
        start_s, end_s = self._at_s, self._at_s + duration_s
        for job, on, rate in self._flows:
            left = on.tail_bytes if on is not None else _to_next_phase(job)
            moved = rate.bytes_per_s * duration_s
            # A clock of seconds since midnight can't tell less than this apart: land on the edge.
            if left - moved <= _EDGE_BYTES + rate.bytes_per_s * _EDGE_S:
                moved = left
            if on is None:
                job.copied_bytes += moved
                for each in job.takers:
                    self._stations[each.drive_tag].promised_bytes -= moved
            else:
                on.tail_bytes -= moved
            if self.is_recorded:
                tag = on.drive_tag if on else ""
                self.copies.append(
                    CopyStretch(
                        job.card_tag, start_s, end_s, rate.bytes_per_s, rate.limit, bool(on), tag
                    )
                )
        for tag, station in self._stations.items():
            interval, use = station.interval, station.use
            if interval is None:
                continue
            is_event = end_s >= station.until_s - _EDGE_S
            use.go_on(interval, duration_s, station.kind if is_event else None)
            if self.is_recorded and (interval.written_bytes_per_s > 0 or station.read_bytes_per_s):
                self.drives.append(
                    DriveStretch(
                        tag,
                        start_s,
                        end_s,
                        interval.written_bytes_per_s,
                        station.read_bytes_per_s,
                        interval.ability_bytes_per_s,
                        use.cache_bytes > 0 and not interval.is_in_cache,
                        interval.throttle_stage,
                    )
                )

    def _end_phases(self) -> None:
        for job in self.jobs:
            if job.is_copying and job.copied_bytes >= job.card_bytes - _EDGE_BYTES:
                job.copied_bytes, job.copied_s = job.card_bytes, self._at_s
                for each in job.takers:
                    if each.is_read_back:
                        each.tail_bytes = min(job.clip_bytes, job.card_bytes)
                    else:
                        each.done_s = self._at_s
            elif not job.is_copying:
                for each in job.takers:
                    if math.isinf(each.done_s) and each.tail_bytes <= _EDGE_BYTES:
                        each.tail_bytes, each.done_s = 0.0, self._at_s

    # Who gets what from now on

    def _plan(self) -> None:
        """Set the rates that hold until the next change, and when that is."""
        self.next_s = math.inf
        if not self.jobs:
            self._flows = []
            return
        offered = self._settle()
        for job, on, rate in self._flows:
            if rate.bytes_per_s > 0:
                left = on.tail_bytes if on is not None else _to_next_phase(job)
                self.next_s = min(self.next_s, self._at_s + max(left, 0.0) / rate.bytes_per_s)
        self._give_drives(offered)

    def _settle(self) -> dict[str, float]:
        """Set the rates of all flows; return what is offered to each drive whose cache is full.

        Only such a drive takes more or less by what waits for it, and what waits for one depends
        on what the others take: asked in turns until nothing changes. Where that goes round in
        circles, or two that wait for each other would both write into a cache that is full, all
        of them are taken to write past it: that is always so of a drive that is pushed.
        """
        uses = {tag: station.use for tag, station in self._stations.items()}
        full = [tag for tag, use in uses.items() if use.is_cache_full]
        pushed = {tag: use.ability_bytes_per_s(math.inf) for tag, use in uses.items()}
        abilities = pushed
        for _ in range(_MOST_TURNS):
            wholes = self._share(abilities)
            offered = {tag: self._offered(wholes, tag) for tag in full}
            able = {tag: uses[tag].ability_bytes_per_s(offered[tag]) for tag in full}
            if all(able[tag] == abilities[tag] for tag in full):
                written = self._written()
                sent = {tag: max(offered[tag], written[tag]) for tag in full}
                if all(
                    written[tag] <= uses[tag].ability_bytes_per_s(sent[tag]) * _EVEN for tag in full
                ):
                    return sent
                break
            abilities = {**abilities, **able}
        self._share(pushed)
        return dict.fromkeys(full, math.inf)

    def _share(self, abilities: dict[str, float]) -> list[tuple[CopyJob, OnDrive | None, Flow]]:
        """Set what each flow gets with drives that can take so much; return the flows."""
        wholes = self._flows_at(abilities)
        rates = share_rates([flow for _job, _on, flow in wholes])
        self._flows = [(job, on, r) for (job, on, _flow), r in zip(wholes, rates, strict=True)]
        return wholes

    def _written(self) -> dict[str, float]:
        """Return what is written to each drive at the rates that are set."""
        written = dict.fromkeys(self._stations, 0.0)
        for job, on, rate in self._flows:
            if on is None:
                for each in job.takers:
                    written[each.drive_tag] += rate.bytes_per_s
        return written

    def _offered(self, flows: Sequence[tuple[CopyJob, OnDrive | None, Flow]], tag: str) -> float:
        """Return what would reach the drive *tag* if it were never the limit itself."""
        if not any(job.is_copying for job, _on, _flow in flows):
            return 0.0
        rates = share_rates([flow for _job, _on, flow in flows], without=tag)
        return sum(
            rate.bytes_per_s
            for (job, on, _flow), rate in zip(flows, rates, strict=True)
            if on is None and any(each.drive_tag == tag for each in job.takers)
        )

    def _flows_at(self, abilities: dict[str, float]) -> list[tuple[CopyJob, OnDrive | None, Flow]]:
        flows: list[tuple[CopyJob, OnDrive | None, Flow]] = []
        for job in self.jobs:
            if job.is_copying:
                flows.append((job, None, self._copy_flow(job, abilities)))
                continue
            for each in job.takers:
                if each.tail_bytes > 0:
                    flows.append((job, each, self._check_flow(each)))
        return flows

    def _copy_flow(self, job: CopyJob, abilities: dict[str, float]) -> Flow:
        costs = {job.card_tag: 1 / job.read_bytes_per_s}
        if math.isfinite(self.day.hash_bytes_per_s):
            costs[HASH] = 1 / self.day.hash_bytes_per_s
        uplink = self._reader_uplink[job.reader_key]
        if uplink:
            _add(costs, uplink + _IN, self._uplinks[uplink])
        checks_along = job.copied_bytes >= job.clip_bytes - _EDGE_BYTES
        for each in job.takers:
            drive = self._stations[each.drive_tag].value
            # A drive that takes nothing at all has been left out; this one only crawls.
            _add(costs, each.drive_tag, 1 / max(abilities[each.drive_tag], 1.0))
            _add(costs, drive.tag + LINK, 1 / drive.link_cap_bytes_per_s)
            if drive.uplink:
                _add(costs, drive.uplink, self._uplinks[drive.uplink])
            if each.is_read_back and checks_along:
                for thing, cost in self._check_flow(each).costs.items():
                    _add(costs, thing, cost)
        return Flow(costs)

    def _check_flow(self, on: OnDrive) -> Flow:
        drive = self._stations[on.drive_tag].value
        costs = {
            drive.tag: 1 / drive.medium_read_bytes_per_s,
            drive.tag + LINK + _IN: 1 / drive.link_read_bytes_per_s,
        }
        if drive.uplink:
            costs[drive.uplink + _IN] = self._uplinks[drive.uplink]
        return Flow(costs)

    def _give_drives(self, offered: dict[str, float]) -> None:
        written = self._written()
        read = dict.fromkeys(self._stations, 0.0)
        for job, on, rate in self._flows:
            if on is not None:
                read[on.drive_tag] += rate.bytes_per_s
                continue
            checks_along = job.copied_bytes >= job.clip_bytes - _EDGE_BYTES
            for each in job.takers:
                if each.is_read_back and checks_along:
                    read[each.drive_tag] += rate.bytes_per_s
        for tag, station in self._stations.items():
            use = station.use
            use.at_s = self._at_s
            asked = offered.get(tag, math.inf) if written[tag] > 0 else 0.0
            station.interval = use.interval(asked, written[tag])
            station.read_bytes_per_s = read[tag]
            within_s = min(self.next_s - self._at_s, _LONGEST_S)
            after_s, station.kind = use.event_within(station.interval, within_s)
            station.until_s = self._at_s + after_s if after_s < within_s else math.inf
            self.next_s = min(self.next_s, station.until_s)


def _in_use(drive: CopyDrive) -> DriveInUse:
    return DriveInUse(
        drive.behaviour,
        drive.path,
        NO_LINK_BYTES_PER_S,
        free_bytes=drive.free_bytes,
        capacity_bytes=drive.capacity_bytes,
    )


def _to_next_phase(job: CopyJob) -> float:
    """Return the bytes until the copy is whole, or its first file is and its check begins."""
    if job.copied_bytes < job.clip_bytes - _EDGE_BYTES:
        return min(job.clip_bytes, job.card_bytes) - job.copied_bytes
    return job.card_bytes - job.copied_bytes


def _add(costs: dict[str, float], thing: str, cost: float) -> None:
    costs[thing] = costs.get(thing, 0.0) + cost
