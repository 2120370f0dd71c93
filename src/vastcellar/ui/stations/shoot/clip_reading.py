"""Clips as evidence: ask for a clip or a folder of them, and read what rate they have."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.ui.models.background import Background
from vastcellar.ui.stations.shoot.camera_form import CameraForm

_CLIPS = "Clips (*.mov *.mp4 *.mxf *.mkv *.m4v *.avi *.mts *.m2ts *.ts);;All files (*)"


class ClipReading(QObject):
    """Reads the clips that the form asks for, off the interface thread."""

    measured = Signal(object)  # MeasuredRate
    said = Signal(str)
    """How the reading goes, or why it can't be done."""

    def __init__(self, window: QWidget, form: CameraForm) -> None:
        super().__init__(window)
        self._window = window
        self._reader = Background(self)
        self._reader.done.connect(self.measured)
        self._reader.failed.connect(self._on_trouble)
        form.clip_asked.connect(self._ask_clip)
        form.folder_asked.connect(self._ask_folder)

    def _ask_clip(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._window, "A clip of this camera", "", _CLIPS)
        if name:
            self.measure(Path(name))

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self._window, "A folder of clips of this camera")
        if name:
            self.measure(Path(name))

    def measure(self, place: Path) -> None:
        """Read the clip or folder *place*; what it measured is announced."""
        from vastcellar.services.shoot.clips import measure_clips

        self.said.emit(f"Reading {place.name} …")
        self._reader.request(lambda: measure_clips(place))

    def _on_trouble(self, error: Exception) -> None:
        if not isinstance(error, VastCellarError):
            raise error
        self.said.emit(str(error))
