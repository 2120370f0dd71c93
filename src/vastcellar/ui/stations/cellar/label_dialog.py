"""What the label of a unit says beside its tag, and on what it is printed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from PySide6.QtWidgets import QWidget

from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.units import NumberFormat
from vastcellar.services.workplace.labels import LABEL_SIZES
from vastcellar.ui.widgets.field_dialog import FieldDialog
from vastcellar.ui.widgets.inputs import parse_whole

_THIS, _ALL = "this", "all"


@dataclass(frozen=True, slots=True)
class LabelWish:
    """What is to be printed."""

    size_key: str = LABEL_SIZES[0].key
    file_system: str = ""
    duty: str = ""
    is_for_all: bool = False
    skip: int = 0


class LabelDialog(FieldDialog):
    """Asks for a label; ``value`` is the LabelWish."""

    def __init__(
        self,
        parent: QWidget,
        numbers: NumberFormat,
        catalog: Catalog,
        tag: str,
        keep: Callable[[LabelWish], None] | None = None,
    ) -> None:
        hint = "Its code opens the unit's record: scan it into the quick sum (Ctrl+K)."
        super().__init__(parent, numbers, "Labels as PDF", hint, LabelWish(), keep)
        fields = self.fields
        fields.add_choice(
            "Units",
            lambda _: [(_THIS, tag), (_ALL, "every unit on the shelf")],
            lambda wish: _ALL if wish.is_for_all else _THIS,
            lambda wish, key: replace(wish, is_for_all=key == _ALL),
        )
        fields.add_choice(
            "Size",
            lambda _: [(size.key, size.name) for size in LABEL_SIZES],
            lambda wish: wish.size_key,
            lambda wish, key: replace(wish, size_key=key, skip=0),
        )
        names = [system.name for system in catalog.file_systems.values()]
        fields.add_choice(
            "File system",
            lambda _: [("", "not on it"), *((name, name) for name in names)],
            lambda wish: wish.file_system,
            lambda wish, key: replace(wish, file_system=key),
        )
        fields.add("Duty", _any_text, str, lambda w: w.duty, lambda w, v: replace(w, duty=v),
                   "Such as “camera A” or “working drive”")  # fmt: skip
        fields.add("Used places", parse_whole, str, lambda w: w.skip,
                   lambda w, v: replace(w, skip=v), "Of the first sheet")  # fmt: skip
        self.setMinimumWidth(420)
        self.show_value()


def _any_text(text: str, *, where: str = "", decimal_point: str = ".") -> Any:
    return text.strip()
