"""One bay of the shelf: its drawing says fill, wear, trend, evidence with its age, and where."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen, QPolygonF

from vastcellar.core.cellar.findings import Harm
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.parts.units import WATCH_WEAR_SHARE
from vastcellar.services.cellar.bays import NEVER, Bay, BayGroup
from vastcellar.ui.widgets.marks import draw_evidence
from vastcellar.ui.widgets.picture import Picture

BAY_HEIGHT_PX = 92
_HARM_COLORS = {Harm.PICTURES: "brick", Harm.FRAMES: "brick", Harm.COPY: "brick",
                Harm.MARGIN: "ochre", Harm.UNIT: "ochre", Harm.MONEY: "soft"}  # fmt: skip


def harm_color(harm: int) -> str:
    """Return the palette's name of a harm as text."""
    return {"brick": "brick_text", "ochre": "ochre_text"}.get(_HARM_COLORS[Harm(harm)], "soft")


_SPARK_REACH = 0.35
"""How far from 1 the rate since acceptance is drawn."""
_WIDTHS_PX = (15.0, 32.0)


def draw_bay(view: Picture, painter: QPainter, box: QRectF, bay: Bay, *, is_chosen: bool) -> None:
    """Draw *bay* in *box*; whatever is written stands beside a drawing and not on it."""
    look = view.look
    if is_chosen:
        painter.setPen(QPen(look.color("copper"), 2))
        painter.setBrush(look.color("copper", 26))
        painter.drawRoundedRect(box.adjusted(1, 1, -1, -2), 5, 5)
    inside = box.adjusted(6, 3, -5, -4)
    has_pennant = bay.number > 0
    tag = QRectF(inside.left(), inside.top(), inside.width() - (18 if has_pennant else 0), 17)
    color = "soft" if bay.is_away else "ink"
    view.write(painter, tag, bay.tag, size_px=13, weight=600, color=color, may_cut=True)
    if has_pennant:
        draw_pennant(view, painter, QPointF(inside.right() - 8, inside.top()), bay.number, bay.harm)
    _spark(view, painter, QRectF(inside.left(), inside.top() + 18, inside.width() - 2, 12), bay)
    _body(view, painter, QRectF(inside.left(), inside.top() + 31, inside.width() - 12, 37), bay)
    _wear(view, painter, QRectF(inside.right() - 8, inside.top() + 31, 5, 37), bay)
    foot = QRectF(inside.left(), inside.bottom() - 14, inside.width(), 14)
    mark = QRectF(foot.left() - 1, foot.top() + 2, 11, 11)
    draw_evidence(painter, mark, bay.evidence, look)
    tested = bay.age != NEVER
    said = bay.where if bay.is_away and bay.where else (bay.age if tested else "")
    if bay.state not in ("ready", "on loan") and not said:
        said = bay.state
    is_late = bay.is_old or (bay.is_away and bay.number > 0)
    view.write(
        painter, foot.adjusted(13, 0, 0, 0), said, size_px=12,
        color="ochre_text" if is_late or bay.state == "in doubt" else "soft",
        weight=600 if is_late else 400, may_cut=True,
    )  # fmt: skip


def draw_pennant(view: Picture, painter: QPainter, top: QPointF, number: int, harm: int) -> None:
    """Draw a numbered pennant that hangs at *top*, its middle."""
    look = view.look
    left, right, bottom = top.x() - 8, top.x() + 8, top.y() + 19
    shape = QPolygonF([
        QPointF(left, top.y()), QPointF(right, top.y()), QPointF(right, bottom - 4),
        QPointF(top.x(), bottom), QPointF(left, bottom - 4),
    ])  # fmt: skip
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(look.color(_HARM_COLORS[Harm(harm)] if harm else "soft"))
    painter.drawPolygon(shape)
    text = str(number) if number < 100 else "…"
    view.write(
        painter, QRectF(left, top.y(), 16, 15), text, size_px=12, weight=600, color="panel",
        align=Qt.AlignmentFlag.AlignHCenter,
    )  # fmt: skip


def _spark(view: Picture, painter: QPainter, box: QRectF, bay: Bay) -> None:
    """The rate of its like runs against how it was accepted, which is dashed."""
    if not bay.spark:
        return
    look = view.look
    painter.setPen(view.dashed("line", 1.2))
    middle = box.center().y()
    painter.drawLine(QPointF(box.left(), middle), QPointF(box.right(), middle))

    def y(share: float) -> float:
        off = min(max((share - 1) / _SPARK_REACH, -1.0), 1.0)
        return middle - off * box.height() / 2

    color = look.color("brick" if bay.is_off else "ink")
    step = box.width() / max(len(bay.spark) - 1, 1)
    line = [QPointF(box.left() + n * step, y(v)) for n, v in enumerate(bay.spark)]
    painter.setPen(QPen(color, 1.4))
    if len(line) == 1:
        painter.drawPoint(line[0])
    painter.drawPolyline(QPolygonF(line))


