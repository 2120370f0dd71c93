"""What would make the day better: each change is let happen, and held against the day as it is."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from enum import StrEnum

from vastcellar.core.roll.day import CameraDay, CopyDrive, Reader, RollDay
from vastcellar.core.roll.day_run import DayRun, run_day
from vastcellar.core.roll.pools import with_cards
from vastcellar.core.shoot.offload import CardOrder
from vastcellar.core.writing.heat import cooled

_WORTH_S = 60.0
"""A gain below a minute is none: a plan isn't as exact as that."""


class LeverKind(StrEnum):
    """What is changed."""

    ORDER = "order"
    EARLY_CHANGE = "early change"
    POOL = "a free unit into the pool"
    CARD = "one more card"
    SMALLEST_POOL = "the smallest pool"
    READER = "one more reader"
    FASTER_CARDS = "faster cards"
    COOLER = "a fan on the drive"
    OTHER_DRIVE = "another drive"
    OTHER_PORTS = "other ports"
    SKIP_CHECK = "skip the check"


@dataclass(frozen=True)
class Lever:
    """A change of the day, by what it is of: a camera, a drive, an order."""

    kind: LeverKind
    subject: str
    day: RollDay
    with_what: str = ""
    """The unit that comes in."""


@dataclass(frozen=True)
class Pulled:
    """A lever and the day that came of it."""

    lever: Lever
    run: DayRun
    before: DayRun

    @property
    def waits_less_s(self) -> float:
        """What cameras wait less in all."""
        return _less(self.before.waited_s, self.run.waited_s)

    @property
    def home_earlier_s(self) -> float:
        """How much sooner the last copy is verified; below 0 for later."""
        return _less(self.before.last_verified_s, self.run.last_verified_s)

    @property
    def is_a_risk(self) -> bool:
        """Whether it leaves a copy unverified that was verified before."""
        return self.before.is_every_copy_verified and not self.run.is_every_copy_verified

    @property
    def helps(self) -> bool:
        """Whether a camera waits less, or nobody more and the day is over sooner."""
        if self.waits_less_s >= _WORTH_S:
            return True
        return self.waits_less_s > -_WORTH_S and self.home_earlier_s >= _WORTH_S


def _less(before_s: float, after_s: float) -> float:
    return 0.0 if before_s == after_s else before_s - after_s  # two infinities are no gain


def levers_of(day: RollDay, run: DayRun) -> Iterator[Lever]:
    """Yield the changes that need nothing but the day itself; units of a shelf come from outside.

    Args:
        day: as it is.
        run: what comes of it.

    """
    for order in CardOrder:
        if order is not day.order:
            yield Lever(LeverKind.ORDER, order.value, replace(day, order=order))
    waiting = dict.fromkeys(wait.camera_key for wait in run.waits)
    for camera in day.cameras:
        if camera.key in waiting:
            more = with_cards(camera, len(camera.cards) + 1)
            yield Lever(LeverKind.CARD, camera.key, with_camera(day, more))
        yield from _early_changes(day, run, camera)
    yield Lever(LeverKind.READER, "", _with_reader(day))
    yield Lever(LeverKind.FASTER_CARDS, "", _with_faster_cards(day))
    for drive in day.drives:
        if any(each.drive_tag == drive.tag and each.throttle_stage for each in run.drives):
            yield Lever(
                LeverKind.COOLER, drive.tag, with_drive(day, drive.tag, path=cooled(drive.path))
            )
    limiting = limiting_drive(day, run)
    if limiting is not None:
        skipped = with_drive(day, limiting.tag, is_read_back=False)
        yield Lever(LeverKind.SKIP_CHECK, limiting.tag, skipped)


def let_happen(levers: Iterable[Lever], before: DayRun) -> list[Pulled]:
    """Return the day that comes of each of *levers*."""
    return [Pulled(each, run_day(each.day, is_recorded=False), before) for each in levers]


def pull(levers: Iterable[Lever], before: DayRun) -> tuple[Pulled, ...]:
    """Return those of *levers* that help, in order: fewest waits, then home soonest.

    A risk comes last, whatever it gains. Of one kind for one subject only the best is kept.
    """
    pulled = let_happen(levers, before)
    best: dict[tuple[LeverKind, str], Pulled] = {}
    for each in sorted((p for p in pulled if p.helps), key=_rank):
        lever = each.lever
        subject = "" if lever.kind is LeverKind.ORDER else lever.subject
        best.setdefault((lever.kind, subject), each)
    return tuple(best.values())


def _rank(pulled: Pulled) -> tuple[bool, float, float]:
    run = pulled.run
    # To the minute: of what comes to the same, the sooner evening goes first.
    waited = run.waited_s if math.isinf(run.waited_s) else round(run.waited_s / 60)
    return pulled.is_a_risk, waited, run.last_verified_s


