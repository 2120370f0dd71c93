"""The store as fields: disks, how they are put together, where they stand, their links."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastcellar.core.edit.arrays import Level
from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.parts.units import Unit, filled_share
from vastcellar.core.shoot.edit_plan import MOST_STORES, EditPlan, StoreSetup
from vastcellar.core.units import parse_share
from vastcellar.services.edit.edit_wording import LEVEL_NAMES
from vastcellar.services.edit.shelved_stores import is_another_by_now, is_store
from vastcellar.services.edit.stores import first_store
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.inputs import Choice, QuantityField, parse_whole, plain_text

AT_DESK = ""
_BOX, _HUB = "box:", "hub:"
_NONE, _NEW, _AGAIN = "none", ":new", ":again"


class StoreForm(QWidget):
    """Shows the chosen store and hands back the changed one."""

    edited = Signal(object, str, str)
    """StoreSetup, the name of the one it replaces ("" to add it), and what was done."""
    removed = Signal(str)
    shelf_asked = Signal(object, str)
    """StoreSetup to put on the shelf, and its unit's tag where it stands there already."""
    refused = Signal(object)

    def __init__(self, look: Look) -> None:
        super().__init__()
        numbers = look.numbers
        self._store: StoreSetup | None = None
        self._plan = EditPlan()
        self._catalog: Catalog | None = None
        self._units: tuple[Unit, ...] = ()
        self.name = QuantityField("Store", plain_text, str)
        self.level, self.where = Choice("Put together as"), Choice("Stands in")
        self.count = QuantityField("Disks", parse_whole, str)
        self.kind, self.others = Choice("Kind of disk"), Choice("Other disks")
        self.other_count = QuantityField("Other disks' count", parse_whole, str)
        self.port, self.desk = Choice("Its link"), Choice("The desk's link")
        self.unit = Choice("Unit")
        self.used = QuantityField("In use", parse_share, numbers.percent)
        self.add_button, self.remove_button = QPushButton("Add store"), QPushButton("Remove")
        for field, width in ((self.name, 104), (self.count, 34), (self.other_count, 34),
                             (self.used, 50)):  # fmt: skip
            field.setFixedWidth(width)
            field.decimal_point = numbers.decimal_point
            field.refused.connect(self.refused)
        for choice, width in ((self.kind, 158), (self.others, 92), (self.level, 112),
                              (self.where, 226), (self.port, 84), (self.desk, 84),
                              (self.unit, 84)):  # fmt: skip
            choice.setMinimumWidth(width)
        self.others.setToolTip("Disks of another kind beside them: what is larger is wasted")
        self.used.setToolTip("How full it is: inner zones of disks are slower")
        self.desk.setToolTip("The desk's own link to the network")
        self.unit.setToolTip(
            "The unit of the shelf that it is: its edit tests count. On the shelf, copies choose it"
        )
        first = row(self.name, self.count, label("×", "soft"), self.kind, label("and", "soft"),
                    self.other_count, self.others, self.level, label("unit", "soft"), self.unit,
                    spacing=6)  # fmt: skip
        second = row(label("in", "soft"), self.where, label("on", "soft"), self.port,
                     label("desk on", "soft"), self.desk, label("in use", "soft"), self.used,
                     self.add_button, self.remove_button, spacing=6)  # fmt: skip
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(first)
        layout.addLayout(second)
        self._connect()

    def _connect(self) -> None:
        self.name.entered.connect(lambda name: self._edit("name", name=name))
        self.count.entered.connect(self._on_disks)
        self.other_count.entered.connect(self._on_disks)
        self.kind.chosen.connect(self._on_disks)
        self.others.chosen.connect(self._on_disks)
        self.level.chosen.connect(lambda key: self._edit("level", level=key))
        self.where.chosen.connect(self._on_where)
        self.port.chosen.connect(lambda key: self._edit("link", port_mode=key))
        self.desk.chosen.connect(
            lambda key: self._edit("desk's link", desk_mode="" if key == _NONE else key)
        )
        self.unit.chosen.connect(self._on_unit)
        self.used.entered.connect(lambda share: self._edit("fill", used_share=share))
        self.add_button.clicked.connect(self.add)
        self.remove_button.clicked.connect(self._on_remove)

    def show_plan(self, plan: EditPlan, catalog: Catalog, units: Sequence[Unit]) -> None:
        """Show the chosen store of *plan*; it may be one of *units*."""
        self._plan, self._catalog, self._units, store = plan, catalog, tuple(units), plan.store
        self._store = store
        self.setVisible(store is not None)
        self.add_button.setEnabled(len(plan.stores) < MOST_STORES)
        if store is None:
            return
        self.name.show_value(store.name)
        self.level.offer([(each.value, LEVEL_NAMES[each]) for each in Level], store.level)
        first = store.disk_keys[0]
        rest = [key for key in store.disk_keys if key != first]
        self.count.show_value(store.disk_keys.count(first))
        self.other_count.show_value(len(rest))
        kinds = _disks(catalog, in_box=bool(store.box_key), kept=store.disk_keys)
        self.kind.offer(kinds, first)
        self.others.offer([(_NONE, "no others"), *kinds], rest[0] if rest else _NONE)
        self.other_count.setEnabled(bool(rest))
        self.where.offer(_places(catalog), _place_key(store))
        self.port.offer(_links(catalog, store), store.port_mode)
        desk = [key for key in catalog.modes if key.startswith("eth-")]
        self.desk.offer(
            [(_NONE, "no less"), *((key, catalog.modes[key].short) for key in desk)],
            store.desk_mode or _NONE,
        )
        self.desk.setEnabled(store.port_mode.startswith("eth-"))
        self.used.show_value(store.used_share)
        self._offer_units(store, catalog)

    def _offer_units(self, store: StoreSetup, catalog: Catalog) -> None:
        tags = [each.tag for each in self._units if each.drive_key in catalog.drives]
        own = next((each for each in self._units if each.tag == store.unit_tag), None)
        entries = [(_NONE, "none"), *((tag, tag) for tag in tags), (_NEW, "put on the shelf …")]
        if own is not None and _is_stale(store, own, catalog):
            entries.insert(1, (_AGAIN, f"update {own.tag}"))
        self.unit.offer(entries, store.unit_tag or _NONE)

    def _on_unit(self, tag: str) -> None:
        """Take what the unit is, as full as it is; or forget which it was."""
        if tag in (_NEW, _AGAIN) and self._store is not None and self._catalog is not None:
            self._offer_units(self._store, self._catalog)  # what it is stands until it was kept
            self.shelf_asked.emit(self._store, self._store.unit_tag if tag == _AGAIN else "")
            return
        unit = next((each for each in self._units if each.tag == tag), None)
        if unit is None or self._catalog is None or self._store is None:
            self._edit("unit", unit_tag="")
            return
        if len(self._store.disk_keys) > 1:
            self._edit("unit", unit_tag=tag)  # a whole store that was measured under one tag
            return
        if is_store(unit, self._catalog):
            self._edit("unit", unit_tag=tag)  # several disks already: what they are stands here
            return
        drive = self._catalog.drive(unit.drive_key)
        full = min(filled_share(drive, unit), 0.99)
        self._edit("unit", unit_tag=tag, disk_keys=(drive.key,), used_share=full)

    def add(self) -> None:
        """Add a store like the chosen one, or a first one, under a name of its own."""
        taken = {each.name for each in self._plan.stores}
        name = next(f"Store {n}" for n in range(1, 99) if f"Store {n}" not in taken)
        made = replace(self._store, name=name, unit_tag="") if self._store else first_store(name)
        self.edited.emit(made, "", f"{name} added")

    def _on_remove(self) -> None:
        if self._store is not None:
            self.removed.emit(self._store.name)

    def _on_disks(self, _value: object) -> None:
        store = self._store
        if store is None:
            return
        first = store.disk_keys[0]
        rest = [key for key in store.disk_keys if key != first]
        kind = str(self.kind.currentData())
        count, others = self._count(self.count, store.disk_keys.count(first)), 0
        other = str(self.others.currentData())
        if other not in (_NONE, kind):
            others = max(self._count(self.other_count, len(rest)), 1)
        keys = (kind,) * count + (other,) * others
        # Other disks are another store: what was measured of the unit says nothing of them.
        is_same = keys == store.disk_keys
        self._edit("disks", disk_keys=keys, unit_tag=store.unit_tag if is_same else "")

    @staticmethod
    def _count(field: QuantityField, before: int) -> int:
        """What stands in a field that was just read; what was there before where it's no number."""
        text = field.text().strip()
        return int(text) if text.isdecimal() else before

    def _on_where(self, key: str) -> None:
        catalog = self._catalog
        if catalog is None:
            return
        if key.startswith(_BOX):
            box = catalog.enclosure(key.removeprefix(_BOX))
            self._edit("box", box_key=box.key, hub_key="", port_mode=box.host_modes[0],
                       desk_mode="")  # fmt: skip
        elif key.startswith(_HUB):
            hub = catalog.hub(key.removeprefix(_HUB))
            self._edit("hub", box_key="", hub_key=hub.key, port_mode=hub.uplink_modes[0],
                       desk_mode="")  # fmt: skip
        else:
            self._edit("place", box_key="", hub_key="", port_mode="usb-10g", desk_mode="")

    def _edit(self, told: str, **changes: object) -> None:
        store = self._store
        if store is None:
            return
        try:
            changed = replace(store, **changes)  # type: ignore[arg-type]
            self._plan.with_store(changed, store.name)
        except VastCellarError as error:
            self.refused.emit(error)
            if self._catalog is not None:
                self.show_plan(self._plan, self._catalog, self._units)
            return
        self.edited.emit(changed, store.name, f"{told} of {changed.name}")


