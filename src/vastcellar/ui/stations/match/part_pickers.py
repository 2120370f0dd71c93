"""Pick a drive, an enclosure, a cable, a port: four choices that follow one another."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QWidget

from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive
from vastcellar.core.shoot.shoot import Setup
from vastcellar.services.workplace.workplace import Shelf
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.inputs import Choice

_UNIT, _DRIVE = "unit:", "drive:"


class PartPickers(QWidget):
    """Shows a setup and announces another one when a part is swapped."""

    chosen = Signal(object)  # Setup

    def __init__(self) -> None:
        super().__init__()
        self._setup: Setup | None = None
        self._catalog: Catalog | None = None
        self._shelf = Shelf()
        self.drive = Choice("Drive")
        self.enclosure = Choice("Enclosure")
        self.cable = Choice("Cable")
        self.port = Choice("Port")
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setVerticalSpacing(1)
        layout.setHorizontalSpacing(8)
        chosen = (
            ("Port", self.port, self._on_port),
            ("Cable", self.cable, self._on_cable),
            ("Enclosure", self.enclosure, self._on_enclosure),
            ("Drive", self.drive, self._on_drive),
        )
        for column, (name, choice, slot) in enumerate(chosen):
            layout.addWidget(label(name, "soft"), 0, column)
            layout.addWidget(choice, 1, column)
            # The names of cases are the longest.
            layout.setColumnStretch(column, 6 if choice is self.enclosure else 4)
            choice.chosen.connect(slot)
        self._lay_out_more(layout)

    def _lay_out_more(self, layout: QGridLayout) -> None:
        """What seldom lies between: folded away until it is asked for or in use."""
        self.hub = Choice("Hub or reader")
        self.sharing = Choice("Busy behind it")
        self.file_system = Choice("File system")
        self.encryption = Choice("Encryption")
        more = (
            ("Hub or reader", self.hub, self._on_hub),
            ("Busy behind it", self.sharing, self._on_sharing),
            ("File system", self.file_system, self._on_file_system),
            ("Encryption", self.encryption, self._on_encryption),
        )
        self._more: list[QWidget] = []
        for column, (name, choice, slot) in enumerate(more):
            caption = label(name, "soft")
            layout.addWidget(caption, 2, column)
            layout.addWidget(choice, 3, column)
            choice.chosen.connect(slot)
            self._more += [caption, choice]
        self.show_more(False)

    def show_more(self, is_on: bool) -> None:
        """Show or fold hub, file system and encryption."""
        self.is_more_shown = is_on
        for widget in self._more:
            widget.setVisible(is_on)

    def _offer_more(self, setup: Setup | None, catalog: Catalog) -> None:
        hubs = [("", "none"), *((hub.key, hub.name) for hub in catalog.hubs.values())]
        self.hub.offer(hubs, setup.hub_keys[0] if setup and setup.hub_keys else "")
        hub = catalog.hubs.get(setup.hub_keys[-1]) if setup and setup.hub_keys else None
        slots = hub.slots if hub else 1
        counts = [(str(n), "this alone" if n == 1 else f"{n} at once") for n in range(1, slots + 1)]
        self.sharing.offer(counts, str(setup.sharing) if setup else "1")
        self.sharing.setEnabled(slots > 1)
        systems = [("", "not said"), *((fs.key, fs.name) for fs in catalog.file_systems.values())]
        self.file_system.offer(systems, setup.file_system_key if setup else "")
        encrypted = "yes" if setup and setup.is_encrypted else "no"
        self.encryption.offer([("no", "none"), ("yes", "by software")], encrypted)
        if setup and (setup.hub_keys or setup.file_system_key or setup.is_encrypted):
            self.show_more(True)

    def _on_hub(self, key: str) -> None:
        if self._setup:
            keys = (key,) if key else ()
            self._announce(replace(self._setup, hub_keys=keys, sharing=1))

    def _on_sharing(self, key: str) -> None:
        if self._setup:
            self._announce(replace(self._setup, sharing=int(key)))

    def _on_file_system(self, key: str) -> None:
        if self._setup:
            self._announce(replace(self._setup, file_system_key=key))

    def _on_encryption(self, key: str) -> None:
        if self._setup:
            self._announce(replace(self._setup, is_encrypted=key == "yes"))

    def show_setup(
        self, setup: Setup | None, catalog: Catalog, shelf: Shelf, camera_model: str
    ) -> None:
        """Show *setup*, or nothing chosen; ports of the camera's own model come first."""
        self._setup, self._catalog, self._shelf = setup, catalog, shelf
        self._offer_ports(setup, catalog, camera_model)
        self._offer_drives(setup, catalog, shelf)
        drive = catalog.drives.get(setup.drive_key) if setup else None
        self._offer_enclosures(setup, catalog, drive)
        self._offer_cables(setup, catalog)
        self._offer_more(setup, catalog)

    def _offer_ports(self, setup: Setup | None, catalog: Catalog, camera_model: str) -> None:
        hosts = sorted(catalog.hosts.values(), key=lambda h: (h.name != camera_model, h.is_camera))
        entries = []
        for host in hosts:
            if host.is_camera and host.name != camera_model and camera_model in _names(catalog):
                continue
            entries += [(f"{host.key}/{p.key}", f"{p.name}, {host.name}") for p in host.ports]
            entries.append(("-", ""))
        key = f"{setup.host_key}/{setup.port_key}" if setup else ""
        self.port.offer(entries[:-1], key)

    def _offer_drives(self, setup: Setup | None, catalog: Catalog, shelf: Shelf) -> None:
        entries = [
            (f"{_UNIT}{unit.tag}", f"{unit.tag} · {_drive_name(catalog, unit.drive_key)}")
            for unit in shelf.units
            if unit.is_ready or (setup and unit.tag == setup.unit_tag)
        ]
        entries.append(("-", ""))
        entries += [
            (f"{_DRIVE}{drive.key}", f"buy {drive.name}") for drive in catalog.drives.values()
        ]
        key = ""
        if setup:
            key = f"{_UNIT}{setup.unit_tag}" if setup.unit_tag else f"{_DRIVE}{setup.drive_key}"
        self.drive.offer(entries, key)

    def _offer_enclosures(self, setup: Setup | None, catalog: Catalog, drive: Drive | None) -> None:
        is_bare = drive is not None and drive.needs_enclosure
        self.enclosure.setEnabled(is_bare)
        entries = [("", "none: it has its own")] if drive is not None and not is_bare else []
        if is_bare and drive is not None:
            cases = {case.key: case for case in catalog.enclosures_for(drive)}
            now = catalog.enclosures.get(setup.enclosure_key) if setup else None
            if now is not None:  # shown even where it doesn't fit: the verdict says why
                cases.setdefault(now.key, now)
            entries = [(case.key, case.name) for case in cases.values()]
        self.enclosure.offer(entries, setup.enclosure_key if setup else "")

    def _offer_cables(self, setup: Setup | None, catalog: Catalog) -> None:
        port = None
        if setup:
            port = catalog.host(setup.host_key).port(setup.port_key)
        takes_cable = port is not None and not port.is_slot
        self.cable.setEnabled(takes_cable)
        entries = [(cable.key, cable.name) for cable in catalog.cables.values()]
        if not takes_cable:
            entries = [("", "none: a slot")] if setup else []
        self.cable.offer(entries, setup.cable_key if setup else "")

    def _on_drive(self, key: str) -> None:
        catalog = self._catalog
        assert catalog is not None  # shown before anything can be chosen
        if key.startswith(_UNIT):
            unit = self._shelf.unit(key.removeprefix(_UNIT))
            assert unit is not None  # only units of the shelf are offered
            tag, drive_key, enclosure_key = unit.tag, unit.drive_key, unit.enclosure_key
        else:
            tag, drive_key = "", key.removeprefix(_DRIVE)
            enclosure_key = self._setup.enclosure_key if self._setup else ""
        drive = catalog.drive(drive_key)
        if drive.needs_enclosure and not enclosure_key:
            fitting = catalog.enclosures_for(drive)
            enclosure_key = fitting[0].key if fitting else ""
        elif not drive.needs_enclosure:
            enclosure_key = ""
        base = self._setup or self._first_port(catalog)
        self._announce(
            replace(base, unit_tag=tag, drive_key=drive_key, enclosure_key=enclosure_key)
        )

    def _first_port(self, catalog: Catalog) -> Setup:
        """A port to start from: the first on offer, which is the camera's own where known."""
        host_key, _, port_key = str(self.port.itemData(0)).partition("/")
        port = catalog.host(host_key).port(port_key)
        cable_key = "" if port.is_slot else "wr-10g"
        if cable_key not in catalog.cables and not port.is_slot:
            cable_key = next(iter(catalog.cables), "")
        return Setup(drive_key="", host_key=host_key, port_key=port_key, cable_key=cable_key)

    def _on_enclosure(self, key: str) -> None:
        if self._setup:
            self._announce(replace(self._setup, enclosure_key=key))

    def _on_cable(self, key: str) -> None:
        if self._setup:
            self._announce(replace(self._setup, cable_key=key))

    def _on_port(self, key: str) -> None:
        if not self._setup or not self._catalog:
            return
        host_key, _, port_key = key.partition("/")
        port = self._catalog.host(host_key).port(port_key)
        cable_key = self._setup.cable_key
        if port.is_slot:
            cable_key = ""
        elif not cable_key or not self._catalog.cable(cable_key).fits(port):
            cable_key = next((c.key for c in self._catalog.cables.values() if c.fits(port)), "")
        self._announce(
            replace(self._setup, host_key=host_key, port_key=port_key, cable_key=cable_key)
        )

    def _announce(self, setup: Setup) -> None:
        if setup != self._setup:
            self.chosen.emit(setup)


def _drive_name(catalog: Catalog, key: str) -> str:
    drive = catalog.drives.get(key)
    return drive.name if drive else key


def _names(catalog: Catalog) -> set[str]:
    return {host.name for host in catalog.hosts.values()}
