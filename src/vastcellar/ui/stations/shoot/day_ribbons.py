"""The day of every camera as a ribbon: media filling, reloads, the longest take, the roll time."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QWidget

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.media import DayOnMedia
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.core.shoot.shoot_plan import day_on_media
from vastcellar.core.shoot.shoot_warnings import split_count
from vastcellar.services.shoot.planning import PlannedShoot
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.picture import Picture, text_width

_LEAST_ROW_PX, _MOST_ROW_PX = 62, 190
_AXIS_PX = 22
_LABEL_PX = 96.0
_RIGHT_PX = 22.0
_TRACK_TOP_PX = 19.0
_UNDER_TRACK_PX = 18.0  # the roll bar and its handle
_HANDLE_PX = 5.0
_STEP_H = 0.1
"""Six minutes: what dragging and the arrow keys change a roll time by."""
_CENTRE = Qt.AlignmentFlag.AlignHCenter


class DayRibbons(Picture):
    """Draws one day. Drag the end of a roll bar, or press Left and Right, to change a roll time."""

    camera_chosen = Signal(str)
    hours_changed = Signal(str, float)

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._planned: PlannedShoot | None = None
        self.day = 1
        self._subject_key = ""
        self._ghost: Camera | None = None
        self._dragged: Camera | None = None
        self.setObjectName("inside")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The day of each camera; Left and Right change the roll time")

    def show_plan(
        self, planned: PlannedShoot, day: int, subject_key: str, ghost: Camera | None = None
    ) -> None:
        """Draw *day* of the plan; *ghost* is what the subject would be, dashed beside the plan."""
        self._planned, self.day = planned, day
        self._subject_key, self._ghost = subject_key, ghost
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        rows = len(self._planned.shoot.cameras) if self._planned else 0
        return QSize(520, rows * _LEAST_ROW_PX + _AXIS_PX)

    @property
    def _row_px(self) -> float:
        """Rows share the height there is, within what looks well."""
        rows = max(len(self._rows()), 1)
        return min(max((self.height() - _AXIS_PX) / rows, _LEAST_ROW_PX), _MOST_ROW_PX)

    @property
    def _bar_top_px(self) -> float:
        return self._row_px - _UNDER_TRACK_PX + 4

    # Where things lie

    @property
    def _shoot(self) -> Shoot | None:
        return self._planned.shoot if self._planned else None

    def _span_s(self) -> tuple[float, float]:
        """The hours that the ribbons cover: the day's, or more where more is recorded."""
        shoot = self._shoot
        assert shoot is not None  # asked for only with a plan
        hours = [camera.hours_on(self.day) for camera in self._rows()]
        most_s = max([0.0, *hours]) * 3600
        own = [shoot.hours_of(camera) for camera in self._rows()]
        start_s = min([shoot.day_start_s, *(start for start, _end in own)])
        return start_s, max([shoot.day_end_s, start_s + most_s, *(end for _start, end in own)])

    def _rows(self) -> tuple[Camera, ...]:
        shoot, dragged = self._shoot, self._dragged
        if shoot is None:
            return ()
        if dragged is None:
            return shoot.cameras
        return tuple(dragged if camera.key == dragged.key else camera for camera in shoot.cameras)

    def _scale(self) -> float:
        start_s, end_s = self._span_s()
        return (self.width() - _LABEL_PX - _RIGHT_PX) / (end_s - start_s)

    def _x(self, at_s: float) -> float:
        return _LABEL_PX + (at_s - self._span_s()[0]) * self._scale()

    def handle_of(self, key: str) -> QPointF:
        """Return where the handle of the roll bar of the camera *key* is."""
        for row, camera in enumerate(self._rows()):
            if camera.key == key:
                seconds = camera.hours_on(self.day) * 3600
                x = _LABEL_PX + seconds * self._scale()
                return QPointF(x, row * self._row_px + self._bar_top_px + 2)
        return QPointF(-100, -100)

    # Drawing

    def paint(self, painter: QPainter) -> None:
        if self._shoot is None:
            return
        visible = self.visibleRegion().boundingRect()
        for row, camera in enumerate(self._rows()):
            top = row * self._row_px
            if top + self._row_px < visible.top() or top > visible.bottom():
                continue
            self._row(painter, top, camera)
        self._axis(painter, len(self._rows()) * self._row_px)

    def _row(self, painter: QPainter, top: float, camera: Camera) -> None:
        is_subject = camera.key == self._subject_key
        look, numbers = self.look, self.look.numbers
        if is_subject:
            painter.fillRect(QRectF(0, top + 6, 3, self._row_px - 12), look.color("copper"))
        day = self._day_of(camera)
        hours = camera.hours_on(self.day)
        self.write(
            painter,
            QRectF(9, top + 8, _LABEL_PX - 14, 18),
            f"{camera.key} {camera.name}",
            size_px=14,
            weight=600,
            condensed=False,
        )
        recorded = sum(medium.recorded_bytes for medium in day.media)
        media = "1 medium" if len(day.media) == 1 else f"{len(day.media)} media"
        for line, text in enumerate((f"{numbers.size(recorded)}", media)):
            box = QRectF(9, top + 25 + line * 14, _LABEL_PX - 14, 15)
            self.write(painter, box, text, color="soft", size_px=12)
        track = QRectF(
            _LABEL_PX,
            top + _TRACK_TOP_PX,
            self.width() - _LABEL_PX - _RIGHT_PX,
            self._row_px - _TRACK_TOP_PX - _UNDER_TRACK_PX,
        )
        painter.fillRect(track, look.color("stone"))
        self._media(painter, track, camera, day)
        if is_subject and self._ghost is not None:
            self._ghost_outline(painter, track, self._ghost)
        self._reloads(painter, track, day)
        self._longest(painter, track, camera, day)
        self._roll_bar(painter, top, camera, hours, is_subject)
        self.place(QRectF(0, top, self.width(), self._row_px), camera.key)

    def _day_of(self, camera: Camera) -> DayOnMedia:
        assert self._shoot is not None  # asked for only with a plan
        return day_on_media(self._shoot, camera, camera_need(camera), self.day)

    def _outline(self, track: QRectF, camera: Camera, day: DayOnMedia) -> list[list[QPointF]]:
        """The level of each medium over the day: it rises in takes and is level between them."""
        shapes = []
        for medium in day.media:
            points: list[QPointF] = []
            for stretch in medium.stretches:
                for at_s, level in (
                    (stretch.start_s, stretch.bytes_before),
                    (stretch.end_s, stretch.bytes_after),
                ):
                    y = track.bottom() - track.height() * level / camera.medium_bytes
                    points.append(QPointF(self._x(at_s), y))
            shapes.append(points)
        return shapes

    def _media(self, painter: QPainter, track: QRectF, camera: Camera, day: DayOnMedia) -> None:
        painter.save()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.look.color("water"))
        for points in self._outline(track, camera, day):
            first, last = points[0], points[-1]
            shape = [QPointF(first.x(), track.bottom()), *points]
            painter.drawPolygon([*shape, QPointF(last.x(), track.bottom())])
        painter.restore()
        painter.setPen(Qt.PenStyle.NoPen)

    def _ghost_outline(self, painter: QPainter, track: QRectF, ghost: Camera) -> None:
        painter.save()
        painter.setPen(self.dashed("moss", 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for points in self._outline(track, ghost, self._day_of(ghost)):
            painter.drawPolyline(points)
            painter.drawLine(points[-1], QPointF(points[-1].x(), track.bottom()))
        painter.restore()

    def _reloads(self, painter: QPainter, track: QRectF, day: DayOnMedia) -> None:
        last_x = -100.0
        for reload in day.reloads:
            color = "brick" if reload.is_inside_take else "ink"
            x = self._x(reload.at_s)
            painter.setPen(QPen(self.look.color(color), 1.4))
            painter.drawLine(QPointF(x, track.top() - 3), QPointF(x, track.bottom()))
            if x - last_x > 40:  # closer ones would run into each other
                text = self.look.numbers.time_of_day(reload.at_s)
                box = QRectF(x - 70, track.top() - 17, 66, 13)
                right = Qt.AlignmentFlag.AlignRight
                soft = "brick_text" if reload.is_inside_take else "soft"
                self.write(painter, box, text, color=soft, size_px=12, align=right)
                last_x = x

    def _longest(self, painter: QPainter, track: QRectF, camera: Camera, day: DayOnMedia) -> None:
        take = next((take for take in day.takes if take.is_longest), None)
        if take is None:
            return
        is_broken = any(reload.is_inside_longest for reload in day.reloads)
        limit_s = camera.limits.longest_clip_s
        is_stopped = bool(limit_s) and take.duration_s > limit_s
        color = "brick" if is_broken or is_stopped else "copper"
        left, right = self._x(take.start_s), self._x(take.end_s)
        y = track.top() - 3
        painter.setPen(QPen(self.look.color(color), 2.2))
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        for x in (left, right):
            painter.drawLine(QPointF(x, y - 3), QPointF(x, y + 4))
        text = f"longest {self.look.numbers.duration(take.duration_s)}"
        files = split_count(camera, camera_need(camera))
        if is_broken:
            text += ": a reload falls inside it"
        elif is_stopped:
            text += f": the camera stops after {self.look.numbers.duration(limit_s)}"
        elif files > 1:
            text += f", {files} files"
        width = text_width(text, font(12, 500, condensed=True)) + 4
        box = QRectF(min(left, self.width() - width), track.top() - 20, width, 13)
        self.write(painter, box, text, color=f"{color}_text", size_px=12, weight=500)

    def _roll_bar(
        self, painter: QPainter, top: float, camera: Camera, hours: float, is_subject: bool
    ) -> None:
        look = self.look
        end = self.handle_of(camera.key)
        bar = QRectF(_LABEL_PX, top + self._bar_top_px, end.x() - _LABEL_PX, 4)
        lit = is_subject or (self._dragged is not None and self._dragged.key == camera.key)
        painter.fillRect(bar, look.color("ink" if lit else "soft"))
        painter.setPen(QPen(look.color("ink" if lit else "soft"), 1.4))
        painter.setBrush(look.color("copper" if lit else "panel"))
        painter.drawEllipse(end, _HANDLE_PX, _HANDLE_PX)
        text = f"rolls {look.numbers.duration(hours * 3600)}"
        own = len(camera.hours_by_day) >= self.day and hours != camera.hours_a_day
        if own:
            text += " on this day"
        box = QRectF(end.x() + _HANDLE_PX + 5, top + self._bar_top_px - 6, 200, 15)
        if box.left() + 110 > self.width():
            box.moveRight(end.x() - _HANDLE_PX - 5)
            box.translate(0, -1)
            align = Qt.AlignmentFlag.AlignRight
        else:
            align = Qt.AlignmentFlag.AlignLeft
        self.write(painter, box, text, size_px=12, color="ink" if lit else "soft", align=align)

    def _axis(self, painter: QPainter, top: float) -> None:
        start_s, end_s = self._span_s()
        hours = (end_s - start_s) / 3600
        step = next(step for step in (1, 2, 3, 6, 12, 48) if hours / step <= 12)
        first = int(-(-start_s // (step * 3600)) * step)
        painter.setPen(QPen(self.look.color("line"), 1))
        for hour in range(first, int(end_s // 3600) + 1, step):
            x = self._x(hour * 3600)
            painter.setPen(QPen(self.look.color("line"), 1))
            painter.drawLine(QPointF(x, top), QPointF(x, top + 4))
            box = QRectF(x - 24, top + 5, 48, 14)
            text = self.look.numbers.time_of_day(hour * 3600)
            self.write(painter, box, text, color="soft", size_px=12, align=_CENTRE)

    # Changing a roll time

    def _camera_at(self, point: QPointF) -> Camera | None:
        rows = self._rows()
        row = int(point.y() // self._row_px)
        return rows[row] if 0 <= row < len(rows) else None

    def _is_on_handle(self, point: QPointF) -> bool:
        camera = self._camera_at(point)
        if camera is None:
            return False
        gap = point - self.handle_of(camera.key)
        return abs(gap.x()) <= _HANDLE_PX + 4 and abs(gap.y()) <= _HANDLE_PX + 4

    def mousePressEvent(self, event: QMouseEvent) -> None:
        camera = self._camera_at(event.position())
        if camera is None or event.button() is not Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        if camera.key != self._subject_key:
            self.camera_chosen.emit(camera.key)
        if self._is_on_handle(event.position()):
            self._dragged = camera
        else:
            self.asked.emit("day")

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragged is None:
            on_handle = self._is_on_handle(event.position())
            self.setCursor(
                Qt.CursorShape.SizeHorCursor if on_handle else Qt.CursorShape.PointingHandCursor
            )
            return
        seconds = (event.position().x() - _LABEL_PX) / self._scale()
        self._drag_to(round(seconds / 3600 / _STEP_H) * _STEP_H)

    def _drag_to(self, hours: float) -> None:
        camera = self._dragged
        assert camera is not None  # only while dragging
        try:
            self._dragged = camera.with_hours_on(self.day, min(max(round(hours, 3), 0.0), 24.0))
        except BadValueError:
            return
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        dragged, self._dragged = self._dragged, None
        if dragged is not None:
            self.hours_changed.emit(dragged.key, dragged.hours_on(self.day))
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        rows = self._rows()
        keys = [camera.key for camera in rows]
        step = {Qt.Key.Key_Left: -_STEP_H, Qt.Key.Key_Right: _STEP_H}.get(Qt.Key(event.key()))
        move = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if self._subject_key not in keys or (step is None and move is None):
            QWidget.keyPressEvent(self, event)
            return
        index = keys.index(self._subject_key)
        if step is not None:
            hours = min(max(round(rows[index].hours_on(self.day) + step, 3), 0.0), 24.0)
            self.hours_changed.emit(rows[index].key, hours)
        elif move is not None:
            self.camera_chosen.emit(keys[min(max(index + move, 0), len(keys) - 1)])
