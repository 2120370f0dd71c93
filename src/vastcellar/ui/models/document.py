"""The open shoot: its value, its undo history, its file."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from vastcellar.core.errors import VastCellarError
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.services.shoot.shoots import OpenShoot, file_mark, new_shoot, save_shoot
from vastcellar.services.workplace.autosaving import Autosave
from vastcellar.services.workplace.folders import Folders

AUTOSAVE_AFTER_MS = 800


class _ReplaceShoot(QUndoCommand):
    """One edit: shoots are frozen values, so undoing is putting the old one back."""

    def __init__(
        self, document: ShootDocument, before: Shoot, after: Shoot, text: str, subject: str
    ) -> None:
        super().__init__(text)
        self._document, self._before, self._after, self._subject = document, before, after, subject

    def undo(self) -> None:
        self._document.show_value(self._before, self._subject)

    def redo(self) -> None:
        self._document.show_value(self._after, self._subject)


class ShootDocument(QObject):
    """Holds the shoot that every station looks at.

    Edits go through ``edit`` and can be undone; each is kept on disk within two seconds.
    """

    changed = Signal()
    subject_changed = Signal()
    file_changed = Signal()
    trouble = Signal(object)  # VastCellarError

    def __init__(self, places: Folders) -> None:
        super().__init__()
        self.places = places
        self.shoot = new_shoot()
        self.path: Path | None = None
        self._seen = ""
        """The mark of the file as it was read or last saved."""
        self.autosave = Autosave(places)
        self.subject_key = ""
        self.undo_stack = QUndoStack(self)
        self.undo_stack.cleanChanged.connect(self._on_clean_changed)
        self._autosave = QTimer(self, singleShot=True, interval=AUTOSAVE_AFTER_MS)
        self._autosave.timeout.connect(self.keep_now)

    @property
    def subject(self) -> Camera | None:
        """The camera that every station is about now."""
        for camera in self.shoot.cameras:
            if camera.key == self.subject_key:
                return camera
        return self.shoot.cameras[0] if self.shoot.cameras else None

    @property
    def is_unsaved(self) -> bool:
        """Whether the shoot differs from its file."""
        return not self.undo_stack.isClean()

    @property
    def saved_mark(self) -> str:
        """The mark of the file that the shoot is as it stands in; "" where it differs."""
        return "" if self.is_unsaved or self.path is None else self._seen

    def open(self, opened: OpenShoot) -> None:
        """Show *opened* in place of what was open."""
        self._autosave.stop()
        self.undo_stack.clear()
        self.path, self._seen = opened.path, opened.seen
        self.autosave.drop()
        if opened.autosave is not None:
            self.autosave.release()
            self.autosave = opened.autosave
        if opened.is_restored:
            self.undo_stack.resetClean()
        self.show_value(opened.shoot, "")
        self.file_changed.emit()

    def show_value(self, shoot: Shoot, subject_key: str) -> None:
        """Make *shoot* the value of the document; undo and redo come through here."""
        self.shoot = shoot
        if subject_key:
            self.subject_key = subject_key
        subject = self.subject
        self.subject_key = subject.key if subject else ""
        self.changed.emit()
        self._autosave.start()

    def edit(self, shoot: Shoot, text: str, *, subject_key: str = "") -> None:
        """Replace the value by *shoot* as one step that can be undone."""
        if shoot != self.shoot:
            subject = subject_key or self.subject_key
            self.undo_stack.push(_ReplaceShoot(self, self.shoot, shoot, text, subject))

    def edit_camera(self, camera: Camera, text: str) -> None:
        """Replace the camera of the same key by *camera*, or add it."""
        self.edit(self.shoot.with_camera(camera), text, subject_key=camera.key)

    def choose(self, camera_key: str) -> None:
        """Make the camera called *camera_key* the subject of every station."""
        if camera_key != self.subject_key:
            self.subject_key = camera_key
            self.subject_changed.emit()

    def save(self, path: Path) -> None:
        """Save in *path*. Raises BadFileError; the document is then as unsaved as before."""
        seen = self._seen if self.path is not None and path.resolve() == self.path else None
        self.path = save_shoot(self.shoot, path, self.places, seen=seen)
        self._seen = file_mark(self.path)
        self._autosave.stop()
        self.autosave.drop()
        self.undo_stack.setClean()
        self.file_changed.emit()

    def keep_now(self) -> None:
        """Put the unsaved state where the next start finds it, or drop it once saved."""
        self._autosave.stop()
        try:
            if self.is_unsaved:
                self.autosave.keep(self.shoot, self.path, self._seen)
            else:
                self.autosave.drop()
        except VastCellarError as error:
            self.trouble.emit(error)

    def _on_clean_changed(self, _clean: bool) -> None:
        self.file_changed.emit()
