"""The bar "plugged in" with what goes with it: shared by the stations that start from a device."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QPushButton, QScrollArea, QToolButton, QVBoxLayout, QWidget

from vastcellar.services.plugged.wording import short_line, whole_words, why_no_target
from vastcellar.ui.widgets.cards import OneLine, label, row
from vastcellar.ui.widgets.plugged_bar import PluggedBar, PluggedCard

if TYPE_CHECKING:
    from vastcellar.core.units import NumberFormat
    from vastcellar.services.plugged.seen import SeenDevice
    from vastcellar.ui.models.workbench import Workbench

_LINK_KINDS = {
    "network": "network",
    "virtual": "virtual",
    "card": "card slot",
    "": "not known",
}


def card_of(seen: SeenDevice, fmt: NumberFormat) -> PluggedCard:
    """Return *seen* as it is drawn."""
    mode, fall = seen.mode, seen.fall
    kind = seen.device.link.kind
    return PluggedCard(
        key=seen.device.name,
        title=seen.title,
        size=fmt.size(seen.device.size_bytes),
        link=mode.short if mode else _LINK_KINDS.get(kind, kind.upper()),
        could=fall.could.short if fall else "",
        link_bytes_per_s=mode.ceiling_bytes_per_s if mode else 0.0,
        could_bytes_per_s=fall.could.ceiling_bytes_per_s if fall else 0.0,
        line=short_line(seen, fmt),
        is_suspect=fall is not None,
        is_target=not why_no_target(seen),
        whole=whole_words(seen, fmt),
    )


def _in_short(card: PluggedCard) -> str:
    return f"{card.title} {card.link}" + (f" of {card.could}!" if card.could else "")


class PluggedRow(QWidget):
    """Every plugged-in device; one can be asked for, the computer's own disk only twice."""

    def __init__(
        self, workbench: Workbench, *, takes_at_once: bool = False, folds: bool = False
    ) -> None:
        """*takes_at_once* where a click on a device is all that it takes to ask for it.

        Where it *folds* it begins as one line that names what is plugged in.
        """
        super().__init__()
        self._is_folded = folds
        self._takes_at_once = takes_at_once
        self._workbench, self.plugged = workbench, workbench.plugged
        self._is_meant = False
        """Whether the computer's own disk was asked for once."""
        self.bar = PluggedBar(workbench.look)
        self.said = OneLine()
        self.button = QPushButton("Measure this drive")
        self.cards_area = QScrollArea()
        self.cards_area.setWidgetResizable(True)
        self.cards_area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.cards_area.setWidget(self.bar)
        self.cards_area.setFixedHeight(self.bar.height() + 8)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self.fold_button = QToolButton()
        self.fold_button.setObjectName("section")
        self.fold_button.setText("Plugged in")
        self.fold_button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.fold_button.clicked.connect(lambda: self.fold(not self._is_folded))
        title = self.fold_button if folds else label("Plugged in", "head")
        head = row(title, self.said, spacing=10, stretch_last=True)
        head.addWidget(self.button)
        layout.addLayout(head)
        layout.addWidget(self.cards_area)
        self.bar.chosen.connect(self._on_chosen)
        self.bar.taken.connect(lambda _key: self._ask())
        self.button.clicked.connect(self._ask)
        self.plugged.changed.connect(self.refresh)
        workbench.look.changed.connect(self.bar.update)
        self.refresh()

    def fold(self, is_folded: bool) -> None:
        """Show one line, or every device."""
        self._is_folded = is_folded
        self.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.plugged.watch()

    @property
    def chosen(self) -> SeenDevice | None:
        """The device that is chosen, None for none."""
        return self.plugged.named(self.bar.key)

    def refresh(self) -> None:
        """Show what is plugged in now, this computer's own disk last."""
        numbers = self._workbench.look.numbers
        devices = sorted(self.plugged.devices, key=lambda each: each.device.is_system)
        self.bar.show_cards(tuple(card_of(each, numbers) for each in devices))
        self.cards_area.setVisible(bool(devices) and not self._is_folded)
        arrow = Qt.ArrowType.RightArrow if self._is_folded else Qt.ArrowType.DownArrow
        self.fold_button.setArrowType(arrow)
        self._say()

    def _on_chosen(self, _key: str) -> None:
        self._is_meant = False
        self._say()
        if self._takes_at_once and self.chosen is not None and not self._is_own(self.chosen):
            self._ask()

    def _say(self) -> None:
        seen = self.chosen
        can = seen is not None and not self._why_not(seen)
        self.button.setVisible(can and (self._is_own(seen) or not self._takes_at_once))
        words = "Measure it all the same" if self._is_own(seen) else "Measure this drive"
        self.button.setText("Yes, measure this computer's own disk" if self._is_meant else words)
        self.said.setText(self._said(seen))
        self.said.setToolTip(self.said.text())

    def _said(self, seen: SeenDevice | None) -> str:
        if not self.plugged.is_known:
            return "Looking …"
        if self._is_folded and self.bar.cards:
            return " · ".join(_in_short(card) for card in self.bar.cards)
        if seen is None:
            others = [each for each in self.plugged.devices if not each.device.is_system]
            if others:
                return "Click a device to measure it: no camera and no setup needed."
            return "Nothing but what this computer runs from. Plug a drive in, and it stands here."
        if reason := self._why_not(seen):
            return f"{seen.title}: {reason}."
        if self._is_own(seen):
            return "This computer runs from it, and a test fills and wears it."
        lines = whole_words(seen, self._workbench.look.numbers).splitlines()
        return " ".join(lines[: 2 if seen.fall else 1])

    @staticmethod
    def _is_own(seen: SeenDevice | None) -> bool:
        return seen is not None and seen.device.is_system

    def _why_not(self, seen: SeenDevice) -> str:
        """Say why it can't be measured here, "" where it can; one's own disk can, if meant."""
        if self.plugged.is_made_up:
            return (
                f"{short_line(seen, self._workbench.look.numbers)} (the demo's made-up computer: "
                "nothing can be written to it; a simulated rig stands for its drives)"
            )
        return "" if self._is_own(seen) else why_no_target(seen)

    def _ask(self) -> None:
        seen = self.chosen
        if seen is None or self._why_not(seen):
            return
        if self._is_own(seen) and not self._is_meant:
            self._is_meant = True
            self._say()
            return
        self._is_meant = False
        folder = Path.home() if self._is_own(seen) else seen.folder
        if folder is not None:
            self._workbench.ask_to_measure(seen, folder)
        self._say()
