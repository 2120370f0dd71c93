"""A set of tests of one's own: its name, and its steps as one line."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from PySide6.QtWidgets import QWidget

from vastcellar.core.protocols.protocol_text import HINT, parse_steps, steps_text
from vastcellar.core.protocols.protocols import ProtocolStep
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.protocols import Protocol, own_protocol
from vastcellar.ui.widgets.field_dialog import FieldDialog
from vastcellar.ui.widgets.inputs import plain_text


@dataclass(frozen=True)
class _Draft:
    name: str
    steps: tuple[ProtocolStep, ...]
    is_pair: bool = False


class ProtocolDialog(FieldDialog):
    """Asks for a protocol, beginning with the steps of *like* where one is given."""

    def __init__(
        self,
        parent: QWidget,
        numbers: NumberFormat,
        like: Protocol | None,
        keep: Callable[[Protocol], None],
    ) -> None:
        steps = like.steps if like else parse_steps("burst x3")
        name = f"{like.name}, mine" if like else "My set"
        hint = f"Steps are divided by semicolons: {HINT}"

        def keep_draft(draft: _Draft) -> None:
            keep(own_protocol(draft.name, draft.steps, is_pair=draft.is_pair))

        draft = _Draft(name, steps, like.is_cooling_pair if like else False)
        super().__init__(parent, numbers, "A set of tests of your own", hint, draft, keep_draft)
        self._add("Name", plain_text, str, "name")
        self._add("Steps", parse_steps, steps_text, "steps")
        self.fields.add_choice(
            "Read as",
            lambda _: [
                ("", "tests one by one"),
                ("pair", "a cooling pair: two writes, one cooled"),
            ],
            lambda d: "pair" if d.is_pair else "",
            lambda d, key: replace(d, is_pair=key == "pair"),
        )
        self.setMinimumWidth(640)
        self.show_value()

    def _add(self, name: str, parse: Any, show: Any, attribute: str) -> Any:
        return self.fields.add(
            name,
            parse,
            show,
            lambda draft: getattr(draft, attribute),
            lambda draft, value: replace(draft, **{attribute: value}),
        )
