"""The pages of a station as a row of buttons, one of them down."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QButtonGroup, QPushButton, QWidget


def tab_group(pages: Sequence[tuple[str, str]], parent: QWidget) -> QButtonGroup:
    """Return a button for each (name, tip) of *pages*, its number as id; the first is down."""
    group = QButtonGroup(parent)
    for index, (text, tip) in enumerate(pages):
        button = QPushButton(text)
        button.setObjectName("tab")
        button.setCheckable(True)
        button.setToolTip(tip)
        button.setChecked(not index)
        group.addButton(button, index)
    return group
