"""Jobs with their days, what is booked for them, and where bookings get into each other's way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from enum import StrEnum

from vastcellar.core.cellar.story import Story
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.units import Unit

_LONGEST_DAYS = 3660


@dataclass(frozen=True, slots=True)
class Job:
    """A job and its days, both included."""

    name: str
    first_day: date
    last_day: date
    shoot_file: str = ""
    """The shoot that was planned for it; "" for none."""
    note: str = ""
    job_id: int = 0

    def __post_init__(self) -> None:
        where = f"job {self.name!r}"
        if not self.name.strip() or not self.name.isprintable():
            raise BadValueError("a job has no name", where="job", mend="Give it one, in one line")
        if self.last_day < self.first_day:
            raise BadValueError(
                f"it ends on {self.last_day}, before it begins on {self.first_day}", where=where,
                mend="Let it end on its first day or later",
            )  # fmt: skip
        if (self.last_day - self.first_day).days > _LONGEST_DAYS:
            raise BadValueError(
                f"it is said to last from {self.first_day} to {self.last_day}", where=where,
                mend="Check both years",
            )  # fmt: skip

    @property
    def days(self) -> int:
        """How many days it lasts."""
        return (self.last_day - self.first_day).days + 1

    def overlaps(self, other: Job) -> bool:
        """Return whether both have a day in common."""
        return self.first_day <= other.last_day and other.first_day <= self.last_day


@dataclass(frozen=True, slots=True)
class Booking:
    """A unit that goes on a job."""

    job_name: str
    unit_tag: str
    needs: tuple[str, ...] = ()
    """What it goes for: cameras and copies by name."""
    out_at: datetime | None = None
    """When it was ticked out; None before."""
    in_at: datetime | None = None
    """When it was ticked in again; None before."""

    @property
    def is_out(self) -> bool:
        """Whether it is with the job now."""
        return self.out_at is not None and self.in_at is None


class ClashKind(StrEnum):
    """Why a booking can't be kept."""

    TWICE = "twice"
    """It is booked for another job on one of the days."""
    LENT = "lent"
    """It is lent until one of the days, or nobody knows until when."""
    STILL_OUT = "still out"
    """It went on a job that is over, and wasn't ticked in."""
    STATE = "state"
    """It is in doubt or retired."""
    GONE = "gone"
    """There is no such unit any more."""


@dataclass(frozen=True, slots=True)
class Clash:
    """A booking that can't be kept as things stand."""

    kind: ClashKind
    booking: Booking
    other: str
    """The other job, who has it, or its state."""
    until: date | None = None
    """When it is back by then; None where nobody knows."""


def clashes(
    jobs: Sequence[Job], bookings: Sequence[Booking], units: Sequence[Unit],
    stories: dict[str, Story], today: date,
) -> tuple[Clash, ...]:  # fmt: skip
    """Return every booking of a job not yet over that can't be kept, by day and tag.

    Of two jobs that want one unit each clashes with the other: nobody here knows which matters
    more.
    """
    by_name = {job.name: job for job in jobs}
    by_tag = {unit.tag: unit for unit in units}
    found: list[Clash] = []
    for booking in bookings:
        job = by_name[booking.job_name]
        if job.last_day < today or booking.is_out:
            continue
        unit, story = by_tag.get(booking.unit_tag), stories.get(booking.unit_tag, Story())
        if unit is None:
            found.append(Clash(ClashKind.GONE, booking, booking.unit_tag))
            continue
        for other in bookings:
            theirs = by_name[other.job_name]
            if other.unit_tag != booking.unit_tag or theirs.name == job.name:
                continue
            if other.is_out and theirs.last_day < today:
                found.append(Clash(ClashKind.STILL_OUT, booking, theirs.name))
            elif theirs.overlaps(job) and other.in_at is None:
                found.append(Clash(ClashKind.TWICE, booking, theirs.name, theirs.last_day))
        loan = story.loan
        if unit.state == "on loan" and (
            loan is None or loan.due_on is None or loan.due_on >= job.first_day
            or loan.days_overdue(today)
        ):  # fmt: skip
            due = loan.due_on if loan and not loan.days_overdue(today) else None
            found.append(Clash(ClashKind.LENT, booking, loan.to if loan else "somebody", due))
        elif unit.state not in ("ready", "on loan"):
            found.append(Clash(ClashKind.STATE, booking, unit.state))
    return tuple(sorted(
        found, key=lambda each: (by_name[each.booking.job_name].first_day, each.booking.unit_tag)
    ))  # fmt: skip


@dataclass(frozen=True, slots=True)
class BackBy:
    """A unit that has to be back before a job."""

    unit_tag: str
    job_name: str
    by: date
    """The day before the job begins."""
    where: str
    """The job or person it is with."""


def has_to_be_back(
    jobs: Sequence[Job], bookings: Sequence[Booking], stories: dict[str, Story], today: date
) -> tuple[BackBy, ...]:
    """Return which units are away now and booked for a job ahead, the soonest first."""
    by_name = {job.name: job for job in jobs}
    out = {each.unit_tag: each.job_name for each in bookings if each.is_out}
    found = []
    for booking in bookings:
        job = by_name[booking.job_name]
        if job.last_day < today or booking.is_out or booking.in_at is not None:
            continue
        loan = stories.get(booking.unit_tag, Story()).loan
        where = loan.to if loan else out.get(booking.unit_tag, "")
        if where:
            before = date.fromordinal(job.first_day.toordinal() - 1)
            found.append(BackBy(booking.unit_tag, job.name, before, where))
    return tuple(sorted(found, key=lambda each: (each.by, each.unit_tag)))
