"""A strip of clips: the first and the last picture of each, side by side, its name below."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QImage, QPainter, QPen

from vastcellar.services.roll.clip_ends import ClipEnds
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_WIDE_PX, _HIGH_PX, _GAP_PX, _NAME_PX = 96.0, 54.0, 12.0, 18.0
_STEP_PX = 2 * _WIDE_PX + _GAP_PX


class FramesView(Picture):
    """As long as it has clips; it lies in an area that scrolls sideways."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._names: tuple[str, ...] = ()
        self._images: tuple[tuple[QImage, QImage], ...] = ()
        self.setFixedHeight(int(_HIGH_PX + _NAME_PX) + 2)
        self.setAccessibleName("First and last picture of each clip")

    def show_clips(self, clips: Sequence[ClipEnds]) -> None:
        """Show *clips*; a picture that can't be drawn stays grey."""
        self._names = tuple(each.name.rpartition("/")[2] for each in clips)
        self._images = tuple(
            (QImage.fromData(each.first_jpeg), QImage.fromData(each.last_jpeg)) for each in clips
        )
        self.setMinimumWidth(int(max(len(clips) * _STEP_PX - _GAP_PX, 0)))
        self.setAccessibleDescription(", ".join(self._names))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(self.minimumWidth(), self.height())

    def paint(self, painter: QPainter) -> None:
        visible = self.visibleRegion().boundingRect()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        for number, (name, pair) in enumerate(zip(self._names, self._images, strict=True)):
            left = number * _STEP_PX
            if left > visible.right() or left + _STEP_PX < visible.left():
                continue
            for at, image in enumerate(pair):
                box = QRectF(left + at * _WIDE_PX, 0, _WIDE_PX, _HIGH_PX)
                self._picture(painter, box, image)
            painter.setPen(QPen(self.look.color("panel"), 2))
            middle = left + _WIDE_PX
            painter.drawLine(QPointF(middle, 0), QPointF(middle, _HIGH_PX))
            below = QRectF(left, _HIGH_PX + 1, 2 * _WIDE_PX, _NAME_PX)
            self.write(painter, below, name, size_px=12, color="soft", may_cut=True)

    def _picture(self, painter: QPainter, box: QRectF, image: QImage) -> None:
        """Draw *image* whole inside *box*, whatever its shape."""
        painter.fillRect(box, self.look.color("stone"))
        if image.isNull():
            return
        fitted = QRectF(0, 0, image.width(), image.height()).size()
        fitted.scale(box.size(), Qt.AspectRatioMode.KeepAspectRatio)
        place = QRectF(0, 0, fitted.width(), fitted.height())
        place.moveCenter(box.center())
        painter.drawImage(place, image)
