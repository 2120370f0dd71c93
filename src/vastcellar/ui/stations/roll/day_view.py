"""The day drawn: cameras, cards and drives over one axis of hours, and what can be dragged."""

from __future__ import annotations

import math
from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.roll.drawn_days import DrawnDays
from vastcellar.core.roll.levers import Pulled
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.services.roll.day_planning import PlannedDay
from vastcellar.services.roll.day_wording import LAST_SUM, minutes, moment, wait_sum_key, waits_text
from vastcellar.ui.look import Look, font
from vastcellar.ui.models.day_plan import DayPlan
from vastcellar.ui.stations.roll.card_rows import CardPainter
from vastcellar.ui.stations.roll.day_rows import AXIS_PX, CARD_PX, DayRows, lay_out, least_height
from vastcellar.ui.stations.roll.load_rows import LoadPainter
from vastcellar.ui.stations.roll.shapes import pill, shaded
from vastcellar.ui.widgets.picture import Picture, text_width

_STEP_S = 300.0
"""Five minutes: what dragging and the arrow keys move by."""
_REACH_PX = 8.0
_LAST_PX = 56
"""Of the last copy's time, left of its upright."""
_CENTRE = Qt.AlignmentFlag.AlignHCenter
CALL, WRAP, ROLL, POOL = "call", "wrap", "roll", "pool"


