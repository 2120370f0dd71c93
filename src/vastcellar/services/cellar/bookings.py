"""Jobs with their days and what is booked for them: clashes, and what has to be back when."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime

from vastcellar.core.cellar.jobs import (
    BackBy,
    Booking,
    Clash,
    ClashKind,
    Job,
    clashes,
    has_to_be_back,
)
from vastcellar.services.cellar.story_wording import day_words
from vastcellar.services.workplace.workplace import Shelf, Workplace
from vastcellar.store.jobs import book, bookings, jobs, remove_job, save_job, tick

__all__ = ["book", "remove_job", "save_job"]


@dataclass(frozen=True)
class Planned:
    """All jobs and bookings, and what is wrong with them."""

    jobs: tuple[Job, ...] = ()
    bookings: tuple[Booking, ...] = ()
    clashes: tuple[Clash, ...] = ()
    back_by: tuple[BackBy, ...] = ()

    def of(self, job_name: str) -> tuple[Booking, ...]:
        """Return the bookings of a job."""
        return tuple(each for each in self.bookings if each.job_name == job_name)

    def job(self, name: str) -> Job | None:
        """Return the job called *name*; None where there is none."""
        return next((each for each in self.jobs if each.name == name), None)


def planned_jobs(workplace: Workplace, shelf: Shelf, today: date) -> Planned:
    """Return the jobs and bookings as they stand. Raises CellarError."""
    found, booked = jobs(workplace.cellar), bookings(workplace.cellar)
    return Planned(
        found, booked, clashes(found, booked, shelf.units, shelf.stories, today),
        has_to_be_back(found, booked, shelf.stories, today),
    )  # fmt: skip


def clash_words(clash: Clash) -> str:
    """Return in words why a booking can't be kept."""
    tag, job = clash.booking.unit_tag, clash.booking.job_name
    until = f" until {day_words(clash.until)}" if clash.until else ""
    return {
        ClashKind.TWICE: f"{tag} is booked for {clash.other} as well{until}",
        ClashKind.LENT: f"{tag} is with {clash.other}{until or ', nobody knows until when'}",
        ClashKind.STILL_OUT: f"{tag} never came back from {clash.other}",
        ClashKind.STATE: f"{tag} is {clash.other}",
        ClashKind.GONE: f"there is no {tag} any more",
    }[clash.kind] + f": {job} wants it"


def tick_out(workplace: Workplace, job_name: str, tag: str, *, undo: bool = False) -> None:
    """Note that a unit went out with a job, or that it didn't. Raises as ``tick`` does."""
    tick(workplace.cellar, job_name, tag, is_out=True, at=None if undo else datetime.now(UTC))


def tick_in(workplace: Workplace, job_name: str, tag: str, *, undo: bool = False) -> None:
    """Note that a unit is back from a job, or that it isn't. Raises as ``tick`` does."""
    tick(workplace.cellar, job_name, tag, is_out=False, at=None if undo else datetime.now(UTC))