def _body(view: Picture, painter: QPainter, room: QRectF, bay: Bay) -> None:
    """The unit by its kind, as wide as it is large, with water as high as it is full."""
    look = view.look
    low, high = _WIDTHS_PX
    width = low + (high - low) * min(math.log2(1 + 4 * bay.terabytes) / math.log2(33), 1.0)
    box = QRectF(room.left() + 2, room.top(), min(width, room.width() - 2), room.height())
    shape = _shape(box, bay.kind)
    painter.setPen(view.dashed("soft", 1.3) if bay.is_away else QPen(look.color("soft"), 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush if bay.is_away else look.color("stone"))
    painter.drawPath(shape)
    if bay.filled > 0 and not bay.is_away:
        painter.save()
        painter.setClipPath(shape)
        water = QRectF(box.left(), 0, box.width(), box.height() * bay.filled)
        water.moveBottom(box.bottom())
        painter.fillRect(water, look.color("water"))
        painter.restore()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(shape)
    if bay.state == "in doubt":
        painter.setPen(QPen(look.color("brick"), 1.4))
        painter.drawLine(box.bottomLeft() + QPointF(2, -2), box.topRight() + QPointF(-2, 2))


_STORE_DISKS = 4


def _shape(box: QRectF, kind: str) -> QPainterPath:
    path = QPainterPath()
    if kind == DriveKind.CARD.value:
        corner = box.width() * 0.35
        path.moveTo(box.left(), box.top() + 8)
        path.lineTo(box.right() - corner, box.top() + 8)
        path.lineTo(box.right(), box.top() + 8 + corner)
        path.lineTo(box.bottomRight())
        path.lineTo(box.bottomLeft())
        path.closeSubpath()
    elif kind == DriveKind.HARD_DISK.value:
        path.addRect(box)
        path.moveTo(box.left() + 4, box.bottom() - 4)
        path.lineTo(box.right() - 4, box.bottom() - 4)
    elif kind == DriveKind.STORE.value:
        # Several disks side by side in one frame.
        path.addRect(box)
        for number in range(1, _STORE_DISKS):
            x = box.left() + box.width() * number / _STORE_DISKS
            path.moveTo(x, box.top() + 3)
            path.lineTo(x, box.bottom() - 3)
    elif kind == DriveKind.READY_MADE.value:
        path.addRoundedRect(box, 7, 7)
    elif kind == DriveKind.SATA.value:
        path.addRoundedRect(box.adjusted(0, 5, 0, 0), 2, 2)
    else:
        # A module stands on its plug.
        path.addRoundedRect(box.adjusted(0, 0, 0, -4), 2, 2)
        path.addRect(QRectF(box.left() + 3, box.bottom() - 4, box.width() - 6, 4))
    return path


def _wear(view: Picture, painter: QPainter, box: QRectF, bay: Bay) -> None:
    """How much of its endurance is used, from below; the tick stands at 80 %."""
    if bay.worn is None:
        return
    look = view.look
    painter.fillRect(box, look.color("stone"))
    used = QRectF(box.left(), 0, box.width(), max(box.height() * min(bay.worn, 1.0), 1.0))
    used.moveBottom(box.bottom())
    painter.fillRect(used, look.color("brick" if bay.is_worn else "ink"))
    tick = box.bottom() - box.height() * WATCH_WEAR_SHARE
    painter.setPen(QPen(look.color("soft"), 1.2))
    painter.drawLine(QPointF(box.left() - 2, tick), QPointF(box.right() + 2, tick))


def draw_skyline(view: Picture, painter: QPainter, box: QRectF, group: BayGroup) -> None:
    """Draw a folded group: how full its units are, and a stroke where something is found.

    What is wrong in it is never averaged away.
    """
    count = len(group.bays)
    if not count or box.width() < 8:
        return
    look = view.look
    columns = max(min(count, int(box.width() // 2)), 1)
    step = box.width() / columns
    for column in range(columns):
        some = group.bays[column * count // columns : max((column + 1) * count // columns, 1)]
        if not some:
            continue
        left = box.left() + column * step
        filled = sum(bay.filled for bay in some) / len(some)
        height = 2 + (box.height() - 2) * filled
        painter.fillRect(QRectF(left, box.bottom() - height, step, height), look.color("water"))
        worst = min((bay.harm for bay in some if bay.number), default=0)
        if worst:
            stroke = QRectF(left, box.top(), max(step, 1.5), box.height())
            painter.fillRect(stroke, look.color(_HARM_COLORS[Harm(worst)]))
