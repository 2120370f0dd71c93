"""Fields that take any unit, and choices by key."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import QEvent, QPointF, QRectF, QSignalBlocker, Qt, Signal
from PySide6.QtGui import (
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QPainter,
    QPaintEvent,
    QPalette,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import (
    QComboBox,
    QLineEdit,
    QStyle,
    QStyleOptionComboBox,
    QStylePainter,
    QWidget,
)

from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.units import parse_number
from vastcellar.ui.look import font
from vastcellar.ui.widgets.plain import plain_tip

_LEFT_PX, _BESIDE_TEXT_PX = 7.0, 25.0
"""Before the text of a choice, and before it and its arrow together."""


def mark_wrong(widget: QWidget, is_wrong: bool) -> None:
    """Give *widget* the border of a field whose entry can't be read."""
    if widget.property("wrong") != is_wrong:
        widget.setProperty("wrong", is_wrong)
        widget.style().unpolish(widget)
        widget.style().polish(widget)


class QuantityField(QLineEdit):
    """A typed-in quantity. What can't be read stays as typed, with its sentence; Esc reverts."""

    entered = Signal(object)
    """The value, once it can be read and differs."""
    refused = Signal(object)
    """The error, or None once the entry is good again."""

    def __init__(self, name: str, parse: Callable[..., Any], show: Callable[[Any], str]) -> None:
        super().__init__()
        self._name, self._parse, self._show = name, parse, show
        self._value: Any = None
        self.decimal_point = "."
        self.setAccessibleName(name)
        self.setObjectName(name)
        self.editingFinished.connect(self._on_finished)
        self.textEdited.connect(self._on_edited)

    def show_value(self, value: Any) -> None:
        """Show *value*, unless the user is in the middle of typing something else."""
        if self.property("wrong") and self.hasFocus():
            return
        self._value = value
        if not (self.hasFocus() and self.isModified()):
            self._revert()

    def _revert(self) -> None:
        self.setText("" if self._value is None else self._show(self._value))
        self.setModified(False)
        self._clear_error()

    def _clear_error(self) -> None:
        if self.property("wrong"):
            mark_wrong(self, False)
            self.setToolTip("")
            self.refused.emit(None)

    def _on_edited(self, _text: str) -> None:
        self._clear_error()

    def _on_finished(self) -> None:
        if not self.isModified():
            return
        try:
            value = self._parse(self.text(), where=self._name, decimal_point=self.decimal_point)
        except BadValueError as error:
            self.refuse(error)
            return
        self.setModified(False)
        if value != self._value:
            before, self._value = self._value, value
            self.entered.emit(value)
            if self.property("wrong"):  # read, but turned down by whoever was told
                self._value = before
                return
        self._revert()

    def refuse(self, error: VastCellarError) -> None:
        """Mark the entry as wrong, with its sentence; it stays as typed."""
        mark_wrong(self, True)
        self.setToolTip(str(error))
        self.refused.emit(error)

    def event(self, event: QEvent) -> bool:
        # Esc cancels a test elsewhere in the window; while typing it only reverts the entry.
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.key() == Qt.Key.Key_Escape
            and self._can_revert
        ):
            event.accept()
            return True
        return super().event(event)

    @property
    def _can_revert(self) -> bool:
        return self.isModified() or bool(self.property("wrong"))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self._can_revert:
            self._revert()
            return
        super().keyPressEvent(event)


def plain_text(text: str, *, where: str = "", decimal_point: str = ".") -> str:
    """Read a name: the text itself, trimmed. Raises BadValueError if nothing is left."""
    if not text.strip():
        raise BadValueError("nothing is entered", where=where, mend="Write a name")
    return text.strip()


def parse_whole(text: str, *, where: str = "", decimal_point: str = ".") -> int:
    """Read a whole number. Raises BadValueError for any other."""
    value = parse_number(text, where=where, decimal_point=decimal_point)
    if value != int(value):
        raise BadValueError(
            f"{text.strip()} is not whole", where=where, mend="Write a whole number"
        )
    return int(value)


def or_nothing(parse: Callable[..., float], *words: str) -> Callable[..., float]:
    """Return *parse* with nothing entered, or one of *words* for it, read as 0."""

    def read(text: str, *, where: str = "", decimal_point: str = ".") -> float:
        if text.strip().lower() in ("", *words):
            return 0.0
        return parse(text, where=where, decimal_point=decimal_point)

    return read


class Choice(QComboBox):
    """A choice by key; it only changes by the user's own doing."""

    chosen = Signal(str)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setObjectName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(8)
        self.activated.connect(self._on_activated)

    def offer(self, entries: Iterable[tuple[str, str]], key: str) -> None:
        """Offer (key, text) *entries* and show *key*; a separator where the key is "-"."""
        with QSignalBlocker(self):
            self.clear()
            for entry_key, text in entries:
                if entry_key == "-":
                    self.insertSeparator(self.count())
                else:
                    self.addItem(text, entry_key)
                    index = self.count() - 1
                    self.setItemData(index, plain_tip(text), Qt.ItemDataRole.ToolTipRole)
            self.setCurrentIndex(self.findData(key))
            self.setToolTip(self.currentText())
        longest = max((self.itemText(i) for i in range(self.count())), key=len, default="")
        width = self.fontMetrics().horizontalAdvance(longest) + 32
        self.view().setMinimumWidth(min(width, 520))

    def _on_activated(self, index: int) -> None:
        key = self.itemData(index)
        if key is not None:
            self.chosen.emit(str(key))

    def fitting_font(self) -> QFont:
        """Return the font that the chosen text fits in: narrower and smaller before it is cut."""
        usual = self.font()
        for made in (usual, *(font(size_px, condensed=True) for size_px in (14, 13))):
            if QFontMetricsF(made).horizontalAdvance(self.currentText()) <= self._text_width:
                return made
        return font(12, condensed=True)

    @property
    def is_cut(self) -> bool:
        """Whether even the smallest text doesn't fit."""
        made = QFontMetricsF(self.fitting_font())
        return made.horizontalAdvance(self.currentText()) > self._text_width + 1

    @property
    def _text_width(self) -> float:
        return self.width() - _BESIDE_TEXT_PX

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QStylePainter(self)
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        text, option.currentText = option.currentText, ""
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        made = self.fitting_font()
        metrics = QFontMetricsF(made)
        shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, self._text_width + 1)
        painter.setFont(made)
        painter.setPen(self.palette().color(QPalette.ColorRole.Text))
        painter.setOpacity(1.0 if self.isEnabled() else 0.6)
        box = QRectF(_LEFT_PX, 0, self._text_width + 2, self.height())
        line = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        painter.drawText(box, int(line), shown)
        # The style sheet takes the style's own arrow away.
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.palette().color(QPalette.ColorRole.Text), 1.5))
        painter.setOpacity(0.7 if self.isEnabled() else 0.3)
        x, y = self.width() - 15, self.height() / 2 - 2
        painter.drawPolyline([QPointF(x, y), QPointF(x + 4, y + 4), QPointF(x + 8, y)])
        painter.end()

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()  # scrolling past a choice must not change it
