"""A drive of one's own: what its box says, and what it writes after its cache if that is known."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtWidgets import QWidget

from vastcellar.core.parts.parts import Drive, WriteBehaviour
from vastcellar.core.units import NumberFormat, parse_number, parse_rate, parse_size
from vastcellar.services.workplace.own_catalog import own_key
from vastcellar.services.workplace.own_drives import (
    DESCRIBED_KINDS,
    described_kind,
    new_own_drive,
    with_described_kind,
)
from vastcellar.ui.widgets.field_dialog import FieldDialog
from vastcellar.ui.widgets.inputs import plain_text


def _with_after_cache(drive: Drive, rate: float) -> Drive:
    if rate <= 0:
        return replace(drive, behaviour=None)
    return replace(
        drive, behaviour=WriteBehaviour(drive.claimed_write_bytes_per_s, rate, _cache(drive))
    )


def _cache(drive: Drive) -> float:
    return drive.behaviour.cache_static_bytes if drive.behaviour else 0.0


def _with_cache(drive: Drive, size: float) -> Drive:
    behaviour = replace(drive.writes, cache_static_bytes=float(size))
    return replace(drive, behaviour=behaviour)


_NEW = replace(
    with_described_kind(new_own_drive(), "nvme"),
    claimed_read_bytes_per_s=3500e6,
    claimed_write_bytes_per_s=3000e6,
)


class OwnDriveDialog(FieldDialog):
    """Asks for a drive; ``value`` is what was entered."""

    def __init__(
        self, parent: QWidget, numbers: NumberFormat, keep: Callable[[Drive], None] | None = None
    ) -> None:
        hint = "Leave “after its cache” unknown: it is then never said to hold."
        super().__init__(parent, numbers, "A drive of your own", hint, _NEW, keep)
        fields = self.fields
        fields.add("Name", plain_text, str, lambda d: d.name, _with_name)
        fields.add_choice(
            "It is a",
            lambda _: [(kind.key, kind.words) for kind in DESCRIBED_KINDS],
            lambda d: described_kind(d).key,
            with_described_kind,
        )
        self._add("Capacity", parse_size, numbers.size, "capacity_bytes")
        self._add("Box: reads", parse_rate, numbers.rate, "claimed_read_bytes_per_s")
        self._add("Box: writes", parse_rate, numbers.rate, "claimed_write_bytes_per_s")
        fields.add(
            "After its cache",
            _rate_or_unknown,
            lambda v: numbers.rate(v) if v else "not known",
            lambda d: d.behaviour.direct_write_bytes_per_s if d.behaviour else 0.0,
            _with_after_cache,
            tip="What it writes once the fast cache is full; never on the box",
        )
        fields.add(
            "Fast cache",
            parse_size,
            numbers.size,
            _cache,
            _with_cache,
            tip="Its size, if the rate after it is known",
        )
        self._add("Endurance", parse_size, lambda v: numbers.size(v) if v else "none", "tbw_bytes")
        self._add("Price", parse_number, lambda v: numbers.number(v, 2), "price")
        self.show_value()

    def _add(self, name: str, parse: Any, show: Any, attribute: str) -> None:
        self.fields.add(
            name,
            parse,
            show,
            lambda drive: getattr(drive, attribute),
            lambda drive, value: replace(drive, **{attribute: value}),
        )


def _with_name(drive: Drive, name: str) -> Drive:
    return replace(drive, name=name, key=own_key(name))


def _rate_or_unknown(text: str, *, where: str = "", decimal_point: str = ".") -> float:
    if text.strip().lower() in ("", "not known", "unknown", "?"):
        return 0.0
    return parse_rate(text, where=where, decimal_point=decimal_point)
