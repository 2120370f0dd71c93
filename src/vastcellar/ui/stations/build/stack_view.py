"""The stack from the side, heights in scale: what touches, what gap is left, where heat goes."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.dimensions import M2_BOARD_MM, m2_length_mm
from vastcellar.core.parts.fitting import Fit, FitKind
from vastcellar.core.units import NumberFormat
from vastcellar.services.build.building import Build
from vastcellar.services.words.said_wording import measure_text
from vastcellar.ui.look import font
from vastcellar.ui.stations.build.build_picture import BuildPicture
from vastcellar.ui.widgets.picture import broken

_LABEL_PX, _PLOT_PX = 150.0, 158.0
_TOP_PX, _BOTTOM_PX = 26.0, 40.0
_BASE_MM, _CARRIER_MM, _SPREADER_MM, _LID_MM = 1.6, 1.2, 1.0, 3.2
_MOST_PX_PER_MM = 27.0
_W_PX = 40.0
"""Width of the heat's stream for each watt."""
_CHIP_MM, _CHIP_APART_MM, _FIRST_CHIP_MM = 11.0, 5.0, 9.0
_PLUG_MM = 8.0
_ROW_PX = 34.0
_CALLOUT_PX, _MOST_CALLOUTS = 54.0, 2
# What has a place in the drawing, from the top down; the rest stands among the checks.
_PLACES = (FitKind.GAP, FitKind.PRESSED, FitKind.PLUG, FitKind.KEY, FitKind.PROTOCOL, FitKind.WIDTH,
           FitKind.UNDER, FitKind.LENGTH)  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Heights:
    """Where each layer begins, from below, in pixels from the top of the picture."""

    px_per_mm: float
    base: float
    carrier: float
    board: float
    chips: float
    lid: float
    """The lower face of what is over the chips."""
    top: float


