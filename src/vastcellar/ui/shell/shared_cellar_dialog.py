"""Where the cellar is: in this computer's file, or on a server that several desks share."""

from __future__ import annotations

import os
from collections.abc import Callable

from PySide6.QtWidgets import QDialog, QLineEdit, QPushButton, QVBoxLayout, QWidget

from vastcellar.services.workplace.databases import (
    DATABASE_VARIABLE,
    server_address,
    use_file,
    use_server,
)
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.ui.models.background import Background
from vastcellar.ui.widgets.cards import label, row

_WIDTH_PX = 560


class SharedCellarDialog(QDialog):
    """Says where the cellar is, and has it elsewhere from the next start on."""

    def __init__(self, parent: QWidget, workplace: Workplace) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shared cellar")
        self._places, self._is_demo = workplace.folders, workplace.is_demo
        path = workplace.cellar.path
        self.where = label(
            f"The cellar is {'in' if path is not None else 'on'} {workplace.cellar.where}.",
            wraps=True,
        )  # fmt: skip
        self.hint = label(
            "On a PostgreSQL server several desks share one cellar, and see each other's edits. "
            "Neither this file nor what is on the server is changed: an export, and an import or "
            "a merge, bring units along. The password belongs into ~/.pgpass.",
            "soft", wraps=True,
        )  # fmt: skip
        self.address = QLineEdit()
        self.address.setAccessibleName("Address of the server")
        self.address.setPlaceholderText("postgresql://user@server/database")
        self.server_button = QPushButton("Use this server")
        self.file_button = QPushButton("Use this computer's file")
        self.close_button = QPushButton("Close")
        self.said = label(kind="soft", wraps=True)
        self.said.setMinimumHeight(34)
        layout = QVBoxLayout(self)
        for each in (self.where, self.hint, self.address, self.said):
            layout.addWidget(each)
        layout.addLayout(
            row(self.server_button, self.file_button, self.close_button, spacing=8)
        )  # fmt: skip
        self.setMinimumWidth(_WIDTH_PX)
        self._asker = Background(self)
        self._asker.done.connect(self._on_kept)
        self._asker.failed.connect(lambda error: self._end(str(error), "wrong"))
        self.server_button.clicked.connect(self._use_server)
        self.file_button.clicked.connect(lambda: self._ask(lambda: f"in {use_file(self._places)}"))
        self.close_button.clicked.connect(self.accept)
        self.address.textChanged.connect(self._refresh)
        self.address.returnPressed.connect(self._use_server)
        self.finished.connect(lambda _result: self._asker.stop())
        if self._is_demo:
            self._say("A demo always has a cellar of its own, on this computer.", "soft")
        elif os.environ.get(DATABASE_VARIABLE):
            self._say(f"{DATABASE_VARIABLE} is set, and counts before what is set here.", "soft")
        self._refresh()

    def _use_server(self) -> None:
        address = self.address.text().strip()
        if address:
            self._ask(lambda: f"on {use_server(self._places, address)}")

    def _ask(self, call: Callable[[], str]) -> None:
        """Have the cellar elsewhere; a server may take its time to answer."""
        self._say("asking …", "soft")
        for button in (self.server_button, self.file_button):
            button.setEnabled(False)
        self._asker.request(call)

    def _on_kept(self, where: str) -> None:
        self._end(f"From the next start on the cellar is {where}.", "soft")

    def _end(self, words: str, kind: str) -> None:
        self._say(words, kind)
        self._refresh()

    def _say(self, words: str, kind: str) -> None:
        self.said.setText(words)
        self.said.setObjectName(kind)
        self.said.style().polish(self.said)

    def _refresh(self) -> None:
        is_own = not self._is_demo
        self.address.setEnabled(is_own)
        self.server_button.setEnabled(is_own and bool(self.address.text().strip()))
        is_set = bool(server_address(self._places, demo=self._is_demo))
        self.file_button.setEnabled(is_own and is_set)
