"""The parts to get: each line with whence it comes, what they come to, and saving them."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QPushButton, QScrollArea, QVBoxLayout, QWidget

from vastcellar.core.parts.catalog import Catalog
from vastcellar.services.build.billing import instead_of
from vastcellar.services.build.building import Build
from vastcellar.services.build.price_wording import bill_rows, bill_sentence
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.cards import OneLine, card, label, row


class BillCard(QWidget):
    """A line for each part, then the whole; the button asks where to save it."""

    save_asked = Signal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.sentence = label(kind="soft", wraps=True)
        self.lines: list[OneLine] = []
        self.button = QPushButton("Save bill …")
        self.button.setToolTip("As PDF or CSV")
        self.button.clicked.connect(self.save_asked)
        frame, inside = card()
        head = row(label("Parts to get", "head"))
        head.addWidget(self.button)
        inside.addLayout(head)
        page = QWidget()
        page.setObjectName("inside")
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 6, 0)
        self._column = QVBoxLayout()
        self._column.setSpacing(1)
        column.addLayout(self._column)
        column.addWidget(self.sentence)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(page)
        inside.addWidget(area, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(frame)

    def show_build(self, made: Build, catalog: Catalog) -> None:
        """Show what *made* is put together from."""
        numbers, currency = self._look.numbers, catalog.currency
        rows = bill_rows(made, numbers, currency)
        while len(self.lines) < len(rows):
            line = OneLine()
            self.lines.append(line)
            self._column.addWidget(line)
        for number, line in enumerate(self.lines):
            line.setVisible(number < len(rows))
            if number < len(rows):
                name, whence, price = rows[number]
                line.setText(f"{name} · {whence}" + (f" · {price}" if whence == "buy" else ""))
                line.setToolTip(line.text())
        instead = instead_of(made.layout, catalog)
        self.sentence.setText(bill_sentence(made, instead, numbers, currency))