class StackView(BuildPicture):
    """Draws a build; a misfit stands at its place, with what would mend it to press."""

    def paint(self, painter: QPainter) -> None:
        made = self._made
        if made is None:
            return
        if made.layout.is_module:
            self._module(painter, made)
        else:
            self._disk(painter, made)

    # An M.2 module in its case

    def _module(self, painter: QPainter, made: Build) -> None:
        heights = self._heights(made)
        area = QRectF(_LABEL_PX, 0, self.width() - _LABEL_PX - _PLOT_PX - 24, self.height())
        length = m2_length_mm(made.layout.drive.form) or 80.0
        inside = made.layout.enclosure.inside
        posts = inside.posts_mm if inside else ()
        across = area.width() / (max(length, *posts, 80.0) + _PLUG_MM + 8.0)
        x0 = area.left() + _PLUG_MM * across
        self._case(painter, heights, area, made)
        self.place(QRectF(area.left(), heights.lid, area.width(), heights.board - heights.lid),
                   "heights")  # fmt: skip
        self._board(painter, heights, x0, across, length, made)
        self._over_chips(painter, heights, x0, across, length, made)
        self._posts(painter, heights, x0, across, length, posts)
        self._labels(painter, heights, made)
        self._warmth(painter, heights, made)
        self._callouts(painter, heights, x0 + across * length, made)

    def _heights(self, made: Build) -> _Heights:
        inside, size = made.layout.enclosure.inside, made.layout.drive.size
        under = inside.under_mm if inside and inside.under_mm is not None else 1.5
        above = inside.above_mm if inside and inside.above_mm is not None else 2.5
        top = size.top_mm if size and size.top_mm is not None else 1.5
        total = _BASE_MM + _CARRIER_MM + under + M2_BOARD_MM + above + _SPREADER_MM + _LID_MM
        below = _BOTTOM_PX + (_CALLOUT_PX if self._misfits(made) else 0.0)
        scale = min((self.height() - _TOP_PX - below) / total, _MOST_PX_PER_MM)
        base = self.height() - below
        carrier = base - _BASE_MM * scale
        board = carrier - (_CARRIER_MM + under) * scale
        chips = board - M2_BOARD_MM * scale
        lid = chips - above * scale
        return _Heights(scale, base, carrier, board, chips - top * scale, lid,
                        lid - (_SPREADER_MM + _LID_MM) * scale)  # fmt: skip

    def _case(self, painter: QPainter, at: _Heights, area: QRectF, made: Build) -> None:
        look = self.look
        painter.fillRect(
            QRectF(area.left(), at.carrier, area.width(), at.base - at.carrier), look.color("stone")
        )
        spreader = QRectF(area.left(), at.lid - _SPREADER_MM * at.px_per_mm, area.width(),
                          _SPREADER_MM * at.px_per_mm)  # fmt: skip
        painter.fillRect(spreader, look.color("stone"))
        is_metal = made.layout.enclosure.material not in ("plastic", "")
        lid = QRectF(area.left(), at.top, area.width(), spreader.top() - at.top)
        if not is_metal:
            painter.fillRect(lid, look.color("stone", 120))
            return
        fin, step = 9.0, 17.0
        count = int((lid.width() + step - fin) // step)
        for number in range(count):
            x = lid.left() + number * step
            painter.fillRect(QRectF(x, lid.top(), fin, lid.height()), look.color("stone"))

    def _board(
        self, painter: QPainter, at: _Heights, x0: float, across: float, length: float, made: Build
    ) -> None:
        look, scale = self.look, at.px_per_mm
        inside, size = made.layout.enclosure.inside, made.layout.drive.size
        longest = max((length, *(inside.posts_mm if inside else ())))
        carrier = QRectF(x0 - 4 * across, at.carrier - _CARRIER_MM * scale,
                         (longest + 8) * across, _CARRIER_MM * scale)  # fmt: skip
        painter.fillRect(carrier, look.color("soft", 150))
        thick = M2_BOARD_MM * scale
        plug = QRectF(x0 - 4 * across, at.board - thick * 1.6, 5 * across,
                      carrier.top() - at.board + thick * 1.6)  # fmt: skip
        painter.fillRect(QRectF(x0, at.board - thick, length * across, thick), look.color("soft"))
        painter.fillRect(plug, look.color("ink", 170))
        bottom = size.bottom_mm if size and size.bottom_mm else 0.0
        for left, right in _chips(length):
            if bottom:
                under = QRectF(x0 + left * across, at.board, (right - left) * across,
                               bottom * scale)  # fmt: skip
                painter.fillRect(under, look.color("ink", 200))
            over = QRectF(x0 + left * across, at.chips, (right - left) * across,
                          at.board - thick - at.chips)  # fmt: skip
            painter.fillRect(over, look.color("ink", 220))

    def _over_chips(
        self, painter: QPainter, at: _Heights, x0: float, across: float, length: float, made: Build
    ) -> None:
        look, fit = self.look, made.layout.pad_fit
        chips = _chips(length)
        left, right = x0 + chips[0][0] * across - 3, x0 + chips[-1][1] * across + 3
        if fit is None:
            painter.setPen(self.dashed("soft"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(left, at.lid, right - left, at.chips - at.lid))
            return
        pad_px = fit.thickness_mm * at.px_per_mm
        pad = QRectF(left, at.chips - pad_px, right - left, pad_px)
        self._stream(painter, at, made, (left + right) / 2, x0 - 1.5 * across)
        painter.fillRect(pad, look.color("water", 190))
        if fit.gap_mm > 0:
            gap = QRectF(left, at.lid, right - left, pad.top() - at.lid)
            painter.fillRect(gap, look.color("brick", 50))
            painter.setPen(QPen(look.color("brick"), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(gap)
        elif fit.bends:
            painter.setPen(QPen(look.color("brick"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(pad)
        if self._mended is not None and self._mended.layout.pad_fit is not None:
            painter.setPen(self.dashed("moss", 1.8))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            thick = self._mended.layout.pad_fit.thickness_mm * at.px_per_mm
            painter.drawRect(QRectF(left - 4, at.chips - thick, right - left + 8, thick))

    def _stream(
        self, painter: QPainter, at: _Heights, made: Build, middle: float, plug: float
    ) -> None:
        """The heat: up into the lid, down through the plug, as wide as its watts."""
        heat, look = made.heat, self.look
        if heat is None:
            return
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color("water", 120))
        most = min(middle - _LABEL_PX, self.width() - _PLOT_PX - 24 - middle) / 1.5
        up = max(heat.up_w * _W_PX, 2.0)
        spread = min(max(up * 2.4, 12.0), most)
        spreader = at.lid - _SPREADER_MM * at.px_per_mm
        painter.drawPolygon(QPolygonF([
            QPointF(middle - up / 2, at.chips), QPointF(middle - up / 2, at.lid),
            QPointF(middle - spread, spreader), QPointF(middle - spread * 1.5, at.top),
            QPointF(middle + spread * 1.5, at.top), QPointF(middle + spread, spreader),
            QPointF(middle + up / 2, at.lid), QPointF(middle + up / 2, at.chips),
        ]))  # fmt: skip
        down = max(heat.down_w * _W_PX, 2.0)
        painter.drawRect(QRectF(plug - down / 2, at.board, down, at.base - at.board - 6))
        numbers = self.look.numbers
        for watts, x, y in (
            (heat.up_w, middle - 30, spreader - 18),
            (heat.down_w, plug - 30, at.carrier + 2),
        ):
            text = f"{numbers.number(watts, 2)} W"
            box = QRectF(x, y, 60, 15)
            self.write(painter, box, text, size_px=12, weight=600,
                       align=Qt.AlignmentFlag.AlignHCenter)  # fmt: skip

    def _posts(
        self, painter: QPainter, at: _Heights, x0: float, across: float, length: float,
        posts: tuple[float, ...],
    ) -> None:  # fmt: skip
        numbers = self.look.numbers
        for post in sorted({*posts, length}):
            is_there, is_used = post in posts, post == length
            x = x0 + post * across
            color = "ink" if is_there and is_used else ("soft" if is_there else "brick")
            pole = QRectF(x - 3, at.board, 6, at.carrier - at.board)
            if is_used and is_there:
                painter.fillRect(pole, self.look.color("ink", 150))
            elif is_used:
                painter.setPen(self.dashed("brick", 1.6))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(pole)
            painter.setPen(QPen(self.look.color(color), 1.2))
            painter.drawLine(QPointF(x, at.carrier), QPointF(x, at.carrier + 5))
            self.write(
                painter,
                QRectF(x - 34, at.base + 3, 68, 15),
                f"{numbers.number(post, 0)} mm" if is_used else numbers.number(post, 0),
                size_px=12,
                weight=600 if is_used else 400,
                color="ink" if is_used and is_there else ("soft" if is_there else "brick_text"),
                align=Qt.AlignmentFlag.AlignHCenter,
            )

    def _labels(self, painter: QPainter, at: _Heights, made: Build) -> None:
        numbers, path = self.look.numbers, made.path
        resists = {step.name: step.k_per_w for step in path.steps} if path else {}
        layout = made.layout

        def k_per_w(name: str) -> str:
            value = resists.get(name)
            return f" · {numbers.number(value, 1)} K/W" if value is not None else ""

        inside, size = layout.enclosure.inside, layout.drive.size
        pad = layout.pad_mm
        above = inside.above_mm if inside else None
        top = size.top_mm if size else None
        rows = (
            ("Lid and spreader", f"{_mm(above, numbers)} up{k_per_w('spreader')}", 0.0),
            ("Pad" if pad else "No pad", f"{_mm(pad, numbers)}{k_per_w('pad')}", 0.0),
            ("Module", f"up {_mm(top, numbers)}{k_per_w('chips')}", 0.0),
            ("Under it", f"{_mm(inside.under_mm if inside else None, numbers)} free", 0.0),
            ("Base", layout.enclosure.material or "", 0.0),
        )  # fmt: skip
        step = max((at.base - at.top) / len(rows), _ROW_PX)
        for number, (name, text, _) in enumerate(rows):
            top_px = at.top + number * step
            self.write(painter, QRectF(0, top_px, _LABEL_PX - 8, 17), name, weight=600)
            self.write(painter, QRectF(0, top_px + 16, _LABEL_PX - 8, 15), text, size_px=12,
                       color="soft")  # fmt: skip

    # °C against height

    def _warmth(self, painter: QPainter, at: _Heights, made: Build) -> None:
        heat, look, numbers = made.heat, self.look, self.look.numbers
        plot = QRectF(self.width() - _PLOT_PX, at.top, _PLOT_PX - 12, at.base - at.top)
        painter.fillRect(plot, look.color("ground", 140))
        if heat is None:
            text = "°C by layer, once it fits and a camera records to it"
            lines = broken(text, plot.width() - 12, font(12, condensed=True), 4)
            inside = plot.adjusted(6, 6, -6, 0)
            self.write_lines(painter, inside, lines, 15, color="soft")
            return
        chain = made.chain
        behaviour = chain.parts.drive.behaviour if chain else None
        stages = [stage.on_c for stage in behaviour.throttle] if behaviour else []
        low = min(heat.case_c, 24.0) - 4
        high = max([heat.chips_c, *stages[:1], heat.case_c + 20]) + 6

        def x(celsius: float) -> float:
            return plot.left() + (celsius - low) / (high - low) * plot.width()

        for on_c in stages[:1]:
            painter.setPen(self.dashed("brick", 1.2))
            painter.drawLine(QPointF(x(on_c), plot.top()), QPointF(x(on_c), plot.bottom()))
            self.write(painter, QRectF(x(on_c) - 70, plot.top() + 1, 66, 15),
                       f"slows at {numbers.number(on_c, 0)}", size_px=12, color="brick_text",
                       align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
        points = [QPointF(x(heat.case_c), plot.top()), QPointF(x(heat.case_c), at.lid)]
        y, span = at.chips, at.chips - at.lid
        turns = [QPointF(x(heat.chips_c), at.chips)]
        thick = {"pad": 0.0, "air": 0.0}
        if (fit := made.layout.pad_fit) is not None and span > 0:
            thick = {"pad": fit.thickness_mm * at.px_per_mm, "air": fit.gap_mm * at.px_per_mm}
        for layer in heat.layers:
            y -= thick.get(layer.name, 0.0)
            turns.append(QPointF(x(layer.above_c), y))
        points += reversed(turns)
        points += [QPointF(x(heat.chips_c), at.board), QPointF(x(heat.case_c), at.carrier),
                   QPointF(x(heat.case_c), plot.bottom())]  # fmt: skip
        is_hot = bool(stages) and heat.chips_c >= stages[0] - 0.5
        painter.setPen(QPen(look.color("brick" if is_hot else "copper"), 2.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        self.place(plot, "stack")
        self.write(painter, QRectF(x(heat.chips_c) - 74, at.board - 12, 62, 20),
                   f"{numbers.number(heat.chips_c, 0)} °C", size_px=15, weight=600,
                   color="brick_text" if is_hot else "ink",
                   align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
        self.write(painter, QRectF(x(heat.case_c) + 4, plot.top() + 18, 80, 15),
                   f"{numbers.number(heat.case_c, 0)} °C case", size_px=12)  # fmt: skip
        self.write(painter, QRectF(plot.left(), plot.bottom() + 3, plot.width(), 15),
                   f"hottest after {numbers.duration(round(heat.at_s))}", size_px=12,
                   color="soft", align=Qt.AlignmentFlag.AlignHCenter)  # fmt: skip

    # What doesn't fit, at its place

    @staticmethod
    def _misfits(made: Build) -> list[Fit]:
        """Return what stands at a place of the drawing and doesn't fit, from the top down."""
        order = list(_PLACES)
        found = [
            fit for fit in made.checks
            if fit.kind in _PLACES and fit.verdict is not Verdict.HOLDS
            and (fit.verdict is not Verdict.NOT_KNOWN or fit.kind is FitKind.GAP)
        ]  # fmt: skip
        return sorted(found, key=lambda fit: order.index(fit.kind))[:_MOST_CALLOUTS]

    def _callouts(self, painter: QPainter, at: _Heights, right: float, made: Build) -> None:
        """Under the drawing, each with a line to its place."""
        found = self._misfits(made)
        if not found:
            return
        places = {
            FitKind.GAP: QPointF(right - 60, (at.lid + at.chips) / 2),
            FitKind.PRESSED: QPointF(right - 60, (at.lid + at.chips) / 2),
            FitKind.UNDER: QPointF(right - 40, at.board + 4),
            FitKind.LENGTH: QPointF(right, at.carrier - 4),
        }
        plug = QPointF(_LABEL_PX + 14, at.board - 4)
        room = self.width() - _LABEL_PX
        width = min(room / len(found) - 8, 420.0)
        top = at.base + 24
        for number, fit in enumerate(found):
            box = QRectF(_LABEL_PX + number * (width + 8), top, width, 0)
            place = places.get(fit.kind, plug)
            painter.setPen(QPen(self.look.verdict_color(fit.verdict), 1.2))
            painter.drawLine(QPointF(box.right() - 20, top), QPointF(place.x(), place.y()))
            painter.setBrush(self.look.verdict_color(fit.verdict))
            painter.drawEllipse(place, 3, 3)
            self.callout(painter, box, fit)

    # A closed disk in its bay

    def _disk(self, painter: QPainter, made: Build) -> None:
        look, numbers = self.look, self.look.numbers
        inside, size = made.layout.enclosure.inside, made.layout.drive.size
        bay = inside.body_mm if inside else None
        body = size.body_mm if size else None
        highest = max(bay or 0.0, body or 0.0, 7.0) + 4.0
        scale = (self.height() - 60) / highest
        area = QRectF(_LABEL_PX, 30, self.width() - _LABEL_PX - _PLOT_PX, self.height() - 60)
        walls = QRectF(area.left(), area.bottom() - ((bay or 0.0) + 4) * scale, area.width(),
                       ((bay or highest - 4) + 4) * scale)  # fmt: skip
        painter.fillRect(walls, look.color("stone"))
        if bay is not None:
            hole = walls.adjusted(8, 2 * scale, -8, -2 * scale)
            painter.fillRect(hole, look.color("panel"))
        is_short = body is not None and bay is not None and body > bay
        if body is not None:
            disk = QRectF(area.left() + 22, walls.bottom() - (2 + body) * scale,
                          area.width() * 0.8, body * scale)  # fmt: skip
            painter.fillRect(disk, look.color("brick" if is_short else "soft", 190))
            self.write(painter, disk.adjusted(12, 0, -12, 0), f"{_mm(body, numbers)} high",
                       size_px=15, weight=600, color="on_copper")  # fmt: skip
        self.write(painter, QRectF(0, walls.top(), _LABEL_PX - 8, 17), "Case", weight=600)
        self.write(painter, QRectF(0, walls.top() + 17, _LABEL_PX - 8, 15),
                   f"bay {_mm(bay, numbers)}", size_px=12, color="soft")  # fmt: skip
        top = 34.0
        for fit in made.checks:
            if fit.verdict is not Verdict.HOLDS:
                box = QRectF(self.width() - 340, top, 326, 0)
                top = self.callout(painter, box, fit) + 6


def _chips(length_mm: float) -> list[tuple[float, float]]:
    """Return where chips sit along a module, in mm from its connector: as many as there is room."""
    found: list[tuple[float, float]] = []
    left = _FIRST_CHIP_MM
    while left + _CHIP_MM <= length_mm - 4 or not found:
        found.append((left, left + _CHIP_MM))
        left += _CHIP_MM + _CHIP_APART_MM
    return found


def _mm(value: float | None, numbers: NumberFormat) -> str:
    return "not known" if value is None else measure_text(value, numbers)
