"""Help (F1): what the open station answers, its keys, and what the marks mean."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QGridLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.ui.look import Look
from vastcellar.ui.stations.station_list import StationEntry
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.marks import EvidenceMark, VerdictMark

EVERYWHERE = (
    ("Ctrl+1 … Ctrl+7", "the stations"),
    ("F5", "start the test that is planned in Prove"),
    ("Esc", "cancel the running test; what was measured stays"),
    ("Ctrl+K", "quick sum: “4 TB in 30 min”, “1274 Mb/s”"),
    ("F2", "the sums behind the figures; a click on a figure opens its own"),
    ("Alt+S", "the menu of the shoot: open, save, look, text size"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo and redo"),
    ("Ctrl+D", "dark or light look"),
)
_VERDICTS = (
    (Verdict.HOLDS, "holds: the lowest moment of the take is above the need"),
    (Verdict.TIGHT, "tight: less than 10 % above it; typical figures are no surer"),
    (Verdict.FALLS_SHORT, "falls short: a frame would be lost"),
    (Verdict.NOT_KNOWN, "not known: measure it"),
)
_EVIDENCE = (
    (Evidence.CLAIMED, "claimed: printed on a box"),
    (Evidence.COMPUTED, "computed: chain, cache and heat, with typical figures"),
    (Evidence.STATED, "stated: typed in by somebody"),
    (Evidence.PROVED, "proved: measured, its conditions on record"),
)


class HelpPanel(QDialog):
    """Stands beside the window and lets it be worked in."""

    def __init__(self, parent: QWidget, look: Look) -> None:
        super().__init__(parent)
        self.setWindowTitle("Help")
        self._look = look
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 4, 4, 4)
        layout.addWidget(self._area)
        self.resize(500, 620)

    def show_station(self, entry: StationEntry) -> None:
        """Show the help of a station, then what is the same everywhere."""
        page = QWidget()
        page.setObjectName("inside")
        layout = QVBoxLayout(page)
        layout.setContentsMargins(14, 10, 14, 10)
        layout.setSpacing(6)
        layout.addWidget(label(entry.title, "title"))
        layout.addWidget(label(entry.purpose, "head", wraps=True))
        for answer in entry.answers:
            layout.addWidget(label(f"· {answer}", wraps=True))
        if entry.keys:
            layout.addWidget(label("Keys here", "head"))
            layout.addLayout(_keys(entry.keys))
        layout.addWidget(label("Keys everywhere", "head"))
        layout.addLayout(_keys(EVERYWHERE))
        layout.addWidget(label("Verdicts", "head"))
        for verdict, words in _VERDICTS:
            mark = VerdictMark(self._look, 18)
            mark.show_verdict(verdict)
            layout.addLayout(row(mark, _wrapped(words), spacing=8, stretch_last=True))
        layout.addWidget(label("What a figure rests on", "head"))
        for evidence, words in _EVIDENCE:
            square = EvidenceMark(self._look)
            square.show_evidence(evidence)
            layout.addLayout(row(square, _wrapped(words), spacing=8, stretch_last=True))
        layout.addStretch(1)
        self._area.setWidget(page)


def _wrapped(text: str) -> QLabel:
    return label(text, wraps=True)


def _keys(pairs: tuple[tuple[str, str], ...]) -> QGridLayout:
    grid = QGridLayout()
    grid.setHorizontalSpacing(14)
    grid.setVerticalSpacing(2)
    grid.setColumnStretch(1, 1)
    for number, (key, words) in enumerate(pairs):
        grid.addWidget(label(key, "key"), number, 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(_wrapped(words), number, 1)
    return grid
