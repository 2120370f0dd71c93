"""The channel: every stage as wide as what it carries, the need as a copper thread through it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.stages import Stage
from vastcellar.core.evidence import Verdict
from vastcellar.core.units import MB
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.picture import Picture, broken, column, torn_column

_NEED_LABEL_PX = 70
_GAP_PX, _LINE_PX, _MOST_LINES = 8.0, 14.0, 4
_CENTRE = Qt.AlignmentFlag.AlignHCenter
_SUM_OF_STAGE = {"cache": "cache", "direct": "cache", "case": "heat", "camera": "need"}


@dataclass(frozen=True, slots=True)
class _Column:
    """What is drawn for a stage, or for neighbours that carry the same."""

    key: str
    name: str
    detail: str
    carries_bytes_per_s: float
    ceiling_bytes_per_s: float
    span: int = 1


def _columns(judgement: Judgement, look: Look) -> list[_Column]:
    chain = judgement.chain
    assert chain is not None  # drawn only with a chain
    need, numbers = judgement.need, look.numbers
    camera = _Column(
        "camera",
        "Camera",
        f"{numbers.number(need.average_bytes_per_s / MB, 0)} average",
        need.peak_bytes_per_s,
        need.peak_bytes_per_s,
    )
    made = [camera]
    for stage in chain.stages:
        before = made[-1]
        is_same = (
            stage.key == "cable"
            and before.key == "port"
            and abs(before.ceiling_bytes_per_s / stage.ceiling_bytes_per_s - 1) < 0.01
        )
        cable = chain.parts.cable
        if is_same and cable is not None:  # the same figure twice says little
            made[-1] = _Column(
                "port",
                "Port and cable",
                f"{before.detail} · {numbers.number(cable.length_m)} m",
                before.carries_bytes_per_s,
                before.ceiling_bytes_per_s,
                span=2,
            )
        else:
            made.append(_column(stage, judgement))
    return made


def _column(stage: Stage, judgement: Judgement) -> _Column:
    detail = stage.part
    if stage.key == "port":
        detail = stage.part.split(",")[0]
    elif stage.key == "direct" and judgement.bottleneck.value == "cache" and judgement.fails_at_s:
        detail = "once the cache is full"
    return _Column(
        stage.key, stage.name, detail, stage.typical_bytes_per_s, stage.ceiling_bytes_per_s
    )


class ChannelView(Picture):
    """Stages on one base line; what flows inside; the narrowest lit; ghosts for what-if."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._judgement: Judgement | None = None
        self._ghost: Chain | None = None
        self.setMinimumHeight(178)

    def sizeHint(self) -> QSize:
        return QSize(820, 204)

    def show_judgement(self, judgement: Judgement | None) -> None:
        """Draw the chain of *judgement*."""
        self._judgement, self._ghost = judgement, None
        self.update()

    def show_ghost(self, chain: Chain | None) -> None:
        """Draw over it, dashed, what *chain* would carry; None takes the ghost away."""
        self._ghost = chain
        self.update()

    def paint(self, painter: QPainter) -> None:
        judgement = self._judgement
        if judgement is None or judgement.chain is None:
            self.write(
                painter,
                QRectF(self.rect()),
                "Choose a drive below: the channel then shows what each stage carries.",
                color="soft",
                size_px=15,
                align=_CENTRE,
            )
            return
        columns = _columns(judgement, self.look)
        units = sum(entry.span for entry in columns)
        across = self.width() - 4 - _NEED_LABEL_PX - _GAP_PX * (len(columns) - 1)
        made = font(12, condensed=True)
        details = {
            each.key: broken(each.detail, across / units * each.span + 4, made, _MOST_LINES)
            for each in columns
        }
        below = 24 + _LINE_PX * max(len(lines) for lines in details.values())
        area = QRectF(self.rect()).adjusted(4, 26, -_NEED_LABEL_PX, -below)
        needed = judgement.need.needed_write_bytes_per_s
        link_cap = max(judgement.chain.link_cap_bytes_per_s, needed)
        highest = max(2.2 * needed, 1.25 * link_cap)

        def height(rate: float) -> float:
            return area.height() * min(rate / highest, 1.0)

        width = across / units
        left = area.left()
        flow = height(judgement.need.average_bytes_per_s)
        narrowest = self._narrowest_key(judgement)
        for entry in columns:
            box = QRectF(left, area.top(), width * entry.span, area.height())
            self._stage(
                painter,
                box,
                entry,
                height(entry.carries_bytes_per_s),
                flow,
                narrowest,
                area.bottom() - height(needed),
            )
            self.write_lines(
                painter,
                QRectF(box.left() - 2, box.bottom() + 21, box.width() + 4, 0),
                details[entry.key],
                _LINE_PX,
                color="soft",
                align=_CENTRE,
            )
            left += box.width() + _GAP_PX
        painter.setPen(QPen(self.look.color("copper"), 2.4))
        y = area.bottom() - height(needed)
        painter.drawLine(QPointF(area.left() - 4, y), QPointF(area.right() + 4, y))
        self.write(
            painter,
            QRectF(area.right() + 9, y - 9, _NEED_LABEL_PX - 9, 18),
            f"need {self.look.numbers.number(needed / MB, 0)}",
            color="copper_text",
            weight=600,
        )

    def _narrowest_key(self, judgement: Judgement) -> str:
        chain = judgement.chain
        narrowest = chain.lasting_bottleneck if chain else None
        if narrowest is None:
            return ""
        return narrowest.key

    def _stage(
        self,
        painter: QPainter,
        box: QRectF,
        entry: _Column,
        height: float,
        flow: float,
        narrowest: str,
        need_y: float,
    ) -> None:
        judgement = self._judgement
        assert judgement is not None  # painted only with one
        is_torn = height >= box.height()
        body = QRectF(box.left(), box.bottom() - height, box.width(), height)
        column(painter, body, self.look.color("stone"), torn=is_torn)
        is_narrowest = entry.key == narrowest
        fails = is_narrowest and judgement.verdict is Verdict.FALLS_SHORT
        water = QRectF(
            body.left(), box.bottom() - min(flow, height), body.width(), min(flow, height)
        )
        painter.fillRect(water, self.look.color("brick" if fails else "water"))
        if is_narrowest and not is_torn:
            pen = QPen(self.look.color("brick" if fails else "ink"), 1.6)
            painter.setPen(pen)
            painter.drawRect(body)
        self._ghost_outline(painter, box, entry)
        number_y = max(body.top() - 22, box.top() - 24)
        if abs(number_y + 10 - need_y) < 13:  # never across the need line
            number_y = need_y - 23
        color = "brick_text" if fails else "ink"
        self.write(
            painter,
            QRectF(box.left(), number_y, box.width(), 20),
            self.look.numbers.number(entry.carries_bytes_per_s / MB, 0),
            size_px=17 if is_narrowest else 15,
            weight=600,
            condensed=False,
            color=color,
            align=_CENTRE,
        )
        self.write(
            painter,
            QRectF(box.left() - 3, box.bottom() + 4, box.width() + 6, 17),
            entry.name,
            size_px=14,
            weight=600,
            condensed=False,
            color=color,
            align=_CENTRE,
        )
        place = QRectF(box.left(), box.top() - 24, box.width(), box.height() + 64)
        self.place(place, _SUM_OF_STAGE.get(entry.key, "link"))

    def _ghost_outline(self, painter: QPainter, box: QRectF, entry: _Column) -> None:
        if self._ghost is None:
            return
        stage = next((s for s in self._ghost.stages if s.key == entry.key), None)
        if stage is None:
            return
        judgement = self._judgement
        assert judgement is not None  # painted only with one
        if abs(stage.typical_bytes_per_s - entry.carries_bytes_per_s) < 1e3:
            return
        needed = judgement.need.needed_write_bytes_per_s
        chain = judgement.chain
        link_cap = max(chain.link_cap_bytes_per_s if chain else 0.0, needed)
        highest = max(2.2 * needed, 1.25 * link_cap)
        height = box.height() * min(stage.typical_bytes_per_s / highest, 1.0)
        ghost = QRectF(box.left() + 2, box.bottom() - height, box.width() - 4, height)
        painter.setPen(self.dashed("moss", 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if height >= box.height():
            painter.drawPath(torn_column(ghost))
        else:
            painter.drawRect(ghost)
        value = self.look.numbers.number(stage.typical_bytes_per_s / MB, 0)
        self.write(
            painter,
            QRectF(box.left(), max(ghost.top() + 2, box.top()), box.width(), 16),
            value,
            color="moss_text",
            weight=600,
            align=_CENTRE,
        )
