"""Verdict and evidence marks: shapes that say the same without colour."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.ui.look import Look

_FILL = {Verdict.HOLDS: 1.0, Verdict.TIGHT: 0.5, Verdict.FALLS_SHORT: 0.18, Verdict.NOT_KNOWN: 0.0}


def draw_verdict(painter: QPainter, box: QRectF, verdict: Verdict, look: Look) -> None:
    """Draw a small vessel: full = holds, half = tight, nearly empty and struck = falls short."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    color = look.verdict_color(verdict)
    vessel = box.adjusted(2, 1, -2, -1)
    shape = QPainterPath()
    shape.moveTo(vessel.topLeft())
    shape.lineTo(vessel.left(), vessel.bottom() - 2)
    shape.quadTo(vessel.bottomLeft(), QPointF(vessel.left() + 2, vessel.bottom()))
    shape.lineTo(vessel.right() - 2, vessel.bottom())
    shape.quadTo(vessel.bottomRight(), QPointF(vessel.right(), vessel.bottom() - 2))
    shape.lineTo(vessel.topRight())
    level = vessel.bottom() - vessel.height() * _FILL[verdict]
    painter.save()
    painter.setClipPath(shape)
    painter.fillRect(QRectF(vessel.left(), level, vessel.width(), vessel.bottom() - level), color)
    painter.restore()
    pen = QPen(color, 1.6)
    if verdict is Verdict.NOT_KNOWN:
        pen.setStyle(Qt.PenStyle.DotLine)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(shape)
    if verdict is Verdict.FALLS_SHORT:
        middle = box.center().y()
        painter.drawLine(QPointF(box.left(), middle - 2), QPointF(box.right(), middle + 2))
    painter.restore()


def draw_evidence(painter: QPainter, box: QRectF, evidence: Evidence, look: Look) -> None:
    """Draw a square: dotted = claimed, outlined = computed, solid = proved.

    Stated, which somebody typed in, is an outline with a corner folded over, as of a slip of paper.
    """
    painter.save()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    square = box.adjusted(1.5, 1.5, -1.5, -1.5)
    if evidence is Evidence.PROVED:
        painter.fillRect(square, look.color("ink"))
        painter.setPen(QPen(look.color("ink"), 1.4))
    else:
        pen = QPen(look.color("ink"), 1.4)
        if evidence is Evidence.CLAIMED:
            pen.setDashPattern([1.6, 1.6])
        painter.setPen(pen)
    painter.drawRect(square)
    if evidence is Evidence.STATED:
        fold = square.width() * 0.5
        painter.drawLine(
            QPointF(square.right() - fold, square.top()),
            QPointF(square.right(), square.top() + fold),
        )
    painter.restore()


class VerdictMark(QWidget):
    """The vessel of one verdict; its word stands beside it."""

    def __init__(self, look: Look, size_px: int = 20) -> None:
        super().__init__()
        self._look = look
        self._verdict = Verdict.NOT_KNOWN
        self.setFixedSize(QSize(size_px, size_px))
        look.changed.connect(self.update)

    def show_verdict(self, verdict: Verdict) -> None:
        """Show *verdict*."""
        self._verdict = verdict
        self.setAccessibleName(verdict.value)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        draw_verdict(painter, box, self._verdict, self._look)
        painter.end()


class EvidenceMark(QWidget):
    """The square of one kind of evidence; its word stands beside it."""

    def __init__(self, look: Look, size_px: int = 14) -> None:
        super().__init__()
        self._look = look
        self._evidence = Evidence.COMPUTED
        self.setFixedSize(QSize(size_px, size_px))
        look.changed.connect(self.update)

    def show_evidence(self, evidence: Evidence) -> None:
        """Show *evidence*."""
        self._evidence = evidence
        self.setAccessibleName(evidence.value)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        draw_evidence(painter, QRectF(self.rect()), self._evidence, self._look)
        painter.end()
