"""The station Build: will these parts go together, and will it hold, before anything is bought."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.build.kinds import kind_of
from vastcellar.core.errors import VastCellarError
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.services.build.billing import instead_of
from vastcellar.services.build.build_sums import build_sums
from vastcellar.services.build.building import Build, build, mended
from vastcellar.services.build.chosen import Chosen, first_choice
from vastcellar.services.build.photos import keep_photo, photos_of
from vastcellar.services.build.progress import (
    done_steps,
    keep_step,
    learned_steps,
    start_clock,
    started_clock,
)
from vastcellar.services.build.tiers import Tiers, tiers_of
from vastcellar.services.build.variants import Gain, KindChoice, gains_of, kinds_for
from vastcellar.services.build.wording import (
    build_state,
    build_title,
    fit_headline,
    fit_sentence,
    gains_sentence,
)
from vastcellar.services.words.verdict_wording import told_verdict
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.services.workplace.workplace import Shelf
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.build.bays_view import BaysView
from vastcellar.ui.stations.build.bench_card import BenchCard
from vastcellar.ui.stations.build.bill_card import BillCard
from vastcellar.ui.stations.build.bring_up_page import BringUpPage
from vastcellar.ui.stations.build.build_form import BuildForm
from vastcellar.ui.stations.build.check_list import CheckList
from vastcellar.ui.stations.build.kind_row import KindRow
from vastcellar.ui.stations.build.price_page import PricePage
from vastcellar.ui.stations.build.stack_view import StackView
from vastcellar.ui.widgets.cards import OneLine, card, label, row
from vastcellar.ui.widgets.tabs import tab_group
from vastcellar.ui.widgets.verdict_line import VerdictLine

_PAGES = (
    ("The stack", "What fits, where the heat goes, what it costs"),
    ("Price", "What it costs beside what is sold, by capacity"),
    ("Bench card", "The steps of this build"),
    ("Bring-up", "Format it, prove it, into service"),
)
_LEAST_LOWER_PX = 150


@dataclass(frozen=True)
class _Made:
    """What was reckoned for one choice."""

    made: Build
    mended: Build | None
    tiers: Tiers
    gains: tuple[Gain, ...] = ()


class BuildStation(QWidget):
    """Kinds above, the stack drawn, checks and bill under it; the bench card on its own page."""

    state_changed = Signal(str)
    """What the rail says of it."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        look = workbench.look
        self.chosen: Chosen | None = None
        self.made: Build | None = None
        self._mended: Build | None = None
        self._tiers: Tiers | None = None
        self._subject = ""
        self.title, self.subtitle = label(kind="title"), OneLine()
        self.verdict = VerdictLine(look)
        self.fit_line = OneLine()
        self.kinds = KindRow(look)
        self.form = BuildForm()
        self.stack, self.bays = StackView(look), BaysView(look)
        self.pictures = QStackedWidget()
        self.pictures.addWidget(self.stack)
        self.pictures.addWidget(self.bays)
        self.gains_line = OneLine()
        self.checks = CheckList(look)
        self.bill = BillCard(look)
        self.prices = PricePage(look)
        self.message = label(kind="wrong", wraps=True)
        self.bench = BenchCard(look)
        self.bring_up = BringUpPage(workbench)
        self._builder, self._kinder, self._keeper = (Background(self) for _ in range(3))
        self._lay_out()
        self._connect()
        self.refresh()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 8, 18, 8)
        layout.setSpacing(4)
        group = tab_group(_PAGES, self)
        self.tabs = group.buttons()
        group.idToggled.connect(self._on_tab)
        head = QHBoxLayout()
        head.setSpacing(14)
        head.addWidget(self.title)
        head.addWidget(self.subtitle, 1)
        head.addLayout(row(*self.tabs, spacing=4))
        layout.addLayout(head)
        layout.addWidget(self.verdict)
        layout.addWidget(self.fit_line)
        layout.addWidget(self.message)
        self._pages = QStackedWidget()
        self._pages.addWidget(self._stack_page())
        self._pages.addWidget(self.prices)
        self._pages.addWidget(self.bench)
        self._pages.addWidget(self.bring_up)
        layout.addWidget(self._pages, 1)

    def _stack_page(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.kinds)
        frame, inside = card()
        inside.setContentsMargins(14, 8, 14, 8)
        inside.addWidget(self.form)
        inside.addWidget(self.pictures, 1)
        inside.addWidget(self.gains_line)
        layout.addWidget(frame, 5)
        lower = QHBoxLayout()
        lower.setSpacing(8)
        frame, inside = card()
        head = row(label("Checks", "head"))
        head.addWidget(self.form.splash)
        inside.addLayout(head)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.checks)
        inside.addWidget(area, 1)
        frame.setMinimumHeight(_LEAST_LOWER_PX)
        lower.addWidget(frame, 1)
        lower.addWidget(self.bill, 1)
        layout.addLayout(lower, 3)
        return page

    def _connect(self) -> None:
        workbench = self._workbench
        self.form.chosen.connect(self.choose)
        self.kinds.chosen.connect(self._on_kind)
        self.stack.mend_asked.connect(self.take_mend)
        self.bays.mend_asked.connect(self.take_mend)
        self.stack.asked.connect(self._on_figure)
        self.bench.ticked.connect(self._on_tick)
        self.bench.print_asked.connect(self._ask_where)
        self.bench.clock_started.connect(self._on_clock)
        self.bench.photo_asked.connect(self._ask_photo)
        self.bill.save_asked.connect(self._ask_bill)
        self._builder.done.connect(self._on_built)
        self._builder.failed.connect(self._on_failed)
        self._kinder.done.connect(self._on_kinds)
        self._kinder.failed.connect(self._on_failed)
        self._keeper.failed.connect(self._on_failed)
        workbench.judged.connect(self.refresh)

    def _on_tab(self, index: int, is_on: bool) -> None:
        if is_on:
            self._pages.setCurrentIndex(index)

    def refresh(self) -> None:
        """Reckon anew; another camera brings what it records to."""
        workbench = self._workbench
        camera = workbench.subject
        key = camera.key if camera else ""
        if self.chosen is None or key != self._subject:
            self._subject = key
            try:
                self.chosen = first_choice(camera, workbench.catalog)
            except VastCellarError as error:
                self._on_failed(error)
                return
        self._reckon()

    def choose(self, chosen: Chosen) -> None:
        """Lay out *chosen*."""
        self.chosen = chosen
        self._reckon()

    def _on_kind(self, choice: KindChoice) -> None:
        if self.chosen is not None:
            self.choose(
                replace(
                    self.chosen, enclosure_key=choice.enclosure_key, dock_key=choice.dock_key,
                    pad_key="", reused=(), beside_keys=(),
                )
            )  # fmt: skip

    def _on_figure(self, key: str) -> None:
        if key in ("stack", "heights"):
            self._workbench.sum_asked.emit(key)

    def take_mend(self) -> None:
        """Lay out what would mend it."""
        if self._mended is not None:
            self.choose(self._mended.chosen)

    def _reckon(self) -> None:
        workbench, chosen = self._workbench, self.chosen
        if chosen is None:
            return
        self.form.show_chosen(chosen, workbench.catalog, workbench.shelf)
        shoot, camera = workbench.document.shoot, workbench.subject
        spec = chosen, workbench.catalog, workbench.shelf, shoot, camera
        self._builder.request(partial(_build, *spec))
        self._kinder.request(partial(kinds_for, *spec))

    def _on_built(self, found: _Made) -> None:
        self.made, self._mended, self._tiers = found.made, found.mended, found.tiers
        self._say(None)
        made, workbench = found.made, self._workbench
        numbers, currency = workbench.look.numbers, workbench.catalog.currency
        camera = workbench.subject
        self.title.setText(build_title(made))
        whose = f", for {camera.key} {camera.name}" if camera else ""
        self.subtitle.setText(f"in the {made.layout.enclosure.name}{whose}")
        self.subtitle.setToolTip(self.subtitle.text())
        sentence, head = fit_sentence(made, numbers), fit_headline(made)
        take = None
        if made.judgement is not None and camera is not None:
            take = told_verdict(made.judgement, camera, numbers)
        if take is not None and made.verdict is not Verdict.FALLS_SHORT:
            self.verdict.show_verdict(*take)
            second = f"{sentence}."
        else:  # first of all it has to go together
            by_what = "by the measures of its parts"
            self.verdict.show_verdict(made.verdict, Evidence.CLAIMED, head, by_what)
            second = f"{sentence.split(': ', 2)[-1]}."
            second = second[0].upper() + second[1:]
            if take is not None and made.judgement and made.judgement.run is not None:
                second += f" The take, as laid out: {take.sentence}."
        self.fit_line.setText(second)
        self.fit_line.setToolTip(second)
        picture = self.bays if made.layout.bays > 1 else self.stack
        picture.show_build(made, found.mended, currency)
        self.pictures.setCurrentWidget(picture)
        self.checks.show_build(made, currency)
        told = gains_sentence(found.gains, numbers)
        self.gains_line.setText(told)
        self.gains_line.setToolTip(told)
        self.gains_line.setVisible(bool(told))
        self.bill.show_build(made, workbench.catalog)
        self.prices.show_tiers(found.tiers, made.layout.capacity_bytes, currency)
        workbench.show_sums(build_sums(made, numbers, currency))
        self.state_changed.emit(build_state(made, numbers))
        self._show_steps()
        self.kinds.show_choices(self.kinds.choices, kind_of(made.layout))

    def _show_steps(self) -> None:
        if self.made is not None and self.chosen is not None:
            places = self._workbench.workplace.folders
            done = done_steps(self.chosen, places)
            steps = learned_steps(self.made.steps, places)
            clocks = {
                step.key: ends
                for step in steps
                if step.wait_s and (ends := started_clock(self.chosen, step.key, places))
            }
            photos = {step.key: photos_of(self.chosen, step.key, places) for step in steps}
            self.bench.show_steps(steps, done, clocks, photos)

    def _on_kinds(self, choices: tuple[KindChoice, ...]) -> None:
        kind = kind_of(self.made.layout) if self.made is not None else None
        self.kinds.show_choices(choices, kind)

    def _on_tick(self, key: str, is_done: bool, minutes: float) -> None:
        chosen, places = self.chosen, self._workbench.workplace.folders
        if chosen is None or self.made is None:
            return
        try:
            keep_step(chosen, key, places, is_done=is_done, minutes=minutes or None)
        except VastCellarError as error:
            self._say(error)
        done = {step for step, box in self.bench.boxes.items() if box.isChecked()}
        self.bench.bar.show_steps(self.made.steps, frozenset(done))

    def _on_clock(self, key: str, ends: datetime) -> None:
        if self.chosen is None:
            return
        try:
            start_clock(self.chosen, key, ends, self._workbench.workplace.folders)
        except VastCellarError as error:
            self._say(error)

    def _ask_photo(self, key: str) -> None:
        kinds = "Photos (*.jpg *.jpeg *.png)"
        name, _ = QFileDialog.getOpenFileName(self, "A photo of this step", "", kinds)
        if name:
            self.add_photo(key, Path(name))

    def add_photo(self, key: str, source: Path) -> None:
        """Keep a copy of *source* with the step *key*."""
        if self.chosen is None:
            return
        try:
            keep_photo(self.chosen, key, source, self._workbench.workplace.folders)
        except VastCellarError as error:
            self._say(error)
            return
        self._say(None)
        self._show_steps()

    def _ask_where(self) -> None:
        title = "Print the bench card"
        name, _ = QFileDialog.getSaveFileName(self, title, "bench.pdf", "PDF (*.pdf)")
        if name:
            self.print_card(Path(name))

    def _ask_bill(self) -> None:
        kinds = "PDF (*.pdf);;CSV (*.csv)"
        name, _ = QFileDialog.getSaveFileName(self, "Save the bill", "bill.pdf", kinds)
        if name:
            self.save_bill(Path(name))

    def save_bill(self, path: Path) -> None:
        """Save the bill as its suffix says: .pdf or .csv."""
        from vastcellar.report.bill_sheet import bill_file

        made, workbench = self.made, self._workbench
        if made is None or self._tiers is None:
            return
        catalog = workbench.catalog
        instead = instead_of(made.layout, catalog)
        try:
            bill = bill_file(
                path.suffix, made, instead, self._tiers, workbench.look.numbers, catalog.currency
            )
            save_bytes(path, bill)
        except VastCellarError as error:
            self._say(error)

    def print_card(self, path: Path) -> None:
        """Save the bench card as PDF."""
        from vastcellar.report.bench_sheet import bench_sheet_pdf

        if self.made is None:
            return
        try:
            save_bytes(path, bench_sheet_pdf(self.made, self._workbench.look.numbers))
        except VastCellarError as error:
            self._say(error)

    def _on_failed(self, error: Exception) -> None:
        if not isinstance(error, VastCellarError):
            raise error
        self._say(error)

    def _say(self, error: Exception | None) -> None:
        self.message.setText("" if error is None else str(error))
        self.message.setVisible(error is not None)


def _build(
    chosen: Chosen, catalog: Catalog, shelf: Shelf, shoot: Shoot, camera: Camera | None
) -> _Made:
    made = build(chosen, catalog, shelf, shoot, camera)
    better = mended(made, catalog)
    gains = gains_of(made, catalog, shelf, shoot, camera) if camera else ()
    tiers = tiers_of(made, catalog, shelf, shoot, camera)
    with_mend = build(better, catalog, shelf, shoot, camera) if better else None
    return _Made(made, with_mend, tiers, gains)
