"""The station Match: will this drive, in this case, on this cable and port, hold the take?"""

from __future__ import annotations

from PySide6.QtWidgets import (
    QHBoxLayout,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vastcellar.services.match.matching import side_by_side
from vastcellar.services.words.verdict_wording import reason, told_verdict
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.match.candidates_page import CandidatesPage
from vastcellar.ui.stations.match.chain_page import ChainPage
from vastcellar.ui.stations.match.hosts_view import HostsView
from vastcellar.ui.widgets.cards import OneLine, card, label, row
from vastcellar.ui.widgets.next_step import NextStep
from vastcellar.ui.widgets.tabs import tab_group
from vastcellar.ui.widgets.verdict_line import VerdictLine

_PAGES = (
    ("The chain", "What each stage carries, the write profile, what would help"),
    ("Candidates", "Everything that could be recorded to, by price and lasting rate"),
    ("Computers", "The same drive on every computer"),
)


_COMPUTERS = 2


class MatchStation(QWidget):
    """The verdict above; under it the chain, the candidates, or the computers side by side."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self.title = label(kind="title")
        self.subtitle = OneLine()  # a long name gives way to the tabs
        self.verdict = VerdictLine(workbench.look)
        self.reason = label(kind="soft")
        self.chain_page = ChainPage(workbench)
        self.candidates = CandidatesPage(workbench)
        self.hosts = HostsView(workbench.look)
        self.hosts.asked.connect(workbench.sum_asked)
        self._pages = QStackedWidget()
        self._lay_out()
        workbench.judged.connect(self.refresh)
        workbench.shelf_changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 10, 18, 8)
        layout.setSpacing(5)
        head = QHBoxLayout()
        head.setSpacing(14)
        head.addWidget(self.title)
        head.addWidget(self.subtitle, 1)
        head.addLayout(self._tabs())
        layout.addLayout(head)
        layout.addWidget(self.verdict)
        layout.addWidget(self.reason)
        frame, inside = card()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.hosts)
        inside.addWidget(scroll)
        for page in (self.chain_page, self.candidates, frame):
            self._pages.addWidget(page)
        layout.addWidget(self._pages, 1)
        self.next_step = NextStep(
            "Nothing to match yet",
            "A camera says what must hold. With one, every drive, case, cable and port that could "
            "take its longest take is found here.",
            "Add a camera in Shoot",
        )
        self.next_step.buttons[0].clicked.connect(self._go_to_shoot)
        layout.addWidget(self.next_step, 1)

    def _tabs(self) -> QHBoxLayout:
        group = tab_group(_PAGES, self)
        self.tabs = group.buttons()
        group.idToggled.connect(self._on_tab)
        return row(*self.tabs, spacing=4)

    def _on_tab(self, index: int, is_on: bool) -> None:
        if is_on:
            self._pages.setCurrentIndex(index)
            self._show_hosts()

    def refresh(self) -> None:
        """Show the subject's verdict as it is now."""
        workbench = self._workbench
        camera, judgement = workbench.subject, workbench.judgement
        is_empty = camera is None or judgement is None
        self.next_step.setVisible(is_empty)
        for widget in (self.title, self.subtitle, self.verdict, self.reason, self._pages):
            widget.setVisible(not is_empty)
        for tab in self.tabs:
            tab.setVisible(not is_empty)
        if camera is None or judgement is None:
            return
        chain = judgement.chain
        where = f" on {chain.parts.name}" if chain else ""
        self.title.setText(f"{camera.key} {camera.name}{where}")
        drive = chain.parts.drive.name if chain else ""
        case = f" in {chain.parts.enclosure.name}" if chain and chain.parts.enclosure else ""
        self.subtitle.setText(f"{drive}{case}")
        self.verdict.show_verdict(*told_verdict(judgement, camera, workbench.look.numbers))
        self.reason.setText(reason(judgement, camera, workbench.look.numbers))
        self._show_hosts()

    def _go_to_shoot(self) -> None:
        self._workbench.station_asked.emit("shoot")

    def _show_hosts(self) -> None:
        workbench, camera, judgement = (
            self._workbench,
            self._workbench.subject,
            self._workbench.judgement,
        )
        if self._pages.currentIndex() != _COMPUTERS or camera is None:
            return
        if judgement is not None:
            found = side_by_side(
                workbench.document.shoot, camera, workbench.catalog, workbench.shelf
            )
            self.hosts.show_hosts(found, judgement.need.needed_write_bytes_per_s)
