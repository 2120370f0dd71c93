"""Looks over a window for what doesn't fit: cut texts, overlaps, widgets outside their parents."""

from PySide6.QtWidgets import (
    QAbstractScrollArea,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QRadioButton,
    QStyle,
    QStyleOptionComboBox,
    QWidget,
)

from vastcellar.ui.widgets.cards import OneLine
from vastcellar.ui.widgets.inputs import Choice
from vastcellar.ui.widgets.picture import Picture

_SLACK_PX = 1


def misfits(top):
    """Return a line for each visible widget below *top* whose text is cut, or that sticks out."""
    found = []
    for widget in [top, *top.findChildren(QWidget)]:
        if widget is not top and not widget.isVisibleTo(top):
            continue
        if not widget.size().isValid() or widget.width() == 0:
            continue
        name = f"{type(widget).__name__} {_said(widget)!r}"
        need = _needs(widget)
        if need is not None and (need[0] > widget.width() + _SLACK_PX):
            found.append(f"{name} needs {need[0]} px, has {widget.width()}")
        if need is not None and need[1] > widget.height() + _SLACK_PX:
            found.append(f"{name} needs {need[1]} px height, has {widget.height()}")
        if widget is not top and (cut := _outside(widget)):
            found.append(f"{name} sticks out of {type(widget.parentWidget()).__name__}: {cut}")
        if isinstance(widget, Picture):
            found += [f"{name} cuts {text!r}" for text in widget.cut_texts]
    return found + _overlaps(top)


def _said(widget):
    text = getattr(widget, "text", None)
    text = text() if callable(text) else ""
    return str(text)[:50] or widget.accessibleName()[:50] or widget.objectName()


def _needs(widget):
    """Return the width and height that a widget's own text asks for; None where it has none."""
    if isinstance(widget, OneLine):
        return None  # gives way with an ellipsis on purpose; its tool tip is the whole
    if isinstance(widget, QLabel):
        if not widget.text():
            return None
        if widget.wordWrap():
            return 0, widget.heightForWidth(widget.width())
        return widget.sizeHint().width(), widget.minimumSizeHint().height()
    if isinstance(widget, QPushButton | QCheckBox | QRadioButton):
        hint = widget.minimumSizeHint()
        return hint.width(), hint.height()
    if isinstance(widget, Choice):
        return (widget.width() + 2, 0) if widget.is_cut else None
    if isinstance(widget, QComboBox):
        option = QStyleOptionComboBox()
        widget.initStyleOption(option)
        control, part = QStyle.ComplexControl.CC_ComboBox, QStyle.SubControl.SC_ComboBoxEditField
        field = widget.style().subControlRect(control, option, part, widget)
        text = widget.fontMetrics().horizontalAdvance(widget.currentText())
        return text + widget.width() - field.width(), 0
    if isinstance(widget, QLineEdit):
        if widget.text() and not widget.objectName().startswith(("Folder", "Clips")):
            text = widget.fontMetrics().horizontalAdvance(widget.text())
            return text + 14, 0
        return None
    return None


def _outside(widget):
    parent = widget.parentWidget()
    if parent is None or widget.isWindow():
        return ""
    grand = parent.parentWidget()
    if isinstance(grand, QAbstractScrollArea) and grand.viewport() is parent:
        return ""  # what lies in a scroll area may be larger than its window
    if isinstance(parent, QAbstractScrollArea):
        return ""
    if (
        not parent.rect()
        .adjusted(-_SLACK_PX, -_SLACK_PX, _SLACK_PX, _SLACK_PX)
        .contains(widget.geometry())
    ):
        return f"{widget.geometry().getRect()} in {parent.size().toTuple()}"
    return ""


def _overlaps(top):
    """Return pairs of texts beside each other that lie over one another."""
    kinds = (QLabel, QPushButton, QCheckBox, QRadioButton, QComboBox, QLineEdit)
    found = []
    by_parent = {}
    for widget in top.findChildren(QWidget):
        if isinstance(widget, kinds) and widget.isVisibleTo(top) and widget.parentWidget():
            by_parent.setdefault(widget.parentWidget(), []).append(widget)
    for siblings in by_parent.values():
        for number, one in enumerate(siblings):
            for other in siblings[number + 1 :]:
                both = one.geometry().intersected(other.geometry())
                if both.width() > 1 and both.height() > 1:
                    found.append(f"{_said(one)!r} lies over {_said(other)!r}")
    return found
