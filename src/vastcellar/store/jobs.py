"""Jobs in the cellar, and the units that are booked for them."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from vastcellar.core.cellar.jobs import Booking, Job
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.store.cellar import Cellar, require_unit_row
from vastcellar.store.tables import BookingRow, JobRow, UnitRow


def jobs(cellar: Cellar) -> tuple[Job, ...]:
    """Return every job, by its first day. Raises CellarError."""
    wanted = select(JobRow).order_by(JobRow.first_day, JobRow.id)
    return cellar.read("job", JobRow.id, wanted, lambda row: _job(row[0]))


def bookings(cellar: Cellar) -> tuple[Booking, ...]:
    """Return every booking, by job and tag. Raises CellarError."""
    wanted = (
        select(JobRow.name, UnitRow.tag, BookingRow.needs, BookingRow.out_at, BookingRow.in_at)
        .join(JobRow, JobRow.id == BookingRow.job_id)
        .join(UnitRow, UnitRow.id == BookingRow.unit_id)
        .order_by(JobRow.first_day, JobRow.id, UnitRow.tag)
    )
    return cellar.read(
        "booking", BookingRow.id, wanted,
        lambda row: Booking(row[0], row[1], tuple(row[2]), _utc(row[3]), _utc(row[4])),
    )  # fmt: skip


def save_job(cellar: Cellar, job: Job, before: Job | None = None) -> None:
    """Add *job*, or put it in place of *before*; its bookings stay.

    Raises CellarError; BadValueError for a name that is taken; UnknownPartError where *before* is
    gone.
    """
    with cellar.session() as session:
        row = _row(session, before.name) if before else None
        if row is not None and before is not None and not _is_as(row, before):
            raise BadValueError(
                f"it was changed meanwhile, to {row.first_day} to {row.last_day}",
                where=f"job {row.name!r}", mend="Look at what it is now, and change that",
            )  # fmt: skip
        taken = session.scalar(select(JobRow).where(JobRow.name == job.name))
        if taken is not None and taken is not row:
            raise BadValueError(
                "there is a job of this name already", where=f"job {job.name!r}",
                mend="Give it another name, or change that one",
            )  # fmt: skip
        if row is None:
            row = JobRow()
            session.add(row)
        row.name, row.first_day, row.last_day = job.name, job.first_day, job.last_day
        row.shoot_file, row.note = job.shoot_file, job.note


def remove_job(cellar: Cellar, name: str) -> None:
    """Remove a job with its bookings. Raises CellarError, UnknownPartError."""
    with cellar.session() as session:
        row = _row(session, name)
        session.execute(delete(BookingRow).where(BookingRow.job_id == row.id))
        session.delete(row)


def book(cellar: Cellar, job_name: str, wanted: Sequence[Booking]) -> None:
    """Book exactly *wanted* for the job; what is out or back already keeps its ticks.

    Raises CellarError, UnknownPartError; BadValueError where a unit that is out would fall out of
    the list: it has to come back first.
    """
    with cellar.session() as session:
        job = _row(session, job_name)
        known = {
            tag: row
            for row, tag in session.execute(
                select(BookingRow, UnitRow.tag)
                .join(UnitRow, UnitRow.id == BookingRow.unit_id)
                .where(BookingRow.job_id == job.id)
            )
        }
        kept = {each.unit_tag for each in wanted}
        for tag, row in known.items():
            if tag in kept:
                continue
            if row.out_at is not None and row.in_at is None:
                raise BadValueError(
                    "it is out with this job", where=f"unit {tag}", mend="Tick it in first"
                )
            session.delete(row)
        for each in wanted:
            row = known.get(each.unit_tag) or BookingRow(
                job_id=job.id, unit_id=require_unit_row(session, each.unit_tag).id,
                out_at=each.out_at, in_at=each.in_at,
            )  # fmt: skip
            row.needs = list(each.needs)
            session.add(row)


def tick(cellar: Cellar, job_name: str, tag: str, *, is_out: bool, at: datetime | None) -> None:
    """Note when a unit went out, or came in again; None takes the note back.

    Raises CellarError, UnknownPartError; BadValueError for one that comes in and never went out.
    """
    with cellar.session() as session:
        job, unit = _row(session, job_name), require_unit_row(session, tag)
        row = session.scalar(
            select(BookingRow).where(BookingRow.job_id == job.id, BookingRow.unit_id == unit.id)
        )
        if row is None:
            raise UnknownPartError(
                f"{tag} isn't booked for it", where=f"job {job_name!r}", mend="Book it first"
            )
        moment = at.astimezone(UTC) if at else None
        if is_out:
            row.out_at, row.in_at = moment, None
        elif row.out_at is None and moment is not None:
            raise BadValueError("it never went out", where=f"unit {tag}", mend="Tick it out first")
        else:
            row.in_at = moment


def _row(session: Session, name: str) -> JobRow:
    row = session.scalar(select(JobRow).where(JobRow.name == name))
    if row is None:
        raise UnknownPartError(
            f"there is no job {name!r}", where="cellar", mend="Add it, or choose one that is there"
        )
    return row


def _is_as(row: JobRow, job: Job) -> bool:
    """Whether nobody else has changed it since it was read."""
    now = (row.first_day, row.last_day, row.shoot_file, row.note)
    return now == (job.first_day, job.last_day, job.shoot_file, job.note)


def _job(row: JobRow) -> Job:
    return Job(row.name, row.first_day, row.last_day, row.shoot_file, row.note, row.id)


def _utc(at: datetime | None) -> datetime | None:
    return at.replace(tzinfo=UTC) if at else None
