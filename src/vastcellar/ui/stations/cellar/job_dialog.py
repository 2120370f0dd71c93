"""A job of the calendar: its name and its days."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date, timedelta

from PySide6.QtWidgets import QWidget

from vastcellar.core.cellar.jobs import Job
from vastcellar.core.cellar.story import day_of
from vastcellar.core.units import NumberFormat
from vastcellar.ui.widgets.field_dialog import FieldDialog
from vastcellar.ui.widgets.inputs import parse_whole, plain_text


class JobDialog(FieldDialog):
    """Asks for a job; ``value`` is what was entered."""

    def __init__(
        self, parent: QWidget, numbers: NumberFormat, job: Job | None, name: str, days: int,
        keep: Callable[[Job], None] | None = None,
    ) -> None:  # fmt: skip
        begin = date.today() + timedelta(days=1)
        known = job or Job(name, begin, begin + timedelta(days=max(days, 1) - 1))
        title = f"Job {job.name}" if job else "A job for the calendar"
        super().__init__(
            parent, numbers, title, "Its days are what bookings of units are held against.",
            known, keep,
        )  # fmt: skip
        fields = self.fields
        fields.add("Name", plain_text, str, lambda j: j.name, lambda j, v: replace(j, name=v))
        fields.add("First day", _day, lambda d: d.isoformat(), lambda j: j.first_day, _begins,
                   "As 2026-12-24; the last day moves along")  # fmt: skip
        fields.add("Days", parse_whole, str, lambda j: j.days, _lasts)
        fields.add("Note", _any_text, str, lambda j: j.note, lambda j, v: replace(j, note=v))
        self.show_value()


def _begins(job: Job, first: date) -> Job:
    return replace(job, first_day=first, last_day=first + timedelta(days=job.days - 1))


def _lasts(job: Job, days: int) -> Job:
    return replace(job, last_day=job.first_day + timedelta(days=min(days, 10_000) - 1))


def _day(text: str, *, where: str = "", decimal_point: str = ".") -> date:
    return day_of(text.strip(), "the day", where or "job")


def _any_text(text: str, *, where: str = "", decimal_point: str = ".") -> str:
    return text.strip()
