"""The calendar: jobs, what is booked for them, clashes, and what has to be back when."""

from __future__ import annotations

from datetime import date
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from vastcellar.core.cellar.jobs import ClashKind, Job
from vastcellar.core.errors import VastCellarError
from vastcellar.services.cellar.bookings import Planned, clash_lines, drop_job, keep_job
from vastcellar.services.cellar.story_wording import day_words
from vastcellar.ui.models.cellar_desk import CellarDesk
from vastcellar.ui.stations.cellar.calendar_view import CalendarBar, CalendarRow, CalendarView
from vastcellar.ui.stations.cellar.job_dialog import JobDialog
from vastcellar.ui.widgets.cards import card, label


class CalendarPage(QWidget):
    """The picture above, what is wrong with it below."""

    unit_chosen = Signal(str)

    def __init__(self, desk: CellarDesk) -> None:
        super().__init__()
        self.desk, self._bench = desk, desk.workbench
        self.chosen = ""
        self.view = CalendarView(self._bench.look)
        self.line = label(kind="soft")
        self.clashes = label(wraps=True)
        self.back_by = label(wraps=True)
        self.add_button = QPushButton("New job …")
        self.change_button = QPushButton("Change …")
        self.remove_button = QPushButton("Remove")
        self.remove_button.setToolTip("With its bookings; undo brings both back")
        self._lay_out()
        self.view.asked.connect(self.choose)
        self.add_button.clicked.connect(lambda: self.dialog().exec())
        self.change_button.clicked.connect(self._ask_change)
        self.remove_button.clicked.connect(self._remove)
        desk.changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self.line, 1)
        for button in (self.change_button, self.remove_button, self.add_button):
            head.addWidget(button)
        layout.addLayout(head)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.view)
        layout.addWidget(area, 1)
        below = QHBoxLayout()
        below.setSpacing(10)
        for title, text in (("Clashes", self.clashes), ("Has to be back", self.back_by)):
            frame, inside = card()
            inside.addWidget(label(title, "head"))
            inside.addWidget(text)
            inside.addStretch(1)
            below.addWidget(frame, 1)
        layout.addLayout(below)

    def refresh(self) -> None:
        """Show jobs and bookings as they are now."""
        shown, today = self.desk.shown, date.today()
        planned = shown.planned if shown else Planned()
        if planned.job(self.chosen) is None:
            ahead = [job.name for job in planned.jobs if job.last_day >= today]
            self.chosen = ahead[0] if ahead else (planned.jobs[-1].name if planned.jobs else "")
        self.view.show_rows(self._rows(planned, today), today, self.chosen)
        job = planned.job(self.chosen)
        for button in (self.change_button, self.remove_button):
            button.setEnabled(job is not None)
        self.line.setText(self._job_line(planned, job))
        told = clash_lines(planned.clashes)
        self.clashes.setText("\n".join(told[:6]) or "None: every booking can be kept.")
        self.back_by.setText("\n".join(
            f"{each.unit_tag} by {day_words(each.by)}: it is with {each.where}, and "
            f"{each.job_name} wants it"
            for each in planned.back_by[:6]
        ) or "Nothing that is away is booked.")  # fmt: skip

    def _job_line(self, planned: Planned, job: Job | None) -> str:
        if job is None:
            return "No job yet: what is booked for one is held against the others."
        booked = planned.of(job.name)
        out = sum(each.is_out for each in booked)
        days = "1 day" if job.days == 1 else f"{job.days} days"
        parts = [job.name, f"{day_words(job.first_day)}, {days}", f"{len(booked)} units booked"]
        if out:
            parts.append(f"{out} out")
        if job.note:
            parts.append(job.note)
        return " · ".join(parts)

    def _rows(self, planned: Planned, today: date) -> list[CalendarRow]:
        jobs = [job for job in planned.jobs if (today - job.last_day).days < 10]
        clashing = {(each.booking.job_name, each.booking.unit_tag) for each in planned.clashes}
        rows = [
            CalendarRow(
                job.name, (CalendarBar(job.first_day, job.last_day, job.name, "job"),), True
            )
            for job in jobs
        ]
        names = {job.name: job for job in jobs}
        by_unit: dict[str, list[CalendarBar]] = {}
        for booking in planned.bookings:
            job = names.get(booking.job_name)
            if job is None:
                continue
            is_clash = (booking.job_name, booking.unit_tag) in clashing
            by_unit.setdefault(booking.unit_tag, []).append(
                CalendarBar(job.first_day, job.last_day, ", ".join(booking.needs) or job.name,
                            "clash" if is_clash else "booked", booking.unit_tag)
            )  # fmt: skip
        for tag, story in self._bench.shelf.stories.items():
            loan = story.loan
            if loan is not None:
                until = max(loan.due_on or today, today)
                by_unit.setdefault(tag, []).append(
                    CalendarBar(
                        loan.since.astimezone().date(), until, f"with {loan.to}", "lent", tag
                    )
                )
        wrong = {
            each.booking.unit_tag for each in planned.clashes if each.kind is not ClashKind.GONE
        }
        order = sorted(by_unit, key=lambda tag: (tag not in wrong, tag))
        return rows + [CalendarRow(tag, tuple(by_unit[tag])) for tag in order]

    def choose(self, name: str) -> None:
        """Choose a job, or open a unit of the shelf."""
        shown = self.desk.shown
        if shown is not None and shown.planned.job(name) is not None:
            self.chosen = name
            self.refresh()
        elif self._bench.shelf.unit(name) is not None:
            self.unit_chosen.emit(name)

    def dialog(self, job: Job | None = None) -> JobDialog:
        """Return the dialog that asks for a job, or for what is now known of one."""
        shoot = self._bench.document.shoot
        return JobDialog(
            self, self._bench.look.numbers, job, shoot.name, shoot.days, partial(self.keep, job)
        )

    def keep(self, before: Job | None, job: Job) -> None:
        """Add *job*, or put it in place of *before*. Raises what refuses it."""
        do = partial(keep_job, self._bench.workplace, job, before)
        self.desk.note(f"job {job.name}", do)
        self.chosen = job.name

    def _ask_change(self) -> None:
        shown = self.desk.shown
        job = shown.planned.job(self.chosen) if shown else None
        if job is not None:
            self.dialog(job).exec()

    def _remove(self) -> None:
        shown = self.desk.shown
        job = shown.planned.job(self.chosen) if shown else None
        if job is None:
            return
        try:
            self.desk.note(f"job {job.name} removed", partial(drop_job, self._bench.workplace, job))
        except VastCellarError as error:
            self._bench.trouble.emit(error)
