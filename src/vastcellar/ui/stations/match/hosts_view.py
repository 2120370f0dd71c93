"""The same drive on every computer: what its best port and cable there let through."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.core.units import MB, NumberFormat
from vastcellar.services.match.matching import OnHost
from vastcellar.services.words.verdict_wording import short_verdict
from vastcellar.ui.look import Look, font
from vastcellar.ui.widgets.marks import draw_verdict
from vastcellar.ui.widgets.picture import Picture, column

_LEAST_ROW_PX, _MOST_ROW_PX = 156.0, 330.0
_LABEL_PX = 168.0
_CENTRE = Qt.AlignmentFlag.AlignHCenter


def cable_words(each: OnHost, numbers: NumberFormat) -> str:
    """Say which cable is missing here, and what it would carry; "" where none is."""
    own = each.chain.parts.cable
    if not each.has_cable and own is not None:
        return f"the shoot has no cable for it: {own.name} would have to come along"
    if each.missing is None:
        return ""
    more = numbers.rate(each.missing.at_first_bytes_per_s, 0)
    return (
        f"a cable is what is missing: {each.missing.cable.name} in the {each.missing.port.name} "
        f"would make it {more} at first"
    )


def _offload_words(each: OnHost, numbers: NumberFormat) -> str:
    """Say what an offload runs at here, and what a faster part would not gain."""
    copy = each.copy
    if copy is None:
        return ""
    text = f"offloads at {numbers.rate(copy.bytes_per_s, 0)}, set by {copy.limit.name}"
    most = max(copy.wasted, key=lambda pair: pair[1], default=None)
    if most is not None and most[1] > 0.2:
        stage, share = most
        text += f"; {numbers.percent(share)} of what {stage.name} could do is not used"
    return text


class HostsView(Picture):
    """A row a computer: stages as columns on one base line, the need through them all."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._found: tuple[OnHost, ...] = ()
        self._needed = 0.0
        self.setObjectName("inside")

    def sizeHint(self) -> QSize:
        return QSize(780, int(_LEAST_ROW_PX * max(len(self._found), 1)))

    def show_hosts(self, found: tuple[OnHost, ...], needed_bytes_per_s: float) -> None:
        """Draw the rows of *found*."""
        self._found, self._needed = found, needed_bytes_per_s
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def paint(self, painter: QPainter) -> None:
        if not self._found:
            text = "Choose what the camera records to: it is then shown on every computer."
            self.write(painter, QRectF(9, 8, self.width(), 20), text, color="soft")
            return
        caps = [each.chain.at_first_bytes_per_s for each in self._found]
        highest = max([self._needed * 1.6, *(cap * 1.3 for cap in caps)])
        # Few computers have the page between them.
        row_px = min(max(self.height() / len(self._found), _LEAST_ROW_PX), _MOST_ROW_PX)
        for index, each in enumerate(self._found):
            self._host(painter, QRectF(0, index * row_px, self.width(), row_px), each, highest)

    def _host(self, painter: QPainter, box: QRectF, each: OnHost, highest: float) -> None:
        look, numbers, chain = self.look, self.look.numbers, each.chain
        self.write(
            painter,
            QRectF(9, box.top() + 10, _LABEL_PX - 14, 20),
            each.host.name,
            size_px=15,
            weight=600,
            condensed=False,
        )
        draw_verdict(painter, QRectF(9, box.top() + 33, 17, 16), each.judgement.verdict, look)
        painter.setFont(font(13, 600, condensed=True))
        painter.setPen(look.verdict_color(each.judgement.verdict, text=True))
        painter.drawText(
            QRectF(32, box.top() + 32, 130, 18), short_verdict(each.judgement, numbers)
        )
        port = chain.parts.port.name
        cable = chain.parts.cable.name if chain.parts.cable else ""
        mode = chain.mode.name if chain.mode else "no link"
        for line, text in enumerate((port, cable, mode)):
            place = QRectF(9, box.top() + 52 + 15 * line, _LABEL_PX - 14, 15)
            is_missing = line == 1 and not each.has_cable
            self.write(
                painter, place, text, color="ochre_text" if is_missing else "soft", size_px=12
            )
        area = QRectF(_LABEL_PX, box.top() + 22, box.width() - _LABEL_PX - 76, box.height() - 82)
        if chain.problem:
            self.write(painter, area, chain.problem, color="brick_text")
            return
        narrowest = chain.lasting_bottleneck
        width = area.width() / len(chain.stages)
        for number, stage in enumerate(chain.stages):
            share = min(stage.typical_bytes_per_s / highest, 1.0)
            body = QRectF(
                area.left() + number * width + 4,
                area.bottom() - area.height() * share,
                width - 8,
                area.height() * share,
            )
            column(painter, body, look.color("stone"), torn=stage.typical_bytes_per_s > highest)
            is_narrowest = narrowest is not None and stage.key == narrowest.key
            if is_narrowest:
                holds = stage.typical_bytes_per_s >= self._needed
                painter.setPen(QPen(look.color("ink" if holds else "brick"), 1.6))
                painter.drawRect(body)
            above = QRectF(body.left() - 6, max(body.top() - 17, box.top() + 4), width + 4, 15)
            rate = numbers.number(stage.typical_bytes_per_s / MB, 0)
            self.write(
                painter, above, rate, size_px=12, weight=600 if is_narrowest else 400, align=_CENTRE
            )
            name = QRectF(body.left() - 6, area.bottom() + 3, width + 4, 15)
            self.write(painter, name, stage.name, size_px=12, align=_CENTRE)
        below = QRectF(area.left(), area.bottom() + 19, area.width() + 76, 15)
        if cable_text := cable_words(each, numbers):
            self.write(painter, below, cable_text, color="ochre_text", size_px=12)
            below.translate(0, 15)
        if each.copy is not None:
            self.write(painter, below, _offload_words(each, numbers), color="soft", size_px=12)
        y = area.bottom() - area.height() * min(self._needed / highest, 1.0)
        painter.setPen(QPen(look.color("copper"), 2.2))
        painter.drawLine(int(area.left()), int(y), int(area.right()), int(y))
        text = f"need {numbers.number(self._needed / MB, 0)}"
        self.write(
            painter,
            QRectF(area.right() + 5, y - 9, 70, 18),
            text,
            color="copper_text",
            weight=600,
        )
