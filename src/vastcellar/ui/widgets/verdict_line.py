"""The verdict of a camera: mark and sentence, then its evidence."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QWidget

from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.cards import OneLine, label
from vastcellar.ui.widgets.marks import EvidenceMark, VerdictMark


class VerdictLine(QWidget):
    """One line: will it hold, and on what evidence do we say so."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._verdict: Verdict | None = None
        self._mark = VerdictMark(look, 22)
        self.sentence = label(kind="verdict")
        self.sentence.setFont(font(17, 600))
        self._evidence = EvidenceMark(look)
        self.evidence = OneLine()  # long evidence gives way; the verdict never does
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        for widget in (self._mark, self.sentence, self._evidence):
            layout.addWidget(widget)
        layout.addWidget(self.evidence, 1)
        look.changed.connect(self._recolor)

    def _recolor(self) -> None:
        if self._verdict is not None:
            color = self._look.verdict_color(self._verdict, text=True).name()
            self.sentence.setStyleSheet(f"color: {color}; font-size: 17px; font-weight: 600;")

    def show_verdict(
        self, verdict: Verdict, evidence: Evidence, sentence: str, evidence_line: str
    ) -> None:
        """Show the marks of *verdict* and *evidence*, each with its words."""
        self._verdict = verdict
        self._mark.show_verdict(verdict)
        self._evidence.show_evidence(evidence)
        self.sentence.setText(sentence)
        self.evidence.setText(evidence_line)
        self.evidence.setToolTip(evidence_line)
        self._recolor()
