"""The need bar: the open shoot, and each camera's need, format and verdict."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QShortcut,
)
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QToolButton, QVBoxLayout, QWidget

from vastcellar.core.evidence import Evidence
from vastcellar.core.units import MB
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.marks import draw_evidence, draw_verdict
from vastcellar.ui.widgets.picture import UNIT_MIME, Picture

if TYPE_CHECKING:
    # Loaded with the catalog, when the window is up.
    from vastcellar.core.shoot.shoot import Camera
    from vastcellar.core.verdict.judgement import Judgement
    from vastcellar.ui.models.workbench import Workbench

NEED_BAR_HEIGHT_PX = 74


class CameraTab(Picture):
    """One camera: mark, name, need, and what the verdict is and rests on."""

    chosen = Signal(str)
    unit_dropped = Signal(str, str)
    """Camera key and the tag of the unit that was dropped on it."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self.setAcceptDrops(True)
        self._camera: Camera | None = None
        self._judgement: Judgement | None = None
        self._is_subject = False
        self.setFixedHeight(NEED_BAR_HEIGHT_PX - 12)
        self.setMinimumWidth(176)
        self.setMaximumWidth(236)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(212, NEED_BAR_HEIGHT_PX - 12)

    def show_camera(self, camera: Camera, judgement: Judgement | None, is_subject: bool) -> None:
        """Show *camera* with its verdict, lit if it is the subject."""
        self._camera, self._judgement, self._is_subject = camera, judgement, is_subject
        self.setAccessibleName(f"{camera.key} {camera.name}: {self.state_text}")
        self.setToolTip(f"{camera.recording.name}\n{self.state_text}")
        self.update()

    @property
    def state_text(self) -> str:
        """What the user reads under the name: verdict, then evidence."""
        return f"{self._verdict_text}, {self._evidence_text}".strip(", ")

    @property
    def _verdict_text(self) -> str:
        from vastcellar.services.words.verdict_wording import short_verdict

        judgement = self._judgement
        return short_verdict(judgement, self.look.numbers) if judgement else ""

    @property
    def _evidence_text(self) -> str:
        judgement = self._judgement
        if judgement is None:
            return ""
        proof = judgement.proof
        if judgement.evidence is Evidence.PROVED and proof is not None:
            day = proof.measured_at.astimezone()
            rate = self.look.numbers.rate(proof.achieved_bytes_per_s, 0)
            marked = ", simulated" if proof.is_simulated else ""
            return f"proved {day.day} {day:%b}, {rate}{marked}"
        return "nothing assigned" if judgement.chain is None else judgement.evidence.value

    def paint(self, painter: QPainter) -> None:
        camera, judgement, look = self._camera, self._judgement, self.look
        if camera is None:
            return
        frame = QRectF(self.rect()).adjusted(0, 0, -1, 0)
        if self._is_subject:
            painter.fillRect(frame, look.color("chosen"))
            line = QRectF(frame.left(), frame.bottom() - 3, frame.width(), 3)
            painter.fillRect(line, look.color("copper"))
        if self.hasFocus():
            painter.setPen(look.color("copper"))
            painter.drawRect(frame.adjusted(0.5, 0.5, -0.5, -0.5))
        if judgement is not None:
            draw_verdict(painter, QRectF(8, 7, 20, 18), judgement.verdict, look)
        number = ""
        if judgement is not None:
            number = look.numbers.number(judgement.need.needed_write_bytes_per_s / MB, 0)
        right = Qt.AlignmentFlag.AlignRight
        width = self.write(
            painter,
            QRectF(frame.width() - 92, 1, 86, 28),
            number,
            size_px=22,
            weight=600,
            condensed=False,
            color="copper_text",
            align=right,
        )
        self.write(
            painter,
            QRectF(34, 2, frame.width() - width - 46, 26),
            f"{camera.key} {camera.name}",
            size_px=15,
            weight=600,
            condensed=False,
        )
        if judgement is None:
            return
        self.write(
            painter, QRectF(frame.width() - 50, 29, 44, 15), "MB/s", color="soft", align=right
        )
        painter.setFont(font(13, 500, condensed=True))
        painter.setPen(look.verdict_color(judgement.verdict, text=True))
        painter.drawText(QRectF(34, 28, frame.width() - 84, 17), self._verdict_text)
        if judgement.chain is not None:
            draw_evidence(painter, QRectF(11.5, 45, 12, 12), judgement.evidence, look)
        evidence = QRectF(34, 44, frame.width() - 36, 15)
        self.write(painter, evidence, self._evidence_text, color="soft", size_px=12)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton and self._camera is not None:
            self.chosen.emit(self._camera.key)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(UNIT_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        tag = bytes(event.mimeData().data(UNIT_MIME).data()).decode()
        if self._camera is not None and tag:
            event.acceptProposedAction()
            self.unit_dropped.emit(self._camera.key, tag)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            if self._camera is not None:
                self.chosen.emit(self._camera.key)
        else:
            QWidget.keyPressEvent(self, event)


class NeedBar(QWidget):
    """The shoot on the left, its cameras beside it; long lists scroll."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._workbench: Workbench | None = None
        self.setObjectName("needbar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(NEED_BAR_HEIGHT_PX)
        self.shoot_button = QToolButton()
        self.shoot_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.shoot_button.setToolTip("Open, save, undo, look (Alt+S)")
        # A shortcut of the button's own would be dropped each time that its text changes.
        QShortcut(QKeySequence("Alt+S"), self, self.shoot_button.showMenu)
        self.summary = label("opening …", "soft")
        self._tabs: list[CameraTab] = []
        inside = QWidget()
        inside.setObjectName("inside")
        self._cameras = QHBoxLayout(inside)
        self._cameras.setContentsMargins(0, 0, 0, 0)
        self._cameras.setSpacing(6)
        self._cameras.addStretch(0)
        scroll = QScrollArea()
        scroll.setWidget(inside)
        scroll.setWidgetResizable(True)
        scroll.setFixedHeight(NEED_BAR_HEIGHT_PX - 8)
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        left = QVBoxLayout()
        left.setSpacing(2)
        left.addWidget(self.shoot_button)
        left.addWidget(self.summary)
        left.addStretch(1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 8, 10, 0)
        layout.setSpacing(16)
        layout.addLayout(left)
        layout.addWidget(scroll, 1)
        look.changed.connect(self._restyle)
        self._restyle()

    def _restyle(self) -> None:
        palette = self._look.palette
        self.setStyleSheet(
            f"#needbar {{ background: {palette.panel}; border-bottom: 1px solid {palette.line}; }}"
            "QToolButton { border: none; background: transparent; font-size: 17px;"
            " font-weight: 600; padding: 2px 4px; }"
            f"QToolButton:focus, QToolButton:hover {{ color: {palette.copper_text}; }}"
            "QToolButton::menu-indicator { image: none; }"
        )

    def attach(self, workbench: Workbench) -> None:
        """Show what *workbench* holds, now and at each change."""
        self._workbench = workbench
        workbench.judged.connect(self.refresh)
        workbench.document.file_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show shoot and cameras as they are now."""
        workbench = self._workbench
        if workbench is None:
            return
        document, numbers = workbench.document, self._look.numbers
        shoot, subject = document.shoot, workbench.subject
        unsaved = " •" if document.is_unsaved else ""
        self.shoot_button.setText(f"{shoot.name}{unsaved} ▾")
        days = "1 day" if shoot.days == 1 else f"{shoot.days} days"
        total = numbers.size(workbench.planned.plan.total_bytes)
        copies = "1 copy" if len(shoot.copies) == 1 else f"{len(shoot.copies)} copies"
        self.summary.setText(f"{days} · {total} · {copies}")
        while len(self._tabs) < len(shoot.cameras):
            tab = CameraTab(self._look)
            tab.chosen.connect(document.choose)
            tab.unit_dropped.connect(workbench.assign)
            self._cameras.insertWidget(len(self._tabs), tab, 1)
            self._tabs.append(tab)
        while len(self._tabs) > len(shoot.cameras):
            gone = self._tabs.pop()
            gone.setParent(None)
            gone.deleteLater()
        for tab, camera in zip(self._tabs, shoot.cameras, strict=True):
            is_subject = subject is not None and subject.key == camera.key
            tab.show_camera(camera, workbench.judgements.get(camera.key), is_subject)

    @property
    def tabs(self) -> tuple[CameraTab, ...]:
        """The cameras as shown, in order."""
        return tuple(self._tabs)
