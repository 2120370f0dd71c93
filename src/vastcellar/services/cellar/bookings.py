"""Jobs with their days and what is booked for them: clashes, and what has to be back when."""

from __future__ import annotations

from collections.abc import Callable, Sequence
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
    found = jobs(workplace.cellar)
    names = {job.name for job in found}
    # A job whose row can't be read is left out, and so are its bookings.
    booked = tuple(each for each in bookings(workplace.cellar) if each.job_name in names)
    return Planned(
        found, booked, clashes(found, booked, shelf.units, shelf.stories, today),
        has_to_be_back(found, booked, shelf.stories, today),
    )  # fmt: skip


def clash_lines(found: Sequence[Clash]) -> list[str]:
    """Return in words which bookings can't be kept; two jobs that want one unit are one line."""
    lines: dict[tuple[str, frozenset[str]], str] = {}
    for each in found:
        jobs_of = frozenset((each.booking.job_name, each.other, each.kind.value))
        lines.setdefault((each.booking.unit_tag, jobs_of), clash_words(each))
    return list(lines.values())


def clash_words(clash: Clash) -> str:
    """Return in words why a booking can't be kept."""
    tag, job = clash.booking.unit_tag, clash.booking.job_name
    until = f" until {day_words(clash.until)}" if clash.until else ""
    return {
        ClashKind.TWICE: f"{tag} is also booked for {clash.other}{until}",
        ClashKind.LENT: f"{tag} is with {clash.other}{until or ', nobody knows until when'}",
        ClashKind.STILL_OUT: f"{tag} never came back from {clash.other}",
        ClashKind.STATE: f"{tag} is {clash.other}",
        ClashKind.GONE: f"there is no {tag} any more",
    }[clash.kind] + f": {job} wants it"


def book_for(workplace: Workplace, job_name: str, wanted: Sequence[Booking]) -> Callable[[], None]:
    """Book exactly *wanted* for a job; return what books again as it was. Raises as ``book``."""
    cellar = workplace.cellar
    before = [each for each in bookings(cellar) if each.job_name == job_name]
    book(cellar, job_name, wanted)
    return lambda: book(cellar, job_name, before)


def ticked(
    workplace: Workplace, job_name: str, tag: str, *, is_out: bool, is_on: bool
) -> Callable[[], None]:
    """Tick a unit out with a job or in again, or take that back; return what undoes it.

    Raises CellarError, UnknownPartError; BadValueError for one that comes in and never went out.
    """
    cellar = workplace.cellar
    before = next(
        (each for each in bookings(cellar) if (each.job_name, each.unit_tag) == (job_name, tag)),
        None,
    )
    tick(cellar, job_name, tag, is_out=is_out, at=datetime.now(UTC) if is_on else None)

    def undo() -> None:
        if before is not None:
            tick(cellar, job_name, tag, is_out=True, at=before.out_at)
            if before.in_at is not None:
                tick(cellar, job_name, tag, is_out=False, at=before.in_at)

    return undo


def keep_job(workplace: Workplace, job: Job, before: Job | None = None) -> Callable[[], None]:
    """Add *job*, or put it in place of *before*; return what undoes it. Raises as ``save_job``."""
    cellar = workplace.cellar
    save_job(cellar, job, before)
    if before is None:
        return lambda: remove_job(cellar, job.name)
    return lambda: save_job(cellar, before, job)


def drop_job(workplace: Workplace, job: Job) -> Callable[[], None]:
    """Remove *job* with its bookings; return what brings both back. Raises UnknownPartError."""
    cellar = workplace.cellar
    booked = [each for each in bookings(cellar) if each.job_name == job.name]
    remove_job(cellar, job.name)

    def undo() -> None:
        save_job(cellar, job)
        book(cellar, job.name, booked)

    return undo
