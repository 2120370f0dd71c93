"""What is put together: drive, case, pad, what of it is at hand, and where it will be."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QWidget

from vastcellar.core.parts.catalog import Catalog
from vastcellar.services.build.chosen import Chosen
from vastcellar.services.workplace.own_drives import is_own
from vastcellar.services.workplace.workplace import Shelf
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.inputs import Choice

_CASE, _DRIVE = "case:", "drive:"
_IN = " < "
"""Between the key of a dock and that of the case that slides into it."""


def _dock_key(hub_key: str, case_key: str) -> str:
    return f"{hub_key}{_IN}{case_key}" if hub_key else case_key


class BuildForm(QWidget):
    """Shows what is chosen, and announces what is chosen anew.

    ``splash`` is placed by whoever shows the checks.
    """

    chosen = Signal(object)  # Chosen

    def __init__(self) -> None:
        super().__init__()
        self._chosen: Chosen | None = None
        self.drive, self.case = Choice("Module or disk"), Choice("Case")
        self.pad, self.at_hand = Choice("Pad"), Choice("At hand")
        self.beside = Choice("Other bays")
        self._beside_label = label("Other bays", "soft")
        self.splash = QCheckBox("out in the wet")
        self.splash.setToolTip("Whether the case keeps rain and spray out is then checked, too")
        layout = self._grid = QGridLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setVerticalSpacing(1)
        layout.setHorizontalSpacing(8)
        columns = (
            ("Module or disk", self.drive, 5),
            ("Case", self.case, 7),
            ("Pad", self.pad, 5),
            ("At hand", self.at_hand, 4),
        )
        heads = [label(name, "soft") for name, _, _ in columns]
        self._pad_label = heads[2]
        self._bays = 1
        for column, (_, choice, stretch) in enumerate(columns):
            layout.addWidget(heads[column], 0, column)
            layout.addWidget(choice, 1, column)
            layout.setColumnStretch(column, stretch)
        layout.addWidget(self._beside_label, 0, len(columns))
        layout.addWidget(self.beside, 1, len(columns))
        self.beside.chosen.connect(self._on_beside)
        self.drive.chosen.connect(lambda key: self._change(drive_key=key))
        self.case.chosen.connect(self._on_case)
        self.pad.chosen.connect(lambda key: self._change(pad_key=key))
        self.at_hand.chosen.connect(self._on_at_hand)
        self.splash.toggled.connect(lambda is_on: self._change(wants_splash=is_on))

    def show_chosen(self, chosen: Chosen, catalog: Catalog, shelf: Shelf) -> None:
        """Show *chosen* among what the catalog has, one's own first."""
        self._chosen = None  # what is shown isn't a choice
        drives = [drive for drive in catalog.drives.values() if drive.needs_enclosure]
        drives.sort(key=lambda drive: not is_own(drive))
        self.drive.offer([(drive.key, drive.name) for drive in drives], chosen.drive_key)
        docks = {_dock_key(hub.key, case.key): (hub, case) for hub in catalog.hubs.values()
                 for case in catalog.enclosures.values() if case.kind in hub.takes}  # fmt: skip
        cases = [(case.key, case.name) for case in catalog.cases.values()]
        cases += [(key, hub.name) for key, (hub, _) in docks.items()]
        self.case.offer(cases, _dock_key(chosen.dock_key, chosen.enclosure_key))
        self._bays = catalog.enclosure(chosen.enclosure_key).bays
        if chosen.dock_key:
            self._bays = catalog.hub(chosen.dock_key).slots
        others = [("", "the same"), *((each.key, each.name) for each in drives)]
        self.beside.offer(others, chosen.beside_keys[0] if chosen.beside_keys else "")
        for widget in (self.beside, self._beside_label):
            widget.setVisible(self._bays > 1)
        is_store = chosen.enclosure_key in catalog.stores
        for widget in (self.pad, self._pad_label):
            widget.setVisible(not is_store)
        # What is hidden takes no room.
        self._grid.setColumnStretch(2, 0 if is_store else 5)
        self._grid.setColumnStretch(4, 5 if self._bays > 1 else 0)
        pads = [("", "the case's own"), *((pad.key, pad.name) for pad in catalog.pads.values())]
        self.pad.offer(pads, chosen.pad_key)
        at_hand = [("", "nothing")]
        for unit in shelf.units:
            if unit.enclosure_key == chosen.enclosure_key:
                at_hand.append((f"{_CASE}{unit.tag}", f"the case of {unit.tag}"))
            if unit.drive_key == chosen.drive_key:
                at_hand.append((f"{_DRIVE}{unit.tag}", f"the drive of {unit.tag}"))
        self.at_hand.offer(at_hand, self._at_hand_key(chosen))
        self.splash.setChecked(chosen.wants_splash)
        self._chosen = chosen

    @staticmethod
    def _at_hand_key(chosen: Chosen) -> str:
        for key, tag in chosen.reused:
            if key == chosen.enclosure_key:
                return f"{_CASE}{tag}"
            if key == chosen.drive_key:
                return f"{_DRIVE}{tag}"
        return ""

    def _on_at_hand(self, key: str) -> None:
        if self._chosen is None:
            return
        reused: tuple[tuple[str, str], ...] = ()
        if key.startswith(_CASE):
            reused = ((self._chosen.enclosure_key, key.removeprefix(_CASE)),)
        elif key.startswith(_DRIVE):
            reused = ((self._chosen.drive_key, key.removeprefix(_DRIVE)),)
        self._change(reused=reused)

    def _on_case(self, key: str) -> None:
        dock_key, _, case_key = key.rpartition(_IN)
        self._change(enclosure_key=case_key, dock_key=dock_key, pad_key="", beside_keys=())

    def _on_beside(self, key: str) -> None:
        self._change(beside_keys=(key,) * (self._bays - 1) if key else ())

    def _change(self, **changes: object) -> None:
        if self._chosen is None:
            return
        made = replace(self._chosen, **changes)  # type: ignore[arg-type]
        keys = made.drive_key, made.enclosure_key
        made = replace(made, reused=tuple(pair for pair in made.reused if pair[0] in keys))
        if made != self._chosen:
            self.chosen.emit(made)
