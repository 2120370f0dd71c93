"""The rules of the day as fields: computer, order, walk, copies at once, copies to wipe."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.offload import CardOrder, Offload, Person
from vastcellar.core.units import parse_duration
from vastcellar.services.roll.day_planning import station_of
from vastcellar.ui.look import Look
from vastcellar.ui.models.day_plan import DayPlan
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.inputs import Choice, QuantityField, parse_whole


class RulesForm(QWidget):
    """Shows the rules of the open shoot and hands back changed ones."""

    edited = Signal(object, str)  # Offload, what was done
    refused = Signal(object)

    def __init__(self, look: Look) -> None:
        super().__init__()
        numbers = look.numbers
        self._rules: Callable[[], Offload] = Offload
        """The rules as they are now: a plan that is being reckoned shows older ones."""
        self.host, self.order = Choice("Computer"), Choice("Order")
        self.walk = QuantityField("Walk", parse_duration, numbers.duration)
        self.at_once = QuantityField("Copies at once", parse_whole, str)
        self.to_wipe = QuantityField("Copies before wiping", parse_whole, str)
        self.people = QuantityField("People", _parse_people, _people_text)
        self.host.setMinimumWidth(120)
        self.order.setMinimumWidth(132)
        for field, width in ((self.walk, 62), (self.at_once, 34), (self.to_wipe, 34),
                             (self.people, 110)):  # fmt: skip
            field.setFixedWidth(width)
            field.decimal_point = numbers.decimal_point
            field.refused.connect(self.refused)
        self.host.setToolTip("The computer that the cards are copied on")
        self.order.setToolTip("Which of the cards that wait goes first")
        self.walk.setToolTip("From a camera to the computer, and back")
        self.at_once.setToolTip("How many cards are copied at the same time")
        self.to_wipe.setToolTip("Verified copies on drives of their own before a card is free")
        self.people.setToolTip(
            "Who changes the cards, with commas between; (fetches) after who also walks for them"
        )
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
        words += [label("copies; by", "soft"), self.people]
        self.setLayout(row(*words, spacing=6))
        self.people.entered.connect(self._edit_people)
        self.host.chosen.connect(lambda key: self._edit("computer", host_key=key))
        self.order.chosen.connect(lambda key: self._edit("order", order=CardOrder(key)))
        self.walk.entered.connect(lambda value: self._edit("walk", walk_s=value))
        self.at_once.entered.connect(lambda v: self._edit("copies at once", copies_at_once=v))
        self.to_wipe.entered.connect(lambda v: self._edit("rule of wiping", verified_copies=v))

    def show_rules(self, plan: DayPlan, catalog: Catalog) -> None:
        """Show the rules of the open shoot at the station that is planned."""
        shoot = plan.here
        self._rules = lambda: plan.here.offload
        rules = shoot.offload
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
        self.people.show_value(rules.people)

    def _edit_people(self, named: tuple[Person, ...]) -> None:
        """Take other people; whoever stays keeps his or her breaks."""
        breaks = {each.name: each.breaks for each in self._rules().people}
        people = tuple(replace(each, breaks=breaks.get(each.name, ())) for each in named)
        self._edit("people", people=people)

    def _edit(self, told: str, **changes: object) -> None:
        try:
            rules = replace(self._rules(), **changes)  # type: ignore[arg-type]
        except VastCellarError as error:
            self.refused.emit(error)
            self.show_again()
            return
        self.edited.emit(rules, told)

    def show_again(self) -> None:
        """Put back what stands, after something that can't be."""
        rules = self._rules()
        self.walk.show_value(rules.walk_s)
        self.at_once.show_value(rules.copies_at_once)
        self.to_wipe.show_value(rules.verified_copies)
        self.people.show_value(rules.people)


_FETCHES = "(fetches)"


def _people_text(people: Sequence[Person]) -> str:
    return ", ".join(f"{each.name} {_FETCHES}" if each.fetches else each.name for each in people)


def _parse_people(text: str, *, where: str = "", decimal_point: str = ".") -> tuple[Person, ...]:
    """Read names with commas between them, each with whether it fetches the cards as well."""
    found = []
    for part in text.split(","):
        name = part.strip()
        fetches = name.lower().endswith(_FETCHES)
        name = name[: -len(_FETCHES)].strip() if fetches else name
        if name:
            found.append(Person(name, fetches=fetches))
    return tuple(found)
