"""Where a test is made: a simulated rig, or a folder on a real drive."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QRadioButton,
    QWidget,
)

from vastcellar.core.errors import BadValueError
from vastcellar.core.units import NumberFormat, parse_temperature
from vastcellar.services.plugged.seen import SeenDevice
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.inputs import QuantityField


class TargetRow(QWidget):
    """Rig or folder; for a folder also how warm its drive is, where no sensor tells."""

    changed = Signal()
    refused = Signal(object)
    """The error of an entry, or None once it is good again."""

    def __init__(self, numbers: NumberFormat) -> None:
        super().__init__()
        self.rig_choice = QRadioButton("Simulated rig")
        self.folder_choice = QRadioButton("Real folder")
        self.folder_field = QLineEdit()
        self.folder_field.setObjectName("Folder")
        self.folder_field.setPlaceholderText("a folder on the drive to test")
        self.browse = QPushButton("Choose…")
        self.drive_label = label("Drive is at")
        self.drive_field = QuantityField("Drive °C", _temperature_or_none, numbers.temperature)
        self.drive_field.setPlaceholderText("by sensor")
        self.drive_field.setToolTip("The drive's temperature now, where its sensor can't be read")
        self.drive_field.setFixedWidth(90)
        self.drive_c: float | None = None
        """As somebody read it; None leaves it to the sensor."""
        self._device: SeenDevice | None = None
        self._device_folder: Path | None = None
        self._asks_warmth = False
        self._lay_out()
        self.browse.clicked.connect(self._choose_folder)
        self.folder_choice.toggled.connect(self._on_target)
        self.folder_field.editingFinished.connect(self.changed)
        self.drive_field.entered.connect(self._on_drive_c)
        self.drive_field.refused.connect(self.refused)

    def _lay_out(self) -> None:
        group = QButtonGroup(self)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        for button in (self.rig_choice, self.folder_choice):
            group.addButton(button)
            layout.addWidget(button)
        layout.addWidget(self.folder_field, 1)
        for widget in (self.browse, self.drive_label, self.drive_field):
            layout.addWidget(widget)

    @property
    def is_folder(self) -> bool:
        """Whether the test goes to a real folder."""
        return self.folder_choice.isChecked()

    @property
    def has_folder(self) -> bool:
        """Whether a folder is named."""
        return bool(self.folder_field.text().strip())

    @property
    def folder(self) -> Path | None:
        """The real folder; None for a simulated rig."""
        return Path(self.folder_field.text().strip()) if self.is_folder else None

    @property
    def named_folder(self) -> Path | None:
        """The real folder once one is named."""
        return self.folder if self.has_folder else None

    @property
    def device(self) -> SeenDevice | None:
        """The plugged-in device that was chosen, while the folder still lies on it."""
        device, folder = self._device, self.folder
        if device is None or folder is None:
            return None
        # What the computer runs from holds every path that nothing else is mounted at.
        is_there = (
            folder == self._device_folder if device.device.is_system else device.holds(folder)
        )
        return device if is_there else None

    def choose_device(self, device: SeenDevice, folder: Path) -> None:
        """Take *folder*, which lies on *device*."""
        self._device, self._device_folder = device, folder
        self.folder_field.setText(str(folder))
        if self.is_folder:
            self.changed.emit()
        else:
            self.folder_choice.setChecked(True)

    def ask_warmth(self, asks: bool) -> None:
        """Ask for the drive's temperature, of a real folder, where the test keeps it."""
        self._asks_warmth = asks
        self._show_warmth()

    def _show_warmth(self) -> None:
        for widget in (self.drive_label, self.drive_field):
            widget.setVisible(self._asks_warmth and self.is_folder)

    def _on_target(self, is_folder: bool) -> None:
        self.folder_field.setEnabled(is_folder)
        self.browse.setEnabled(is_folder)
        self._show_warmth()
        self.changed.emit()

    def _on_drive_c(self, celsius: float | None) -> None:
        self.drive_c = celsius

    def _choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "A folder on the drive to test")
        if chosen:
            self.folder_field.setText(chosen)
            self.changed.emit()


def _temperature_or_none(text: str, *, where: str, decimal_point: str) -> float | None:
    """Read a temperature; nothing typed leaves it to the sensor. Raises BadValueError."""
    if not text.strip():
        return None
    celsius = parse_temperature(text, where=where, decimal_point=decimal_point)
    if not -40 <= celsius <= 150:
        raise BadValueError(
            f"{celsius:.0f} °C is no drive's temperature", where=where, mend="Give -40 to 150 °C"
        )
    return celsius
