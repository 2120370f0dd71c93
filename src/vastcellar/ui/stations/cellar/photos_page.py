"""The photos of a unit: small ones in a row, one of them large when it is asked for."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QIcon, QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QLabel,
    QListView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from vastcellar.services.cellar.story_wording import day_words
from vastcellar.services.cellar.unit_photos import ShownPhoto
from vastcellar.ui.widgets.cards import label, row

_SMALL_PX, _LARGE_PX = 112, 720
_KINDS = "Photos (*.jpg *.jpeg *.png *.webp *.tif *.tiff)"


class PhotosPage(QWidget):
    """Shows photos, and asks for more: by a button, or dropped onto it."""

    added = Signal(object)  # Path
    saved = Signal(object)  # Path of the folder

    def __init__(self) -> None:
        super().__init__()
        self._photos: tuple[ShownPhoto, ...] = ()
        self.list = QListWidget()
        self.list.setAccessibleName("Photos of the unit")
        self.list.setViewMode(QListView.ViewMode.IconMode)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setMovement(QListView.Movement.Static)
        self.list.setIconSize(QSize(_SMALL_PX, _SMALL_PX))
        self.list.setSpacing(6)
        self.list.setWordWrap(True)
        self.none = label("No photo yet: a label, a dent, how it is wired.", "soft")
        self.add_button = QPushButton("Add a photo …")
        self.add_button.setToolTip("Or drop files here; a small copy is kept, nothing of the file")
        self.save_button = QPushButton("Save all …")
        self.save_button.setToolTip("Each as a file, named after the unit and the day")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(4)
        head = row(self.add_button, self.save_button, self.none, spacing=8)
        head.addStretch(1)
        layout.addLayout(head)
        layout.addWidget(self.list, 1)
        layout.addStretch(0)
        self.setAcceptDrops(True)
        self.add_button.clicked.connect(self._ask)
        self.save_button.clicked.connect(self._ask_folder)
        self.list.itemActivated.connect(lambda item: self.large(self.list.row(item)).exec())
        self.show_photos(())

    def show_photos(self, photos: Sequence[ShownPhoto]) -> None:
        """Show *photos*, the newest first."""
        self._photos = tuple(photos)
        self.list.clear()
        for each in photos:
            words = day_words(each.at) + (f"\n{each.note}" if each.note else "")
            item = QListWidgetItem(QIcon(_pixmap(each.jpeg)), words)
            item.setToolTip(each.note or each.file)
            self.list.addItem(item)
        self.list.setVisible(bool(photos))
        self.none.setVisible(not photos)
        self.save_button.setVisible(bool(photos))

    def large(self, number: int) -> QDialog:
        """Return a window with the photo of that *number*, as large as it is or fits."""
        photo = self._photos[number]
        dialog = QDialog(self)
        dialog.setWindowTitle(f"{day_words(photo.at)} {photo.note}".strip())
        shown = QLabel()
        pixmap = _pixmap(photo.jpeg)
        if pixmap.isNull():
            shown.setText("This photo isn't in the cellar any more.")
        else:
            most = min(max(pixmap.width(), pixmap.height()), _LARGE_PX)
            shown.setPixmap(
                pixmap.scaled(
                    most, most, Qt.AspectRatioMode.KeepAspectRatio,
                    Qt.TransformationMode.SmoothTransformation,
                )
            )  # fmt: skip
        layout = QVBoxLayout(dialog)
        layout.addWidget(shown)
        said = label(photo.note, "soft", wraps=True)
        said.setVisible(bool(photo.note))
        layout.addWidget(said)
        return dialog

    def _ask(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "A photo of the unit", "", _KINDS)
        if name:
            self.added.emit(Path(name))

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Save the photos in")
        if name:
            self.saved.emit(Path(name))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls():
            if url.isLocalFile():
                self.added.emit(Path(url.toLocalFile()))
        event.acceptProposedAction()


def _pixmap(jpeg: bytes) -> QPixmap:
    pixmap = QPixmap()
    pixmap.loadFromData(jpeg)
    return pixmap
