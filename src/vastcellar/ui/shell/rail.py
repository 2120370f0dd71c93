"""The rail: the seven stations in the order of the work, each with a small state of its own."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from vastcellar.ui.look import Look, font
from vastcellar.ui.stations.station_list import STATIONS, StationEntry

RAIL_WIDTH_PX = 104
_BUTTON_PX, _LEAST_BUTTON_PX, _WITH_STATE_PX = 64, 34, 54
_GAP_PX, _LEAST_GAP_PX = 10, 2
_TOP_PX, _BOTTOM_PX = 76, 8


class RailButton(QAbstractButton):
    """One station; those not built yet are visibly off but say what they will do."""

    def __init__(self, look: Look, entry: StationEntry, number: int) -> None:
        super().__init__()
        self._look, self._entry, self._number = look, entry, number
        self.state = ""
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setFixedSize(QSize(RAIL_WIDTH_PX, _BUTTON_PX))
        self.setText(entry.title)
        self.setToolTip(f"{entry.purpose} Ctrl+{number}")
        self.setShortcut(f"Ctrl+{number}")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_state(self, state: str) -> None:
        """Show the station's own state for the open shoot."""
        self.state = state
        self.setAccessibleDescription(state)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        look = self._look
        painter = QPainter(self)
        soft = look.color("rail_soft")
        if self.isChecked():
            dark_ground = look.palette.name == "dark"
            painter.fillRect(self.rect(), look.color("chosen" if dark_ground else "panel"))
            painter.fillRect(QRectF(0, 0, 4, self.height()), look.color("copper"))
            title, soft = look.color("ink"), look.color("soft")
        else:
            title = look.color("panel") if look.palette.name == "light" else look.color("ink")
        if self.hasFocus():
            painter.setPen(look.color("copper"))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))
        painter.setPen(title)
        painter.setFont(font(17, 600))
        top = 8 if self.height() >= _WITH_STATE_PX else (self.height() - 24) / 2
        painter.drawText(QRectF(16, top, 74, 24), self._entry.title)
        painter.setPen(soft)
        painter.setFont(font(12, condensed=True))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(70, top, 24, 24), int(right), str(self._number))
        if self.height() < _WITH_STATE_PX:
            painter.end()
            return
        shown = painter.fontMetrics().elidedText(self.state, Qt.TextElideMode.ElideRight, 84)
        painter.drawText(QRectF(16, 33, 86, 18), shown)
        painter.end()


class Rail(QWidget):
    """All stations; announces the one that is chosen."""

    chosen = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.setFixedWidth(RAIL_WIDTH_PX)
        layout = self._column = QVBoxLayout(self)
        layout.setContentsMargins(0, _TOP_PX, 0, _BOTTOM_PX)
        layout.setSpacing(_GAP_PX)
        self.buttons: dict[str, RailButton] = {}
        for number, entry in enumerate(STATIONS, 1):
            button = RailButton(look, entry, number)
            button.clicked.connect(self._on_clicked)
            self.buttons[entry.key] = button
            layout.addWidget(button)
        layout.addStretch(1)
        look.changed.connect(self.update)

    def minimumSizeHint(self) -> QSize:
        least = len(self.buttons) * (_LEAST_BUTTON_PX + _LEAST_GAP_PX)
        return QSize(RAIL_WIDTH_PX, _TOP_PX + least + _BOTTOM_PX)

    def resizeEvent(self, _event: QResizeEvent) -> None:
        """Lower stations in a low window; their states give way before their names."""
        room = (self.height() - _TOP_PX - _BOTTOM_PX) / max(len(self.buttons), 1)
        is_low = room < _BUTTON_PX + _GAP_PX
        gap = _LEAST_GAP_PX if is_low else _GAP_PX
        height = min(max(int(room) - gap, _LEAST_BUTTON_PX), _BUTTON_PX)
        self._column.setSpacing(gap)
        for button in self.buttons.values():
            button.setFixedHeight(height)

    def _on_clicked(self) -> None:
        for key, button in self.buttons.items():
            if button.isChecked():
                self.chosen.emit(key)

    def show_chosen(self, key: str) -> None:
        """Show that the station *key* is open."""
        self.buttons[key].setChecked(True)

    def show_state(self, key: str, state: str) -> None:
        """Show *state* under the station *key*."""
        self.buttons[key].show_state(state)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._look.color("rail"))
        light = self._look.palette.name == "light"
        painter.setPen(self._look.color("panel" if light else "ink"))
        painter.setFont(font(17, 600))
        painter.drawText(QRectF(16, 16, 84, 22), "Vast")
        painter.drawText(QRectF(16, 37, 84, 22), "Cellar")
        painter.end()
