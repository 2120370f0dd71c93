"""The verdict of a camera: mark and sentence, then its evidence."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QWidget

from vastcellar.core.judgement import Judgement
from vastcellar.core.shoot import Camera
from vastcellar.services.wording import evidence_line, verdict_sentence
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.cards import OneLine, label
from vastcellar.ui.widgets.marks import EvidenceMark, VerdictMark


class VerdictLine(QWidget):
    """One line: will it hold, and on what evidence do we say so."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._shown: tuple[Judgement, Camera] | None = None
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
        if self._shown is not None:
            self.show_judgement(*self._shown)

    def show_judgement(self, judgement: Judgement, camera: Camera) -> None:
        """Show *judgement* of *camera*."""
        self._shown = judgement, camera
        numbers = self._look.numbers
        self._mark.show_verdict(judgement.verdict)
        self._evidence.show_evidence(judgement.evidence)
        self.sentence.setText(verdict_sentence(judgement, camera, numbers))
        color = self._look.verdict_color(judgement.verdict, text=True).name()
        self.sentence.setStyleSheet(f"color: {color}; font-size: 17px; font-weight: 600;")
        self.evidence.setText(evidence_line(judgement, numbers))
        self.evidence.setToolTip(self.evidence.text())
