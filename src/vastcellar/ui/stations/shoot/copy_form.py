"""The inputs of the copies: the chosen one's name, place, days and units; the reserve of all."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.shoot.shoot import Copy, Shoot
from vastcellar.core.units import NumberFormat, parse_rate, parse_share, parse_time_of_day
from vastcellar.services.workplace.workplace import Shelf
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.field_set import FieldSet
from vastcellar.ui.widgets.inputs import or_nothing, parse_whole, plain_text

_OURS, _HANDED_OVER = "ours", "handed over"


class CopyForm(QWidget):
    """Shows the copy that is chosen and hands back the changed shoot."""

    edited = Signal(object, str)  # the changed Shoot, and what was changed
    chosen = Signal(str)

    def __init__(self, shelf: Callable[[], Shelf], numbers: NumberFormat) -> None:
        super().__init__()
        self._shelf = shelf
        self._shoot: Shoot | None = None
        self._copy: Copy | None = None
        self.message = label(kind="wrong", wraps=True)
        self.message.hide()
        self.fields = FieldSet(numbers)
        self.fields.add("Copy", plain_text, str, lambda c: c.name, lambda c, v: replace(c, name=v))
        self.fields.add(
            "Kept at", _any_text, str, lambda c: c.kept_at, lambda c, v: replace(c, kept_at=v)
        )
        self.fields.add(
            "Kept for",
            _parse_keep,
            lambda days: f"{days} days" if days else "to the end",
            lambda c: c.keep_days,
            lambda c, v: replace(c, keep_days=v),
            tip="Days after which each day's material is let go",
        )
        self.fields.add(
            "On units",
            self._parse_tags,
            ", ".join,
            lambda c: c.unit_tags,
            lambda c, v: replace(c, unit_tags=v),
            tip="Tags of the shelf, for example H-01, H-02",
        )
        self.fields.add_choice(
            "It is",
            lambda _copy: ((_OURS, "ours"), (_HANDED_OVER, "handed over")),
            lambda c: _HANDED_OVER if c.is_handed_over else _OURS,
            lambda c, key: replace(c, is_handed_over=key == _HANDED_OVER),
            tip="A copy that is handed over frees no card",
        )
        self.fields.add(
            "It writes",
            or_nothing(parse_rate, "not known"),
            lambda rate: numbers.rate(rate) if rate else "not known",
            lambda c: c.write_bytes_per_s,
            lambda c, v: replace(c, write_bytes_per_s=v),
            tip="What a drive that isn't ours is said to write, where no unit is named",
        )
        self.fields.add_choice(
            "It is made",
            self._sources,
            lambda c: c.made_from,
            lambda c, key: replace(c, made_from=key),
            tip="With the others in one read, or later from one of them",
        )
        self.fields.add(
            "Not before",
            or_nothing(parse_time_of_day, "any time"),
            lambda at_s: numbers.time_of_day(at_s) if at_s else "any time",
            lambda c: c.not_before_s,
            lambda c, v: replace(c, not_before_s=v),
            tip="When one that is made later can begin: 21:00 at the hotel",
        )
        self.shoot_fields = FieldSet(numbers)
        self.shoot_fields.add(
            "Reserve",
            parse_share,
            numbers.percent,
            lambda s: s.reserve,
            lambda s, v: replace(s, reserve=v),
            tip="Room kept over on every copy",
        )
        self.add_button = QPushButton("Add a copy")
        self.remove_button = QPushButton("Remove")
        self.add_button.clicked.connect(self.add_copy)
        self.remove_button.clicked.connect(self.remove_copy)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 4, 0)
        layout.addWidget(label("Copies", "head"))
        self.rule = label(kind="soft", wraps=True)
        layout.addWidget(self.rule)
        layout.addLayout(row(self.add_button, self.remove_button, spacing=6))
        layout.addWidget(self.fields)
        layout.addWidget(self.message)
        layout.addSpacing(10)
        layout.addWidget(self.shoot_fields)
        layout.addStretch(1)
        self.fields.edited.connect(self._on_copy)
        self.shoot_fields.edited.connect(self.edited)
        for fields in (self.fields, self.shoot_fields):
            fields.refused.connect(self._say)

    def show_shoot(self, shoot: Shoot, name: str) -> None:
        """Show the copy called *name*."""
        self._shoot = shoot
        self._copy = next((copy for copy in shoot.copies if copy.name == name), None)
        count = shoot.offload.verified_copies
        copies = "1 verified copy" if count == 1 else f"{count} verified copies"
        self.rule.setText(f"{copies} that stay with us before a card is wiped.")
        self.fields.setVisible(self._copy is not None)
        self.remove_button.setEnabled(self._copy is not None)
        self.fields.show_value(self._copy)
        self.shoot_fields.show_value(shoot)

    def _sources(self, copy: Copy) -> list[tuple[str, str]]:
        """Return what a copy can be made from: the cards, or a copy that is made from them."""
        copies = self._shoot.copies if self._shoot else ()
        others = [each.name for each in copies if not each.made_from and each.name != copy.name]
        return [("", "from the cards"), *((name, f"later, from {name}") for name in others)]

    def _parse_tags(
        self, text: str, *, where: str = "", decimal_point: str = "."
    ) -> tuple[str, ...]:
        tags = tuple(tag.strip() for tag in text.replace(";", ",").split(",") if tag.strip())
        for tag in tags:
            if self._shelf().unit(tag) is None:
                raise BadValueError(
                    f"there is no unit {tag!r} on the shelf",
                    where=where,
                    mend="Write tags as they stand in Cellar, with commas between them",
                )
        return tuple(dict.fromkeys(tags))

    def _on_copy(self, copy: Copy, what: str) -> None:
        shoot, before = self._shoot, self._copy
        if shoot is None or before is None:
            return
        copies = tuple(
            copy if each.name == before.name else _made_from(each, before.name, copy.name)
            for each in shoot.copies
        )
        try:
            changed = replace(shoot, copies=copies)
        except VastCellarError as error:
            self._say(error)
            self.fields.show_value(before)
            return
        self._hand_back(changed, f"{what} of {copy.name}", copy.name)

    def _hand_back(self, shoot: Shoot, told: str, name: str) -> None:
        """Hand back the changed shoot, then choose the copy *name*: before, nobody knows it."""
        self.edited.emit(shoot, told)
        self.chosen.emit(name)

    def add_copy(self) -> None:
        """Add a copy with a name of its own."""
        shoot = self._shoot
        if shoot is None:
            return
        taken = {copy.name for copy in shoot.copies}
        name = next(n for k in range(1, 99) if (n := f"Copy {k}") not in taken)
        try:
            changed = replace(shoot, copies=(*shoot.copies, Copy(name)))
        except VastCellarError as error:
            self._say(error)
            return
        self._hand_back(changed, f"{name} added", name)

    def remove_copy(self) -> None:
        """Take the chosen copy out of the plan; undo brings it back."""
        shoot, gone = self._shoot, self._copy
        if shoot is not None and gone is not None:
            rest = tuple(
                _made_from(copy, gone.name, "") for copy in shoot.copies if copy.name != gone.name
            )
            changed = replace(shoot, copies=rest)
            self._hand_back(changed, f"{gone.name} removed", rest[0].name if rest else "")

    def _say(self, error: VastCellarError | None) -> None:
        self.message.setText("" if error is None else str(error))
        self.message.setVisible(error is not None)


def _made_from(copy: Copy, name: str, other: str) -> Copy:
    """Return *copy*, made from *other* where it was made from the copy *name*."""
    return replace(copy, made_from=other) if copy.made_from == name else copy


def _any_text(text: str, *, where: str = "", decimal_point: str = ".") -> str:
    return text.strip()


def _parse_keep(text: str, *, where: str = "", decimal_point: str = ".") -> int:
    """Read "2 days", "2" or "to the end" (0)."""
    bare: Any = text.strip().lower()
    if bare in ("", "to the end", "end", "all"):
        return 0
    bare = bare.removesuffix("days").removesuffix("day")
    return parse_whole(bare, where=where, decimal_point=decimal_point)