def _disks(catalog: Catalog, *, in_box: bool, kept: Sequence[str]) -> list[tuple[str, str]]:
    """Return what can be a member: in a box disks and SATA, at a desk anything but cards."""
    fits = {DriveKind.HARD_DISK, DriveKind.SATA}
    if not in_box:
        fits |= {DriveKind.NVME, DriveKind.READY_MADE}
    found = [d for d in catalog.drives.values() if d.kind in fits or d.key in kept]
    return [(d.key, d.name) for d in sorted(found, key=lambda d: (d.kind, d.name))]


def _is_stale(store: StoreSetup, unit: Unit, catalog: Catalog) -> bool:
    """Whether the unit on the shelf is what the store was, and no longer is."""
    try:
        return is_another_by_now(store, unit, catalog)
    except VastCellarError:
        return False  # it can't be put together as it is: the plan says so


def _places(catalog: Catalog) -> list[tuple[str, str]]:
    boxes = [(f"{_BOX}{each.key}", each.name) for each in catalog.stores.values()]
    hubs = [(f"{_HUB}{each.key}", each.name) for each in catalog.hubs.values() if each.slots > 1]
    return [(AT_DESK, "at the desk itself"), *boxes, *hubs]


def _place_key(store: StoreSetup) -> str:
    if store.box_key:
        return f"{_BOX}{store.box_key}"
    return f"{_HUB}{store.hub_key}" if store.hub_key else AT_DESK


def _links(catalog: Catalog, store: StoreSetup) -> list[tuple[str, str]]:
    """Return the links that its place offers; larger frames of a network beside the usual ones."""
    keys: list[str] = []
    if store.box_key:
        for key in catalog.enclosure(store.box_key).host_modes:
            keys += [each for each in (key, f"{key}-jumbo") if each in catalog.modes]
    elif store.hub_key:
        keys = list(catalog.hub(store.hub_key).uplink_modes)
    else:
        keys = [k for k in catalog.modes if k.startswith(("usb", "tunnel", "eth-", "sata"))]
    if store.port_mode and store.port_mode not in keys:
        keys.append(store.port_mode)
    named = [(key, catalog.modes[key].short) for key in keys if key in catalog.modes]
    return named if store.box_key or store.hub_key else [("", "inside"), *named]
