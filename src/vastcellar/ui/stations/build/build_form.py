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
        self.splash = QCheckBox("out in the wet")
        self.splash.setToolTip("Whether the case keeps rain and spray out is then checked, too")
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setVerticalSpacing(1)
        layout.setHorizontalSpacing(8)
        columns = (
            ("Module or disk", self.drive, 5),
            ("Case", self.case, 7),
            ("Pad", self.pad, 5),
            ("At hand", self.at_hand, 4),
        )
        for column, (name, choice, stretch) in enumerate(columns):
            layout.addWidget(label(name, "soft"), 0, column)
            layout.addWidget(choice, 1, column)
            layout.setColumnStretch(column, stretch)
        self.drive.chosen.connect(lambda key: self._change(drive_key=key))
        self.case.chosen.connect(lambda key: self._change(enclosure_key=key, pad_key=""))
        self.pad.chosen.connect(lambda key: self._change(pad_key=key))
        self.at_hand.chosen.connect(self._on_at_hand)
        self.splash.toggled.connect(lambda is_on: self._change(wants_splash=is_on))

    def show_chosen(self, chosen: Chosen, catalog: Catalog, shelf: Shelf) -> None:
        """Show *chosen* among what the catalog has, one's own first."""
        self._chosen = None  # what is shown isn't a choice
        drives = [drive for drive in catalog.drives.values() if drive.needs_enclosure]
        drives.sort(key=lambda drive: not is_own(drive))
        self.drive.offer([(drive.key, drive.name) for drive in drives], chosen.drive_key)
        cases = [(case.key, case.name) for case in catalog.enclosures.values()]
        self.case.offer(cases, chosen.enclosure_key)
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

    def _change(self, **changes: object) -> None:
        if self._chosen is None:
            return
        made = replace(self._chosen, **changes)  # type: ignore[arg-type]
        keys = made.drive_key, made.enclosure_key
        made = replace(made, reused=tuple(pair for pair in made.reused if pair[0] in keys))
        if made != self._chosen:
            self.chosen.emit(made)
