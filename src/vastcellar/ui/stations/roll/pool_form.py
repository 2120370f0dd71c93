"""The chosen camera's pool and hours, and the breaks of the day, as fields."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.parts.units import free_bytes_on
from vastcellar.core.shoot.offload import Break
from vastcellar.core.shoot.shoot import Camera, Shoot, tags_in_use
from vastcellar.core.shoot.stations import with_breaks
from vastcellar.core.units import NumberFormat, parse_time_of_day
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.inputs import Choice, QuantityField

_ADD, _OUT = "add a unit", "take one out"
_MOST_SHOWN = 3


class PoolForm(QWidget):
    """Shows the subject's pool and hands back the changed shoot."""

    edited = Signal(object, str)  # Shoot, what was done
    refused = Signal(object)

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        numbers = workbench.look.numbers
        self._offered: list[tuple[str, str]] = []
        self.title = label("Pool", kind="soft")
        self.add, self.out = Choice("Add to the pool"), Choice("Take out of the pool")
        self.call = QuantityField("Call", _parse_hour, lambda at_s: _hour(at_s, numbers))
        self.wrap = QuantityField("Wrap", _parse_hour, lambda at_s: _hour(at_s, numbers))
        self.breaks = QuantityField("Breaks", parse_breaks, lambda b: breaks_text(b, numbers))
        for choice in (self.add, self.out):
            choice.setMinimumWidth(118)
        self.add.setToolTip("A free unit of the shelf; it goes in after those that are there")
        self.out.setToolTip("Back to the shelf")
        self.call.setToolTip("This camera's own hours; empty for those of the shoot")
        self.wrap.setToolTip(self.call.toolTip())
        self.breaks.setToolTip("No take begins and nobody changes cards: 12:30-13:15, 16-16:10")
        for field, width in ((self.call, 56), (self.wrap, 56), (self.breaks, 150)):
            field.setFixedWidth(width)
            field.decimal_point = numbers.decimal_point
            field.refused.connect(self.refused)
        line: list[QWidget] = [self.title, self.add, self.out]
        fields: tuple[tuple[str, QWidget], ...] = (
            ("its call", self.call),
            ("its wrap", self.wrap),
            ("breaks of all", self.breaks),
        )
        for text, shown in fields:
            line += [label(text, "soft"), shown]
        self.setLayout(row(*line, spacing=6))
        self.add.chosen.connect(self._on_add)
        self.out.chosen.connect(self._on_out)
        self.call.entered.connect(lambda at_s: self._edit_camera("call", call_s=at_s))
        self.wrap.entered.connect(lambda at_s: self._edit_camera("wrap", wrap_s=at_s))
        self.breaks.entered.connect(self._on_breaks)

    @property
    def _camera(self) -> Camera | None:
        return self._workbench.subject

    def show_shoot(self) -> None:
        """Show the pool of the subject, its hours, and the breaks."""
        camera, workbench = self._camera, self._workbench
        self.setVisible(camera is not None)
        if camera is None:
            return
        shoot, numbers = workbench.document.shoot, workbench.look.numbers
        own = [camera.setup.unit_tag] if camera.setup and camera.setup.unit_tag else []
        tags = [*own, *camera.pool_tags]
        more = f" +{camera.more_media}" if camera.more_media else ""
        shown = ", ".join(tags[:_MOST_SHOWN]) or "1 medium"
        rest = f", {len(tags) - _MOST_SHOWN} more" if len(tags) > _MOST_SHOWN else ""
        self.title.setText(f"Pool of {camera.key}: {shown}{rest}{more}")
        self.title.setToolTip(", ".join(tags))
        taken = tags_in_use(shoot)
        offered = [("", _ADD)]
        for unit in workbench.shelf.units:
            drive = workbench.catalog.drives.get(unit.drive_key)
            if unit.is_ready and unit.tag not in taken and drive is not None:
                room = numbers.size(free_bytes_on(drive, unit))
                offered.append((unit.tag, f"{unit.tag}, {room} free"))
        if offered != self._offered:  # a shelf of thousands isn't filled in at each glance
            self._offered = offered
            self.add.offer(offered, "")
        self.add.setCurrentIndex(0)
        self.out.offer([("", _OUT), *((tag, tag) for tag in camera.pool_tags)], "")
        self.out.setEnabled(bool(camera.pool_tags))
        self.call.show_value(camera.call_s)
        self.wrap.show_value(camera.wrap_s)
        self.breaks.show_value(shoot.breaks)

    def _on_add(self, tag: str) -> None:
        camera = self._camera
        if camera is not None and tag:
            self._edit_camera(f"{tag} into the pool of {camera.key}",
                              pool_tags=(*camera.pool_tags, tag))  # fmt: skip

    def _on_out(self, tag: str) -> None:
        camera = self._camera
        if camera is not None and tag:
            rest = tuple(each for each in camera.pool_tags if each != tag)
            self._edit_camera(f"{tag} out of the pool of {camera.key}", pool_tags=rest)

    def _on_breaks(self, breaks: tuple[Break, ...]) -> None:
        shoot = self._workbench.document.shoot
        self._give(lambda: with_breaks(shoot, breaks), "breaks")

    def _edit_camera(self, told: str, **changes: object) -> None:
        camera, shoot = self._camera, self._workbench.document.shoot
        if camera is not None:
            self._give(
                lambda: shoot.with_camera(replace(camera, **changes)),  # type: ignore[arg-type]
                told,
            )

    def _give(self, make: Callable[[], Shoot], told: str) -> None:
        try:
            changed = make()
        except VastCellarError as error:
            self.refused.emit(error)
            self.show_shoot()
            return
        self.edited.emit(changed, told)


def _parse_hour(text: str, *, where: str = "", decimal_point: str = ".") -> float | None:
    """Read a time of day, or nothing for the shoot's own."""
    if not text.strip():
        return None
    return parse_time_of_day(text, where=where, decimal_point=decimal_point)


def _hour(at_s: float | None, numbers: NumberFormat) -> str:
    return "" if at_s is None else numbers.time_of_day(at_s)


def parse_breaks(text: str, *, where: str = "", decimal_point: str = ".") -> tuple[Break, ...]:
    """Read breaks as "12:30-13:15, 16:00-16:10"; nothing for none. Raises BadValueError."""
    found = []
    for part in text.replace(";", ",").split(","):
        if not part.strip():
            continue
        start, dash, end = part.replace("\u2013", "-").partition("-")
        if not dash:
            raise BadValueError(
                f"{part.strip()!r} is no break", where=where, mend="Write it as 12:30-13:15"
            )
        hours = [
            parse_time_of_day(each, where=where, decimal_point=decimal_point)
            for each in (start, end)
        ]
        found.append(Break(*hours))
    return tuple(found)


def breaks_text(breaks: tuple[Break, ...], numbers: NumberFormat) -> str:
    """Return breaks as they are typed."""
    return ", ".join(
        f"{numbers.time_of_day(each.start_s)}-{numbers.time_of_day(each.end_s)}" for each in breaks
    )