class DayView(Picture):
    """Draws one day. Its wrap, call, roll times and pools can be dragged; keys do the same."""

    edited = Signal(object, str)
    """The changed shoot, and what was done to it."""
    camera_chosen = Signal(str)

    def __init__(self, look: Look, plan: DayPlan) -> None:
        super().__init__(look)
        self._plan = plan
        self._shown: PlannedDay | None = None
        self._ghost: Pulled | None = None
        self._subject = ""
        self._held = ""
        """The handle that is being dragged: its kind, and the camera's key where it has one."""
        self._held_at = QPointF()
        self._dragged: Shoot | None = None
        self._rows: DayRows | None = None
        self._cards, self._loads = CardPainter(self), LoadPainter(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(
            "The day; Left and Right move the wrap, + and - change the pool of the chosen camera"
        )

    def show_day(self, subject: str) -> None:
        """Draw the day as it is planned now; *subject* is the camera whose rows are lit."""
        self._shown, self._subject = self._plan.planned, subject
        self.setVisible(self._shown is not None)
        if self._shown is not None:
            run = self._shown.run
            self.setAccessibleDescription(
                f"{waits_text(run, self.look.numbers)}; last verified copy "
                f"{moment(run.last_verified_s, self.look.numbers)}"
            )
            self.setMinimumHeight(int(least_height(self._shown)))
        self.updateGeometry()
        self.update()

    def show_ghost(self, pulled: Pulled | None) -> None:
        """Draw where the last verified copy would be with a lever, dashed beside the plan."""
        self._ghost = pulled
        self.update()

    def sizeHint(self) -> QSize:
        height = least_height(self._shown) if self._shown else 300
        return QSize(820, int(height))

    @property
    def drawn(self) -> DrawnDays | None:
        """The drawn days of what is shown; None while something is dragged."""
        return self._plan.drawn if self._dragged is None else None

    def rows(self) -> DayRows | None:
        """Return where everything lies now; None without a day."""
        if self._shown is None:
            return None
        latest_s = 0.0
        if self.drawn is not None:
            at_s = self.drawn.percentile_s(90)
            latest_s = at_s if math.isfinite(at_s) else 0.0
        return lay_out(self._shown, self.width(), self.height(), latest_s)

    # Drawing

    def paint(self, painter: QPainter) -> None:
        planned, rows = self._shown, self.rows()
        self._rows = rows
        if planned is None or rows is None:
            return
        self._band(painter, rows)
        self._hours(painter, planned, rows)
        self._evening(painter, planned, rows)
        self._camera_rows(painter, planned, rows)
        self._cards.paint(painter, planned, rows)
        self._loads.paint(painter, planned, rows)
        self._waits(painter, planned, rows)
        self._uprights(painter, planned, rows)

    def _band(self, painter: QPainter, rows: DayRows) -> None:
        """Light the rows of the subject."""
        boxes = [box for key, box in rows.cameras.items() if key == self._subject]
        boxes += [row.box for row in rows.cards_of(self._subject)]
        for box in boxes:
            wide = QRectF(0, box.top(), self.width(), box.height())
            painter.fillRect(wide, self.look.color("copper", 22))
            painter.fillRect(QRectF(0, box.top(), 3, box.height()), self.look.color("copper"))

    def _hours(self, painter: QPainter, planned: PlannedDay, rows: DayRows) -> None:
        hours = (rows.end_s - rows.start_s) / 3600
        step = next(step for step in (1, 2, 3, 6, 12, 48) if hours / step <= 18)
        bottom = max([box.bottom() for box in rows.drives.values()], default=rows.height)
        first = int(-(-rows.start_s // (step * 3600)) * step)
        for hour in range(first, int(rows.end_s // 3600) + 1, step):
            x = rows.x(hour * 3600)
            painter.setPen(QPen(self.look.color("line"), 1))
            painter.drawLine(QPointF(x, AXIS_PX - 3), QPointF(x, bottom))
            text = self.look.numbers.time_of_day(hour * 3600)
            box = QRectF(x - 24, AXIS_PX - 18, 48, 14)
            self.write(painter, box, text, color="soft", size_px=12, align=_CENTRE)
        for each in planned.shoot.breaks:
            box = rows.span(QRectF(0, AXIS_PX, 0, bottom - AXIS_PX), each.start_s, each.end_s)
            painter.fillRect(box, shaded(self.look, "soft", 60))
            head = QRectF(box.center().x() - 40, 2, 80, 16)
            self.write(painter, head, "break", color="soft", size_px=12, align=_CENTRE)

    def _evening(self, painter: QPainter, planned: PlannedDay, rows: DayRows) -> None:
        """Shade what comes after the wrap: nobody is paid to wait then."""
        bottom = max([box.bottom() for box in rows.drives.values()], default=rows.height)
        box = rows.span(
            QRectF(0, AXIS_PX, 0, bottom - AXIS_PX), planned.shoot.day_end_s, rows.end_s
        )
        painter.fillRect(box, self.look.color("copper", 16))

    def _camera_rows(self, painter: QPainter, planned: PlannedDay, rows: DayRows) -> None:
        look = self.look
        for camera in planned.day.cameras:
            box = rows.cameras[camera.key]
            name = QRectF(9, box.top(), rows.left - 75, box.height())
            self.write(painter, name, f"{camera.key} {camera.name}", weight=600, condensed=False)
            rolled_s = camera.recorded_bytes / camera.bytes_per_s
            hours = QRectF(rows.left - 66, box.top(), 60, box.height())
            right = Qt.AlignmentFlag.AlignRight
            self.write(painter, hours, minutes(rolled_s, self.look.numbers),
                       color="soft", size_px=12, align=right, may_cut=True)  # fmt: skip
            track = box.adjusted(0, 4, 0, -4)
            painter.setPen(QPen(look.color("line"), 1))
            painter.drawLine(QPointF(box.left(), box.bottom()), QPointF(box.right(), box.bottom()))
            for trip in planned.run.trips:
                if trip.camera_key != camera.key:
                    continue
                for piece in trip.recorded:
                    span = rows.span(track, piece.start_s, piece.end_s)
                    span.setWidth(max(span.width(), 1.0))
                    painter.fillRect(span, look.color("ink"))
            handle = self.handle_at(f"{POOL} {camera.key}")
            if handle is not None:
                pill(painter, handle, look, is_lying=True)
            handle = self.handle_at(f"{ROLL} {camera.key}")
            if handle is not None:
                painter.setPen(QPen(look.color("ink"), 1.2))
                painter.setBrush(look.color("copper" if camera.key == self._subject else "panel"))
                painter.drawEllipse(handle, 4.0, 4.0)

    def _waits(self, painter: QPainter, planned: PlannedDay, rows: DayRows) -> None:
        look = self.look
        for wait in planned.run.waits:
            box = rows.cameras[wait.camera_key].adjusted(0, 2, 0, -2)
            span = rows.span(box, wait.from_s, min(wait.until_s, rows.end_s))
            painter.setPen(QPen(look.color("brick"), 1.4))
            painter.setBrush(shaded(look, "brick", 150))
            painter.drawRect(span)
            length = minutes(wait.duration_s, self.look.numbers)
            made = font(13, 600, condensed=True)
            told = next(
                (t for t in (f"waits {length}", length) if text_width(t, made) + 8 <= span.width()),
                "",
            )
            width = text_width(told, made) + 8
            words = QRectF(span.center().x() - width / 2, span.top() + 1, width, span.height() - 2)
            if told:
                painter.fillRect(words, look.color("panel", 225))
                self.write(painter, words, told, color="brick_text", weight=600, align=_CENTRE)
            self.place(span, wait_sum_key(wait))
            row = next((r for r in rows.cards if r.card_tag == wait.card_tag), None)
            if row is not None and math.isfinite(wait.until_s):
                x = rows.x(wait.until_s)
                painter.setPen(self.dashed("brick", 1.2))
                painter.drawLine(QPointF(x, span.bottom()), QPointF(x, row.box.top() + 4))

    def _uprights(self, painter: QPainter, planned: PlannedDay, rows: DayRows) -> None:
        look, numbers = self.look, self.look.numbers
        bottom = max([box.bottom() for box in rows.drives.values()], default=rows.height)
        last_s = planned.run.last_verified_s
        for kind, at_s in ((CALL, planned.shoot.day_start_s), (WRAP, planned.shoot.day_end_s)):
            x = rows.x(at_s)
            painter.setPen(QPen(look.color("ink"), 1.3))
            painter.drawLine(QPointF(x, AXIS_PX - 20), QPointF(x, bottom))
            pill(painter, QPointF(x, AXIS_PX - 12), look)
            text = f"{kind} {numbers.time_of_day(at_s)}"
            box, align = QRectF(x - 44, 2, 88, 16), _CENTRE
            if kind == CALL:
                box.moveLeft(x - 8)
                align = Qt.AlignmentFlag.AlignLeft
            elif math.isfinite(last_s) and last_s >= at_s:
                # Soon after the wrap the moment that counts keeps its place.
                most = (
                    rows.x(last_s) - _LAST_PX - text_width(text, font(12, 600, condensed=True)) / 2
                )
                box.moveCenter(QPointF(min(x, most), box.center().y()))
            self.write(painter, box, text, size_px=12, weight=600, align=align)
        if math.isfinite(last_s):
            x = rows.x(last_s)
            self._soft_edge(painter, rows, x, bottom)
            painter.setPen(QPen(look.color("copper"), 2.6))
            painter.drawLine(QPointF(x, 20), QPointF(x, bottom))
            text = numbers.time_of_day(last_s)
            box = QRectF(x - 64, 1, 62, 19)
            self.write(painter, box, text, color="copper_text", size_px=17, weight=600,
                       condensed=False, align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
            self.place(box.adjusted(0, 0, 8, 0), LAST_SUM)
        if self._ghost is not None and math.isfinite(self._ghost.run.last_verified_s):
            x = rows.x(self._ghost.run.last_verified_s)
            painter.setPen(self.dashed("moss", 1.8))
            painter.drawLine(QPointF(x, 20), QPointF(x, bottom))

    def _soft_edge(self, painter: QPainter, rows: DayRows, x: float, bottom: float) -> None:
        """Shade from the plan to the 90 % case, which ends dotted."""
        if self.drawn is None:
            return
        late_s = self.drawn.percentile_s(90)
        if not math.isfinite(late_s):
            return
        end = rows.x(late_s)
        if end > x:
            fade = QLinearGradient(QPointF(x, 0), QPointF(end, 0))
            fade.setColorAt(0, self.look.color("copper", 90))
            fade.setColorAt(1, self.look.color("copper", 0))
            painter.fillRect(QRectF(x, AXIS_PX, end - x, bottom - AXIS_PX), fade)
        pen = QPen(self.look.color("copper"), 1.4)
        pen.setDashPattern([1, 3])
        painter.setPen(pen)
        painter.drawLine(QPointF(end, AXIS_PX - 2), QPointF(end, bottom))
        text = f"90 % {self.look.numbers.time_of_day(late_s)}"
        width = text_width(text, font(12, 500, condensed=True)) + 4
        left = max(end + 3, x + 6)
        self.write(painter, QRectF(left, 3, width, 16), text, color="copper_text", size_px=12,
                   weight=500)  # fmt: skip

    # What can be taken hold of

    def handle_at(self, handle: str) -> QPointF | None:
        """Return where *handle* lies: "call", "wrap", "roll A" or "pool A"; None for none."""
        planned, rows = self._shown, self._rows or self.rows()
        if planned is None or rows is None:
            return None
        kind, _, key = handle.partition(" ")
        if kind in (CALL, WRAP):
            at_s = planned.shoot.day_start_s if kind == CALL else planned.shoot.day_end_s
            return QPointF(rows.x(at_s), AXIS_PX - 12)
        if kind == ROLL:
            ends = [trip.recorded[-1].end_s for trip in planned.run.trips if trip.camera_key == key]
            if key not in rows.cameras or not ends:
                return None
            return QPointF(rows.x(max(ends)) + 6, rows.cameras[key].center().y())
        last = list(rows.cards_of(key))
        return QPointF(rows.left - 11, last[-1].box.bottom() - 6) if last else None

    def _handles(self) -> list[str]:
        keys = [camera.key for camera in self._shown.day.cameras] if self._shown else []
        return [WRAP, CALL, *(f"{kind} {key}" for key in keys for kind in (ROLL, POOL))]

    def _handle_under(self, point: QPointF) -> str:
        for handle in self._handles():
            at = self.handle_at(handle)
            if at is not None and (point - at).manhattanLength() <= 2 * _REACH_PX:
                return handle
        return ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is not Qt.MouseButton.LeftButton or self._shown is None:
            return
        self.setFocus()
        self._held, self._held_at = self._handle_under(event.position()), event.position()
        if self._held:
            return
        if (key := self._camera_at(event.position())) and key != self._subject:
            self.camera_chosen.emit(key)
        super().mousePressEvent(event)

    def _camera_at(self, point: QPointF) -> str:
        rows = self._rows
        if rows is None:
            return ""
        boxes = [*rows.cameras.items(), *((row.camera_key, row.box) for row in rows.cards)]
        return next((k for k, box in boxes if box.top() <= point.y() < box.bottom()), "")

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not self._held:
            super().mouseMoveEvent(event)
            handle = self._handle_under(event.position())
            if handle:
                is_pool = handle.startswith(POOL)
                shape = Qt.CursorShape.SizeVerCursor if is_pool else Qt.CursorShape.SizeHorCursor
                self.setCursor(shape)
            return
        changed = self._changed_by(event.position())
        if changed is None or changed == (self._dragged or self._plan_shoot()):
            return
        shown = self._plan.preview(changed)
        if shown is not None:
            self._dragged, self._shown = changed, shown
            self.update()

    def _plan_shoot(self) -> Shoot | None:
        return self._plan.planned.shoot if self._plan.planned else None

    def _changed_by(self, point: QPointF) -> Shoot | None:
        """Return the shoot with the held handle moved to *point*; None where that can't be."""
        shoot, rows = self._plan_shoot(), self._rows
        if shoot is None or rows is None:
            return None
        kind, _, key = self._held.partition(" ")
        at_s = round(rows.seconds_at(point.x()) / _STEP_S) * _STEP_S
        if kind == WRAP:
            return _with_hours(shoot, shoot.day_start_s, at_s)
        if kind == CALL:
            return _with_hours(shoot, at_s, shoot.day_end_s)
        if kind == POOL:
            row = list(rows.cards_of(key))[-1]
            return _with_more(shoot, key, round((point.y() - row.box.bottom()) / CARD_PX))
        moved_h = (at_s - round(rows.seconds_at(self._held_at.x()) / _STEP_S) * _STEP_S) / 3600
        hours = shoot.camera(key).hours_on(self._plan.number) + round(moved_h, 2)
        return _with_hours_on(shoot, key, self._plan.number, hours)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, dragged = self._held, self._dragged
        self._held, self._dragged = "", None
        self._shown = self._plan.planned
        if held and dragged is not None:
            self.edited.emit(dragged, _told(held))
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        shoot, key = self._plan_shoot(), Qt.Key(event.key())
        if shoot is None:
            QWidget.keyPressEvent(self, event)
            return
        keys = [camera.key for camera in shoot.cameras]
        move = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(key)
        wrap = {Qt.Key.Key_Left: -_STEP_S, Qt.Key.Key_Right: _STEP_S}.get(key)
        more = {Qt.Key.Key_Plus: 1, Qt.Key.Key_Minus: -1}.get(key)
        changed: Shoot | None = None
        told = ""
        if move is not None and self._subject in keys:
            place = min(max(keys.index(self._subject) + move, 0), len(keys) - 1)
            self.camera_chosen.emit(keys[place])
            return
        if wrap is not None:
            changed, told = _with_hours(shoot, shoot.day_start_s, shoot.day_end_s + wrap), WRAP
        elif more is not None and self._subject in keys:
            changed, told = _with_more(shoot, self._subject, more), f"{POOL} {self._subject}"
        else:
            QWidget.keyPressEvent(self, event)
            return
        if changed is not None and changed != shoot:
            self.edited.emit(changed, _told(told))


def _told(handle: str) -> str:
    kind, _, key = handle.partition(" ")
    return {WRAP: "wrap", CALL: "call", ROLL: f"roll time of {key}", POOL: f"pool of {key}"}[kind]


def _with_hours(shoot: Shoot, start_s: float, end_s: float) -> Shoot | None:
    try:
        return replace(shoot, day_start_s=start_s, day_end_s=end_s)
    except VastCellarError:
        return None


def _with_more(shoot: Shoot, key: str, change: int) -> Shoot | None:
    camera = shoot.camera(key)
    more = max(camera.more_media + change, 0)
    try:
        return shoot.with_camera(replace(camera, more_media=more))
    except VastCellarError:
        return None


def _with_hours_on(shoot: Shoot, key: str, day: int, hours: float) -> Shoot | None:
    try:
        inside = min(max(round(hours, 3), 0.0), 24.0)
        return shoot.with_camera(shoot.camera(key).with_hours_on(day, inside))
    except VastCellarError:
        return None