def with_camera(day: RollDay, camera: CameraDay) -> RollDay:
    """Return *day* with *camera* in place of the one of its key."""
    cameras = tuple(camera if each.key == camera.key else each for each in day.cameras)
    return replace(day, cameras=cameras)


def with_drive(day: RollDay, tag: str, **changes: object) -> RollDay:
    """Return *day* with the drive *tag* changed."""
    drives = tuple(
        replace(each, **changes) if each.tag == tag else each  # type: ignore[arg-type]
        for each in day.drives
    )
    return replace(day, drives=drives)


def _early_changes(day: RollDay, run: DayRun, camera: CameraDay) -> Iterator[Lever]:
    """Change the card that is in at the end of the day before it is full, between two takes.

    Its first part is then copied while the camera still rolls. Three moments are tried: a
    quarter, a half and three quarters into what it records.
    """
    mine = [trip for trip in run.trips if trip.camera_key == camera.key]
    if not mine or len(mine[-1].recorded) < 2:
        return
    recorded = mine[-1].recorded
    for share in (0.25, 0.5, 0.75):
        at_s = recorded[min(int(len(recorded) * share), len(recorded) - 2)].end_s
        yield Lever(
            LeverKind.EARLY_CHANGE,
            camera.key,
            with_camera(day, replace(camera, changes_s=(*camera.changes_s, at_s))),
            with_what=f"{at_s:.0f}",
        )


def _with_reader(day: RollDay) -> RollDay:
    """Return *day* with one more copy at once, and where all readers are busy by then with one
    more of each of them."""
    if len(day.readers) > day.copies_at_once:
        return replace(day, copies_at_once=day.copies_at_once + 1)
    doubles = tuple(Reader(f"{each.key} +", f"{each.name} +", each.uplink) for each in day.readers)
    cameras = tuple(
        replace(
            camera,
            cards=tuple(
                replace(card, reads=(*card.reads, *((f"{key} +", r) for key, r in card.reads)))
                for card in camera.cards
            ),
        )
        for camera in day.cameras
    )
    return replace(
        day,
        readers=(*day.readers, *doubles),
        cameras=cameras,
        copies_at_once=day.copies_at_once + 1,
    )


def _with_faster_cards(day: RollDay) -> RollDay:
    """Return *day* with cards and readers of twice the rate."""
    cameras = tuple(
        replace(
            camera,
            cards=tuple(
                replace(card, reads=tuple((key, 2 * rate) for key, rate in card.reads))
                for card in camera.cards
            ),
        )
        for camera in day.cameras
    )
    return replace(day, cameras=cameras)


def limiting_drive(day: RollDay, run: DayRun) -> CopyDrive | None:
    """Return the drive that has the last card last."""
    ends: dict[str, float] = {}
    for trip in run.trips:
        for each in trip.on:
            if math.isfinite(each.done_s) and each.is_verified:
                ends[each.drive_tag] = max(ends.get(each.drive_tag, 0.0), each.done_s)
    last = max(ends, key=lambda tag: ends[tag], default="")
    return next((each for each in day.drives if each.tag == last), None)


def that_night_s(day: RollDay, time_of_day_s: float) -> float:
    """Return a time to be home by in the seconds of *day*: before its first take it is that night.

    "00:30" on a day that begins at 7:00 is 24:30 of that day.
    """
    first_s = min((take.start_s for camera in day.cameras for take in camera.takes), default=0.0)
    return time_of_day_s + (24 * 3600.0 if time_of_day_s < first_s else 0.0)


def latest_start_s(day: RollDay, home_by_s: float) -> float:
    """Return by how many seconds the whole day may move, so that all is verified by *home_by_s*.

    Below 0 it has to begin sooner; minus infinity where not even a day sooner helps. Breaks of
    people stay where they are. To half a minute.
    """

    def is_home(shift_s: float) -> bool:
        return run_day(_moved(day, shift_s), is_recorded=False).last_verified_s <= home_by_s

    low_s, high_s = -12 * 3600.0, 12 * 3600.0
    low_s = max(low_s, -min((t.start_s for c in day.cameras for t in c.takes), default=0.0))
    if not is_home(low_s):
        return -math.inf
    while high_s - low_s > 30.0:
        middle_s = (low_s + high_s) / 2
        if is_home(middle_s):
            low_s = middle_s
        else:
            high_s = middle_s
    return low_s


def _moved(day: RollDay, shift_s: float) -> RollDay:
    cameras = tuple(
        replace(
            camera,
            takes=tuple(replace(take, start_s=take.start_s + shift_s) for take in camera.takes),
            changes_s=tuple(at_s + shift_s for at_s in camera.changes_s),
        )
        for camera in day.cameras
    )
    return replace(day, cameras=cameras)
