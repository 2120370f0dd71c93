"""The window: rail, need bar, stage, sums drawer and job strip around the open shoot."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings, QSize, Signal, SignalInstance
from PySide6.QtGui import QCloseEvent, QKeySequence, QResizeEvent, QShortcut, QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vastcellar.ui.look import (
    DARK,
    LIGHT,
    TEXT_SETTING,
    TEXT_SIZES,
    Look,
    qt_palette,
    style_sheet,
    text_percent,
)
from vastcellar.ui.shell.job_strip import JobStrip
from vastcellar.ui.shell.need_bar import NeedBar
from vastcellar.ui.shell.rail import Rail
from vastcellar.ui.shell.sums_drawer import SumsDrawer
from vastcellar.ui.stations.station_list import STATIONS, StationEntry
from vastcellar.ui.widgets.stage_area import StageArea

if TYPE_CHECKING:
    # Loaded with the catalog or when it is first asked for: the first window does without.
    from vastcellar.ui.models.jobs import Jobs
    from vastcellar.ui.models.workbench import Workbench
    from vastcellar.ui.shell.help_panel import HelpPanel
    from vastcellar.ui.shell.quick_sum_panel import QuickSumPanel


_WIDTH_WITH_DRAWER_PX = 1200


def within_screen(wanted: QSize) -> QSize:
    """Return *wanted*, or as much of it as the screen has; without a screen it is *wanted*."""
    screen = QApplication.primaryScreen()
    if screen is None or QApplication.platformName() in ("offscreen", "minimal"):
        return wanted
    return wanted.boundedTo(screen.availableGeometry().size())


class MainWindow(QMainWindow):
    """Shows at once, empty; ``attach`` fills it when catalog and cellar are read."""

    first_shown = Signal()

    def __init__(self, look: Look, settings: QSettings | None = None) -> None:
        super().__init__()
        self.look = look
        self._settings = settings
        self._workbench: Workbench | None = None
        self._jobs: Jobs | None = None
        self._stations: dict[str, QWidget] = {}
        self._areas: dict[str, StageArea] = {}
        self.setWindowTitle("Vast Cellar")
        self.resize(within_screen(QSize(1280, 800)))
        # Half of a small screen, or a whole one with its text half as large again.
        self.setMinimumSize(640, 420)
        self.rail = Rail(look)
        self.need_bar = NeedBar(look)
        self.drawer = SumsDrawer(look)
        self.job_strip = JobStrip(look)
        self.stage = QStackedWidget()
        self.stage.setObjectName("stage")
        self._lay_out()
        self._restyle()
        look.changed.connect(self._restyle)
        self.rail.chosen.connect(self.show_station)
        self.rail.show_chosen("shoot")
        self.stage.setFocus()
        self.help_panel: HelpPanel | None = None
        QShortcut(QKeySequence("F1"), self, self.show_help)
        QShortcut(QKeySequence("F2"), self, self.toggle_drawer)
        QShortcut(QKeySequence("Esc"), self, self.job_strip.cancel_job)
        QShortcut(QKeySequence("Ctrl+K"), self, self.toggle_quick_sum)
        self._wants_drawer: bool | None = None
        """Whether somebody asked for the sums or put them away; None leaves it to the width."""
        self.quick_sum: QuickSumPanel | None = None
        self.job_strip.quick_sum.clicked.connect(self.toggle_quick_sum)

    def _lay_out(self) -> None:
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.stage, 1)
        middle.addWidget(self.drawer)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.need_bar)
        right.addLayout(middle, 1)
        right.addWidget(self.job_strip)
        whole = QHBoxLayout()
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.rail)
        whole.addLayout(right, 1)
        self._body = QWidget()
        self._body.setLayout(whole)
        self.setCentralWidget(self._body)

    def _restyle(self) -> None:
        self.setStyleSheet(style_sheet(self.look))
        QApplication.setPalette(qt_palette(self.look))

    def attach(self, workbench: Workbench, jobs: Jobs) -> None:
        """Fill the window with *workbench*; the station that was chosen opens."""
        from vastcellar.ui.shell.notify import EndNotice

        self._workbench, self._jobs = workbench, jobs
        self.need_bar.attach(workbench)
        self.drawer.attach(workbench)
        self.drawer.opened.connect(self._keep_drawer)
        self.job_strip.attach(jobs)
        self._end_notice = EndNotice(self, jobs)
        workbench.judged.connect(self._show_states)
        workbench.judged.connect(self._fit_drawer)
        workbench.shelf_changed.connect(self._show_states)
        workbench.trouble.connect(self._on_trouble)
        workbench.station_asked.connect(self.show_station)
        workbench.measure_asked.connect(lambda: self.show_station("prove"))
        workbench.document.trouble.connect(self._on_trouble)
        workbench.document.file_changed.connect(self._show_title)
        workbench.document.changed.connect(self._show_title)
        self.show_station(self._open_entry.key)
        self._show_title()

    def _show_title(self) -> None:
        if self._workbench is None:
            return
        document = self._workbench.document
        star = "*" if document.is_unsaved else ""
        demo = " (demo)" if self._workbench.workplace.is_demo else ""
        self.setWindowTitle(f"{star}{document.shoot.name}{demo} – Vast Cellar")

    def show_station(self, key: str) -> None:
        """Open the station *key*; it is made when it is first shown."""
        self.rail.show_chosen(key)
        if self._workbench is None or self._jobs is None:
            return
        if key not in self._stations:
            entry = next(entry for entry in STATIONS if entry.key == key)
            station = entry.make(self._workbench, self._jobs)
            self._stations[key] = station
            station.setObjectName("inside")
            area = StageArea(station)
            if isinstance(said := getattr(station, "state_changed", None), SignalInstance):
                said.connect(lambda state, key=key: self.rail.show_state(key, state))
            self._areas[key] = area
            self.stage.addWidget(area)
        self.stage.setCurrentWidget(self._areas[key])
        if self.help_panel is not None and self.help_panel.isVisible():
            self.help_panel.show_station(self._open_entry)
        self.drawer.show_for(next(entry.sums for entry in STATIONS if entry.key == key))

    def station(self, key: str) -> QWidget:
        """Open the station *key* and return it."""
        self.show_station(key)
        return self._stations[key]

    @property
    def open_station(self) -> QWidget | None:
        """The station that is shown, None before the first one is."""
        area = self.stage.currentWidget()
        return area.widget() if isinstance(area, StageArea) else None

    def show_unit(self, tag: str) -> None:
        """Open the record of the unit *tag*, or say that there is none."""
        if self._workbench is None:
            return
        if self._workbench.shelf.unit(tag) is None:
            self.job_strip.say(f"No unit on the shelf is called {tag}.")
            return
        self.show_station("cellar")
        self._workbench.unit_asked.emit(tag)

    def _show_states(self) -> None:
        from vastcellar.services.words.verdict_wording import short_verdict

        workbench = self._workbench
        if workbench is None:
            return
        shoot = workbench.document.shoot
        count = len(shoot.cameras)
        self.rail.show_state("shoot", "1 camera" if count == 1 else f"{count} cameras")
        camera, judgement = workbench.subject, workbench.judgement
        match = ""
        if camera is not None and judgement is not None:
            match = f"{camera.key} {short_verdict(judgement, self.look.numbers)}"
        self.rail.show_state("match", match)
        proved = sum(1 for j in workbench.judgements.values() if j.proof is not None)
        self.rail.show_state("prove", f"{proved} of {count} proved")
        self.rail.show_state("cellar", workbench.shelf.count_text)

    def _on_trouble(self, error: Exception) -> None:
        self.job_strip.say(str(error))

    def toggle_quick_sum(self) -> None:
        """Open the quick sum, or put it away; it is made when it is first asked for."""
        workbench = self._workbench
        if workbench is None:
            return
        if self.quick_sum is None:
            from vastcellar.ui.shell.quick_sum_panel import QuickSumPanel

            self.quick_sum = QuickSumPanel(self._body, self.look)
            self.quick_sum.attach(lambda: workbench.catalog)
            self.quick_sum.closed.connect(self.stage.setFocus)
            self.quick_sum.code_read.connect(self.show_unit)
        if self.quick_sum.isVisible():
            self.quick_sum.close_panel()
        else:
            self.quick_sum.open()

    def show_help(self) -> None:
        """Show what the open station answers, its keys, and the marks."""
        if self.help_panel is None:
            from vastcellar.ui.shell.help_panel import HelpPanel

            self.help_panel = HelpPanel(self, self.look)
            self.help_panel.setMaximumHeight(max(self.height(), 420))
        self.help_panel.show_station(self._open_entry)
        self.help_panel.show()
        self.help_panel.raise_()

    @property
    def _open_entry(self) -> StationEntry:
        return next(each for each in STATIONS if self.rail.buttons[each.key].isChecked())

    def toggle_drawer(self) -> None:
        """Show or hide the sums, from now on whatever the window's width is."""
        self._wants_drawer = not self.drawer.isVisible()
        self._fit_drawer()

    def _keep_drawer(self) -> None:
        self._wants_drawer = True

    def _fit_drawer(self) -> None:
        """Fold the drawer by itself where it would take the room that the stage needs."""
        if self._wants_drawer is not None:
            is_shown = self._wants_drawer
        else:
            has_sums = self._workbench is not None and self._workbench.subject is not None
            is_shown = has_sums and self.width() >= _WIDTH_WITH_DRAWER_PX
        if is_shown != (not self.drawer.isHidden()):
            self.drawer.setVisible(is_shown)
            self.drawer.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_drawer()

    def set_dark(self, dark: bool) -> None:
        """Take the dark or the light look, and remember it."""
        self.look.set_palette(DARK if dark else LIGHT)
        if self._settings is not None:
            self._settings.setValue("look", self.look.palette.name)

    @property
    def text_percent(self) -> int:
        """How large text is from the next start on, in per cent."""
        return text_percent(self._settings) if self._settings else TEXT_SIZES[0]

    def set_text_percent(self, percent: int) -> None:
        """Remember the size of text; Qt takes it up when the application starts."""
        if self._settings is not None:
            self._settings.setValue(TEXT_SETTING, percent)
        self.job_strip.say(f"Text at {percent} % from the next start on.")

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.first_shown.emit()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Stop what runs, keep what was entered; nothing is asked, nothing is lost."""
        if self._jobs is not None:
            self._jobs.stop_all()
        if self._workbench is not None:
            self._workbench.document.keep_now()
        event.accept()
