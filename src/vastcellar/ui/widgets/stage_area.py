"""A page that has the room there is, and scrolls only where it can't be read in that."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QScrollArea, QWidget


class StageArea(QScrollArea):
    """Like a scroll area that resizes its page, but by the least that the page needs.

    Qt's own takes the height that a page with wrapped texts would like, which is more than it
    needs: everything would scroll at every size.
    """

    def __init__(self, page: QWidget) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._page = page
        self.setWidget(page)
        page.installEventFilter(self)
        self._fit()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self._page and event.type() == QEvent.Type.LayoutRequest:
            self._fit()
        return super().eventFilter(watched, event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Give the page the whole viewport, or what it needs at least."""
        whole, least = self.maximumViewportSize(), self._page.minimumSizeHint()
        width, height = whole.width(), whole.height()
        # A bar of its own takes room from the other direction.
        if least.height() > height:
            width -= self.verticalScrollBar().sizeHint().width()
        if least.width() > width:
            height -= self.horizontalScrollBar().sizeHint().height()
        self._page.resize(QSize(width, height).expandedTo(least))
