"""The tag under which a store stands on the shelf."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from PySide6.QtWidgets import QWidget

from vastcellar.core.units import NumberFormat
from vastcellar.ui.widgets.field_dialog import FieldDialog
from vastcellar.ui.widgets.inputs import plain_text


@dataclass(frozen=True, slots=True)
class ShelveWish:
    """What the label on the store says."""

    tag: str


class ShelveDialog(FieldDialog):
    """Asks for the tag; ``keep`` is called with it."""

    def __init__(
        self, parent: QWidget, numbers: NumberFormat, tag: str, says: str,
        keep: Callable[[ShelveWish], None],
    ) -> None:  # fmt: skip
        super().__init__(
            parent, numbers, "Put the store on the shelf",
            f"{says} Copies, offloads and tests then choose it as any other unit.",
            ShelveWish(tag), keep,
        )  # fmt: skip
        self.fields.add("Tag", plain_text, str, lambda w: w.tag, lambda w, v: replace(w, tag=v),
                        "As on its label")  # fmt: skip
        self.show_value()
