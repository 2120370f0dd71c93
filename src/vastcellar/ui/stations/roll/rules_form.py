"""The rules of the day as fields: computer, order, walk, copies at once, copies to wipe."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.offload import CardOrder, Offload
from vastcellar.core.units import parse_duration
from vastcellar.services.roll.day_planning import station_of
from vastcellar.ui.look import Look
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.inputs import Choice, QuantityField, parse_whole


class RulesForm(QWidget):
    """Shows the rules of the open shoot and hands back changed ones."""

    edited = Signal(object, str)  # Offload, what was done
    refused = Signal(object)

    def __init__(self, look: Look) -> None:
        super().__init__()
        numbers = look.numbers
        self._rules = Offload()
        self.host, self.order = Choice("Computer"), Choice("Order")
        self.walk = QuantityField("Walk", parse_duration, numbers.duration)
        self.at_once = QuantityField("Copies at once", parse_whole, str)
        self.to_wipe = QuantityField("Copies before wiping", parse_whole, str)
        self.host.setMinimumWidth(120)
        self.order.setMinimumWidth(132)
        for field, width in ((self.walk, 62), (self.at_once, 34), (self.to_wipe, 34)):
            field.setFixedWidth(width)
            field.decimal_point = numbers.decimal_point
            field.refused.connect(self.refused)
        self.host.setToolTip("The computer that the cards are copied on")
        self.order.setToolTip("Which of the cards that wait goes first")
        self.walk.setToolTip("From a camera to the computer, and back")
        self.at_once.setToolTip("How many cards are copied at the same time")
        self.to_wipe.setToolTip("Verified copies on drives of their own before a card is free")
        words: list[QWidget] = []
        fields: tuple[tuple[str, QWidget], ...] = (
            ("copied on", self.host),
            ("order", self.order),
            ("walk", self.walk),
            ("at once", self.at_once),
            ("free after", self.to_wipe),
        )
        for text, shown in fields:
            words += [label(text, "soft"), shown]
        words.append(label("verified copies", "soft"))
        self.setLayout(row(*words, spacing=6))
        self.host.chosen.connect(lambda key: self._edit("computer", host_key=key))
        self.order.chosen.connect(lambda key: self._edit("order", order=CardOrder(key)))
        self.walk.entered.connect(lambda value: self._edit("walk", walk_s=value))
        self.at_once.entered.connect(lambda v: self._edit("copies at once", copies_at_once=v))
        self.to_wipe.entered.connect(lambda v: self._edit("rule of wiping", verified_copies=v))

    def show_rules(self, workbench: Workbench, catalog: Catalog) -> None:
        """Show the rules of the open shoot."""
        shoot = workbench.document.shoot
        rules = self._rules = shoot.offload
        hosts = [(h.key, h.name) for h in catalog.hosts.values() if not h.is_camera]
        try:
            chosen = station_of(shoot, catalog).key
        except VastCellarError:
            chosen = rules.host_key
        self.host.offer(hosts, chosen)
        self.order.offer([(each.value, each.value) for each in CardOrder], rules.order.value)
        self.walk.show_value(rules.walk_s)
        self.at_once.show_value(rules.copies_at_once)
        self.to_wipe.show_value(rules.verified_copies)

    def _edit(self, told: str, **changes: object) -> None:
        try:
            rules = replace(self._rules, **changes)  # type: ignore[arg-type]
        except VastCellarError as error:
            self.refused.emit(error)
            self.show_again()
            return
        self.edited.emit(rules, told)

    def show_again(self) -> None:
        """Put back what stands, after something that can't be."""
        rules = self._rules
        self.walk.show_value(rules.walk_s)
        self.at_once.show_value(rules.copies_at_once)
        self.to_wipe.show_value(rules.verified_copies)
