"""Which units go on the open shoot: four sets, what holds, how it lies, ticked out and in."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.cellar.jobs import Booking, Job
from vastcellar.core.cellar.packing import Packing
from vastcellar.core.errors import VastCellarError
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.units import parse_number
from vastcellar.services.cellar.bookings import book_for, keep_job, ticked
from vastcellar.services.cellar.packing import evening_before
from vastcellar.services.cellar.packing_wording import (
    EVENING_PORTS,
    evening_words,
    mass_words,
    optimum_words,
    set_verdict,
    set_words,
    why_words,
)
from vastcellar.services.cellar.story_wording import day_words
from vastcellar.ui.models.packing_desk import PackingDesk
from vastcellar.ui.stations.cellar.case_view import CaseView
from vastcellar.ui.stations.cellar.goal_cards import GoalCards
from vastcellar.ui.stations.cellar.job_dialog import JobDialog
from vastcellar.ui.stations.cellar.needs_view import NeedsView
from vastcellar.ui.widgets.cards import OneLine, card, label
from vastcellar.ui.widgets.inputs import Choice, QuantityField, or_nothing
from vastcellar.ui.widgets.verdict_line import VerdictLine

_OUT, _IN, _PIECE, _WHY, _MASS = range(5)
_MOST_NEEDS_PX = 268
_HEADERS = ("Out", "In", "Piece", "Why it is in, and what breaks without it", "")


class PackingPage(QWidget):
    """The sets above; the case, the needs and the list below."""

    def __init__(self, desk: PackingDesk) -> None:
        super().__init__()
        self.desk, self._bench = desk, desk.workbench
        look = self._bench.look
        self.tag = ""
        self.verdict = VerdictLine(look)
        self.job_choice = Choice("Job")
        self.new_job_button = QPushButton("New job …")
        self.spend = QuantityField("Spend", or_nothing(parse_number, "nothing"), self._spend_text)
        self.cards = GoalCards(look, self._bench.catalog.currency)
        self.case = CaseView(look)
        self.needs = NeedsView(look)
        self.list = QTreeWidget()
        self.stays, self.evening = OneLine(), OneLine()
        self.book_button = QPushButton("Book this set")
        self.job_line = OneLine()
        self._is_filling = False
        self._lay_out()
        desk.changed.connect(self.refresh)
        desk.desk.changed.connect(self.refresh)
        self.cards.chosen.connect(desk.choose)
        self.job_choice.chosen.connect(desk.choose_job)
        self.new_job_button.clicked.connect(lambda: self.job_dialog().exec())
        self.spend.entered.connect(desk.spend)
        self.book_button.clicked.connect(self._book)
        self.list.itemChanged.connect(self._on_ticked)
        self.list.currentItemChanged.connect(self._on_piece)
        for view in (self.case, self.needs):
            view.unit_chosen.connect(self.choose)
        self.refresh()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        self.spend.setMaximumWidth(90)
        self.spend.decimal_point = self._bench.look.numbers.decimal_point
        self.spend.setToolTip("What may be bought for copies, at most; nothing without it")
        head = QHBoxLayout()
        head.setSpacing(8)
        for widget in (self.job_choice, self.new_job_button, label("Buy for at most", "soft"),
                       self.spend):  # fmt: skip
            head.addWidget(widget)
        head.addWidget(self.job_line, 1)
        head.addWidget(self.book_button)
        layout.addLayout(head)
        layout.addWidget(self.verdict)
        layout.addWidget(self.cards)
        body = QHBoxLayout()
        body.setSpacing(10)
        frame, inside = card()
        inside.addWidget(self.case, 1)
        body.addWidget(frame, 4)
        right = QVBoxLayout()
        right.setSpacing(6)
        frame, inside = card()
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.needs)
        self.needs.setObjectName("inside")
        inside.addWidget(area)
        self._needs_area = area
        right.addWidget(frame)
        self.list.setHeaderLabels(_HEADERS)
        self.list.setRootIsDecorated(False)
        self.list.setUniformRowHeights(True)
        self.list.setAccessibleName("Tick out, tick in")
        for column, width in ((_OUT, 40), (_IN, 40), (_PIECE, 110), (_MASS, 60)):
            self.list.setColumnWidth(column, width)
        self.list.setColumnWidth(_WHY, 260)
        right.addWidget(self.list, 3)
        right.addWidget(self.evening)
        right.addWidget(self.stays)
        body.addLayout(right, 7)
        layout.addLayout(body, 1)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.desk.set_active(True)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.desk.set_active(False)

    # Showing

    def refresh(self) -> None:
        """Show the sets as they are now."""
        desk, fmt = self.desk, self._bench.look.numbers
        shown, packed, packing = desk.desk.shown, desk.packed, desk.packing
        jobs = [job for job in (shown.planned.jobs if shown else ()) if job.last_day >= _today()]
        self.job_choice.offer(
            [("", "No job: any day"), *((job.name, job.name) for job in jobs)], desk.job_name
        )
        job = desk.job
        self.job_line.setText(
            f"{day_words(job.first_day)} to {day_words(job.last_day)}" if job else
            "Its days keep out what is booked elsewhere"
        )  # fmt: skip
        self.spend.show_value(desk.spend_at_most)
        self.book_button.setEnabled(job is not None and packing is not None)
        self.cards.show_sets(packed, desk.goal)
        if packing is None or packed is None:
            said = str(desk.error) if desk.error else "Looking for the best sets …"
            self.verdict.show_verdict(Verdict.NOT_KNOWN, Evidence.COMPUTED, said, "")
        else:
            self.verdict.show_verdict(
                set_verdict(packing), Evidence.COMPUTED, set_words(packing, fmt),
                optimum_words(packing),
            )  # fmt: skip
        if packing is not None and self.tag not in packing.tags:
            self.tag = packing.tags[0] if packing.tags else ""
        self._show_unit()
        self._fill_list(packing)
        evening = ""
        if packed is not None and packing is not None:
            evening = evening_words(evening_before(packed, packing, EVENING_PORTS), fmt)
        self.evening.setText(evening)
        self.evening.setToolTip(evening)
        stays = packed.stays if packed else ()
        told = " · ".join(f"{each.tag} {each.why}" for each in stays)
        self.stays.setText(f"Stay: {told}" if told else "")
        self.stays.setToolTip("\n".join(f"{each.tag}: {each.why}" for each in stays))

    def _show_unit(self) -> None:
        packed, packing = self.desk.packed, self.desk.packing
        self.case.show_set(packed, packing, self.tag)
        self.needs.show_set(packed, packing, self.tag)
        self._needs_area.setFixedHeight(min(self.needs.minimumHeight() + 2, _MOST_NEEDS_PX))

    def choose(self, tag: str) -> None:
        """Make *tag* the unit that case, needs and list show."""
        self.tag = tag
        self._show_unit()
        for number in range(self.list.topLevelItemCount()):
            item = self.list.topLevelItem(number)
            if (
                item is not None
                and item.text(_PIECE) == tag
                and self.list.currentItem() is not item
            ):
                self.list.setCurrentItem(item)

    def _fill_list(self, packing: Packing | None) -> None:
        packed, fmt = self.desk.packed, self._bench.look.numbers
        self._is_filling = True
        self.list.clear()
        if packing is not None and packed is not None:
            booked = {each.unit_tag: each for each in self._booked()}
            masses = {unit.tag: unit.mass_g for unit in packed.task.units}
            for tag in packing.tags:
                why = why_words(packed, packing, tag, fmt)
                self._piece(tag, why, mass_words(masses[tag], fmt), booked.get(tag))
            pieces = {each.key: each for each in packed.task.accessories}
            for key in sorted(set(packing.accessories)):
                count = packing.accessories.count(key)
                name = pieces[key].name + (f", {count} of them" if count > 1 else "")
                self._piece(name, "", mass_words(pieces[key].mass_g * count, fmt), None)
        self._is_filling = False

    def _piece(self, name: str, why: str, mass: str, booked: Booking | None) -> None:
        item = QTreeWidgetItem(["", "", name, why, mass])
        item.setToolTip(_WHY, why)
        item.setToolTip(_PIECE, name)
        item.setTextAlignment(_MASS, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if booked is not None:
            for column, moment in ((_OUT, booked.out_at), (_IN, booked.in_at)):
                state = Qt.CheckState.Checked if moment else Qt.CheckState.Unchecked
                item.setCheckState(column, state)
                if moment:
                    item.setToolTip(column, day_words(moment))
        self.list.addTopLevelItem(item)

    def _booked(self) -> tuple[Booking, ...]:
        shown = self.desk.desk.shown
        return shown.planned.of(self.desk.job_name) if shown and self.desk.job_name else ()

    def _on_piece(self, item: QTreeWidgetItem | None, _before: QTreeWidgetItem | None) -> None:
        packing = self.desk.packing
        if self._is_filling or item is None or packing is None:
            return
        if item.text(_PIECE) in packing.tags:
            self.tag = item.text(_PIECE)
            self._show_unit()

    # Booking

    def job_dialog(self, job: Job | None = None) -> JobDialog:
        """Return the dialog that asks for a job, to begin with for the open shoot."""
        shoot = self._bench.document.shoot
        return JobDialog(self, self._bench.look.numbers, job, shoot.name, shoot.days, self.keep_job)

    def keep_job(self, job: Job) -> None:
        """Add *job* to the calendar, for the open shoot. Raises what refuses it."""
        path = self._bench.document.path
        kept = Job(job.name, job.first_day, job.last_day, str(path or ""), job.note)
        keep_job(self._bench.workplace, kept)
        self.desk.job_name = kept.name
        self._bench.units.reload()

    def _book(self) -> None:
        packing, job = self.desk.packing, self.desk.job
        if packing is None or job is None:
            return
        own = {unit.tag for unit in self._bench.shelf.units}
        wanted = [
            Booking(job.name, tag, tuple(met.need.name for met in packing.of(tag)))
            for tag in packing.tags
            if tag in own  # what is to be bought isn't a unit yet
        ]
        do = partial(book_for, self._bench.workplace, job.name, wanted)
        try:
            self.desk.desk.note(f"booked for {job.name}", do)
        except VastCellarError as error:
            self._bench.trouble.emit(error)

    def _on_ticked(self, item: QTreeWidgetItem, column: int) -> None:
        if self._is_filling or column not in (_OUT, _IN) or not self.desk.job_name:
            return
        is_on = item.checkState(column) is Qt.CheckState.Checked
        tag = item.text(_PIECE)
        do = partial(
            ticked, self._bench.workplace, self.desk.job_name, tag, is_out=column == _OUT,
            is_on=is_on,
        )  # fmt: skip
        # What follows fills the list anew: the line that is telling of its tick would be gone while
        # it still speaks.
        QTimer.singleShot(0, self, lambda: self._note(tag, do))

    def _note(self, tag: str, do: Callable[[], object]) -> None:
        try:
            self.desk.desk.note(f"{tag} ticked", do)
        except VastCellarError as error:
            self._bench.trouble.emit(error)
            self.refresh()

    def _spend_text(self, value: float) -> str:
        fmt, currency = self._bench.look.numbers, self._bench.catalog.currency
        return f"{fmt.number(value, 0)} {currency}" if value else "nothing"


def _today() -> date:
    return date.today()
