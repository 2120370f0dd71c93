"""The quick sum: one line to type in, its answer in both families of units, the links it fits."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QFrame, QLineEdit, QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.evidence import Evidence
from vastcellar.core.links.quick_sum import Fit
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.units import MB
from vastcellar.services.sums.quick_sums import EXAMPLES, AnsweredSum, LinkFit, answer_line
from vastcellar.services.sums.sum_lines import Sum
from vastcellar.services.workplace.labels import tag_in
from vastcellar.ui.look import Look
from vastcellar.ui.shell.sums_drawer import SumView
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.picture import Picture, column

_SCANNED_MS = 300
PANEL_WIDTH_PX = 620
_LADDER_PX = 128
_CENTRE = Qt.AlignmentFlag.AlignHCenter


class LinkLadder(Picture):
    """The links as columns, the rate as the copper line across them."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._links: tuple[LinkFit, ...] = ()
        self._rate = 0.0
        self.setFixedHeight(_LADDER_PX)

    def show_links(self, links: tuple[LinkFit, ...], rate: float) -> None:
        """Draw the USB links of *links* against *rate* in bytes per second."""
        self._links = tuple(each for each in links if each.mode.key.startswith("usb"))
        self._rate = rate
        self.setVisible(bool(self._links))
        self.update()

    def paint(self, painter: QPainter) -> None:
        if not self._links:
            return
        area = QRectF(self.rect()).adjusted(2, 18, -92, -34)
        highest = self._rate * 2.2
        each = area.width() / len(self._links)
        colors = {Fit.CARRIES: "moss", Fit.ON_PAPER: "ochre", Fit.CANT: "brick"}
        for index, link in enumerate(self._links):
            carried = link.mode.typical_high_bytes_per_s
            is_torn = carried > highest
            height = area.height() * min(carried / highest, 1.0)
            left = area.left() + index * each + 5
            box = QRectF(left, area.bottom() - height, each - 10, height)
            column(painter, box, self.look.color("stone"), torn=is_torn)
            color = colors[link.fit]
            if not is_torn:
                painter.fillRect(QRectF(left, box.top(), box.width(), 2.5), self.look.color(color))
            above = QRectF(left - 6, box.top() - 18, box.width() + 12, 16)
            line_y = area.bottom() - area.height() * min(self._rate / highest, 1.0)
            if link.fit is not Fit.CARRIES and above.top() < line_y + 3:
                above.moveTop(box.top() + 3)
            text = self.look.numbers.number(carried / MB, 0)
            self.write(
                painter, above, text, weight=600, color=f"{color}_text", size_px=12, align=_CENTRE
            )
            name = QRectF(left - 6, area.bottom() + 2, box.width() + 12, 15)
            self.write(painter, name, link.mode.short, weight=500, size_px=12, align=_CENTRE)
            fit = QRectF(left - 8, area.bottom() + 16, box.width() + 16, 15)
            word = {Fit.CARRIES: "carries", Fit.ON_PAPER: "on paper", Fit.CANT: "can't"}[link.fit]
            self.write(painter, fit, word, color=f"{color}_text", size_px=12, align=_CENTRE)
        y = area.bottom() - area.height() * min(self._rate / highest, 1.0)
        painter.setPen(QPen(self.look.color("copper"), 2.4))
        painter.drawLine(int(area.left()), int(y), int(area.right()), int(y))
        box = QRectF(area.right() + 6, y - 9, 86, 18)
        text = self.look.numbers.rate(self._rate, 0)
        self.write(painter, box, text, color="copper_text", weight=600)


