"""Cards that wait, a line each: first, or out of the queue again."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastcellar.ui.models.copy_queue import CopyQueue
from vastcellar.ui.widgets.cards import OneLine, label, row


class QueueList(QWidget):
    """Shows a queue and changes its order."""

    def __init__(self, queue: CopyQueue) -> None:
        super().__init__()
        self._queue = queue
        self._lines: list[QWidget] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(2)
        self._column.addWidget(label("Waiting", kind="head"))
        queue.changed.connect(self.refresh)
        self.hide()

    def refresh(self) -> None:
        """Show what waits now."""
        for gone in self._lines:
            self._column.removeWidget(gone)
            gone.deleteLater()
        self._lines = [
            self._line(number, asked.title, ", ".join(str(each) for each in asked.targets))
            for number, asked in enumerate(self._queue.waiting)
        ]
        for line in self._lines:
            self._column.addWidget(line)
        self.setVisible(bool(self._lines))

    def _line(self, number: int, title: str, where: str) -> QWidget:
        first, out = QPushButton("First"), QPushButton("Out")
        first.setToolTip("The next card; at once where nothing is being copied")
        out.setToolTip("Don't copy it now; nothing of it was begun")
        first.clicked.connect(partial(self._queue.first, number))
        out.clicked.connect(partial(self._queue.remove, number))
        for button in (first, out):
            button.setAccessibleName(f"{button.text()}: {title}")
        told = OneLine()
        told.setText(f"{title} to {where}")
        told.setToolTip(told.text())
        line = QWidget()
        inside = row(told, spacing=8, stretch_last=True)
        inside.addWidget(first)
        inside.addWidget(out)
        line.setLayout(inside)
        return line
