"""What users type is text: in boxes and tool tips it is shown as it stands, never as markup."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QHelpEvent, Qt  # mightBeRichText is QtGui's part of Qt
from PySide6.QtWidgets import QApplication, QMessageBox, QToolTip, QWidget


def plain_box(parent: QWidget, title: str, text: str, detail: str = "") -> QMessageBox:
    """Return a message box whose texts are shown to the letter."""
    box = QMessageBox(parent)
    box.setIcon(QMessageBox.Icon.Warning)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setWindowTitle(title)
    box.setText(text)
    box.setInformativeText(detail)
    return box


def plain_tip(text: str) -> str:
    """Return *text* so that a tool tip shows every character of it, "<" and "&" too."""
    return text if not Qt.mightBeRichText(text) else f"<qt>{escape(text)}</qt>"


class PlainTips(QObject):
    """Shows the tool tip of every widget as plain text; one for the whole application."""

    def __init__(self, application: QApplication) -> None:
        super().__init__(application)
        application.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            event.type() is QEvent.Type.ToolTip
            and isinstance(watched, QWidget)
            and isinstance(event, QHelpEvent)
            and Qt.mightBeRichText(watched.toolTip())
        ):
            QToolTip.showText(event.globalPos(), plain_tip(watched.toolTip()), watched)
            return True
        return False