class QuickSumPanel(QFrame):
    """Lies over the stage while it is asked; Esc closes it, Ctrl+K opens it with its last line."""

    closed = Signal()
    code_read = Signal(str)
    """The code of a unit's label was scanned into the line: its tag."""

    def __init__(self, parent: QWidget, look: Look) -> None:
        super().__init__(parent)
        self._look = look
        self._catalog: Callable[[], Catalog] | None = None
        self.setObjectName("quicksum")
        self.setFixedWidth(PANEL_WIDTH_PX)
        self.line = QLineEdit()
        self.line.setObjectName("QuickSum")
        self.line.setAccessibleName("Quick sum")
        self.line.setPlaceholderText(EXAMPLES[0])
        self.headline = label(kind="answer")
        self.verdict = label(kind="head", wraps=True)
        self.message = label(kind="wrong", wraps=True)
        self.examples = label("Or: " + " · ".join(EXAMPLES[1:]), "soft", wraps=True)
        self.steps = SumView(look)
        self.ladder = LinkLadder(look)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(6)
        layout.addWidget(label("Quick sum", "head"))
        for widget in (
            self.line,
            self.examples,
            self.message,
            self.headline,
            self.verdict,
            self.ladder,
            self.steps,
        ):
            layout.addWidget(widget)
        # A scanner types letter by letter: the tag is whole when it pauses.
        self._tag = ""
        self._read_soon = QTimer(self, singleShot=True, interval=_SCANNED_MS)
        self._read_soon.timeout.connect(self._on_scanned)
        self.line.textChanged.connect(self._reckon)
        look.changed.connect(self._restyle)
        parent.installEventFilter(self)
        self._restyle()
        self.hide()
        self._show(None)

    def _restyle(self) -> None:
        palette = self._look.palette
        self.setStyleSheet(
            f"#quicksum {{ background: {palette.panel}; border: 2px solid {palette.ink};"
            " border-radius: 8px; }"
            "#QuickSum { font-size: 17px; min-height: 30px; }"
            f"#answer {{ font-size: 22px; font-weight: 600; color: {palette.copper_text}; }}"
        )

    def attach(self, catalog: Callable[[], Catalog]) -> None:
        """Reckon with the links of *catalog*."""
        self._catalog = catalog

    def open(self) -> None:
        """Show the panel, its line ready to be typed over."""
        self.show()
        self._place()
        self.raise_()
        self.line.setFocus()
        self.line.selectAll()

    def close_panel(self) -> None:
        """Put the panel away; its line stays."""
        self.hide()
        self.closed.emit()

    def _place(self) -> None:
        parent = self.parentWidget()
        if parent is not None:
            self.adjustSize()
            self.move((parent.width() - self.width()) // 2, 84)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize and self.isVisible():
            self._place()
        return False

    def event(self, event: QEvent) -> bool:
        # Esc cancels a test elsewhere in the window; here it only closes the panel.
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.key() == Qt.Key.Key_Escape
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close_panel()
            return
        super().keyPressEvent(event)

    def _reckon(self, text: str) -> None:
        if self._catalog is None or not text.strip():
            self._show(None)
            return
        if (tag := tag_in(text)) is not None:
            self._show(None)
            self._read_soon.start()
            self._tag = tag
            return
        try:
            found = answer_line(text, self._catalog().modes, self._look.numbers)
        except VastCellarError as error:
            self._show(None)
            self.message.setText(str(error))
            self.message.show()
            self._place()
            return
        self._show(found)

    def _on_scanned(self) -> None:
        if tag_in(self.line.text()) == self._tag:
            self.line.clear()
            self.close_panel()
            self.code_read.emit(self._tag)

    def _show(self, found: AnsweredSum | None) -> None:
        self.message.hide()
        self.examples.setVisible(found is None)
        for widget in (self.headline, self.verdict, self.ladder, self.steps):
            widget.setVisible(found is not None)
        if found is not None:
            self.headline.setText(found.headline)
            self.verdict.setText(found.verdict)
            self.verdict.setVisible(bool(found.verdict))
            self.ladder.show_links(found.links, found.answer.value)
            source = "decimal units, 1 MB = 10⁶ bytes; links in use: typical of good bridges"
            self.steps.show_sum(
                Sum("quick", "Reckoned", found.lines, source, Evidence.COMPUTED), is_asked=False
            )
        self._place()

    def sizeHint(self) -> QSize:
        return QSize(PANEL_WIDTH_PX, super().sizeHint().height())
