"""Who edits when, drawn through the day, and how busy that keeps the store."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen

from vastcellar.core.edit.editors import DAY_S, Desk, Spell, day_begins_s
from vastcellar.services.edit.edit_planning import PlannedStore
from vastcellar.services.edit.edit_sums import HOURS_SUM
from vastcellar.services.edit.edit_wording import desk_text, spell_line, used_name
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_LEFT_PX, _RIGHT_PX, _ROW_PX, _BAR_PX = 96.0, 14.0, 36.0, 11.0
_LEAST_LOAD_PX, _HOURS_PX = 120.0, 20.0
_TOP_SHARE = 1.3
"""The line of what can be given lies below the top: more than all is seen as more."""
_HOUR_S = 3600.0
_RIGHT, _CENTRE = Qt.AlignmentFlag.AlignRight, Qt.AlignmentFlag.AlignHCenter


class HoursView(Picture):
    """A row an editor, with a bar from coming to going; under them the load, spell by spell."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._planned: PlannedStore | None = None
        self._desks: tuple[Desk, ...] = ()
        self.setAccessibleName("Editors through the day")

    def sizeHint(self) -> QSize:
        return QSize(820, 380)

    def show_store(self, planned: PlannedStore | None, desks: tuple[Desk, ...]) -> None:
        """Show how *desks* keep *planned* busy; None, or nobody, for nothing."""
        self._planned, self._desks = planned, desks
        spells = planned.spells if planned else ()
        told = [spell_line(each, self.look.numbers) for each in spells]
        self.setAccessibleDescription(". ".join(told))
        self.setToolTip("\n".join(told))
        least = _ROW_PX * len(desks) + _LEAST_LOAD_PX + _HOURS_PX
        self.setMinimumHeight(round(least) if desks else 160)
        self.update()

    def paint(self, painter: QPainter) -> None:
        planned = self._planned
        if planned is None:
            return
        if not self._desks or not planned.spells:
            words = "Nobody is named: what is asked at once is what the ladder says."
            self.write(painter, QRectF(4, 6, self.width() - 8, 20), words, color="soft")
            return
        begins_s = day_begins_s(self._desks)
        pieces = [each.pieces(begins_s) for each in self._desks]
        edges = [at_s for some in pieces for piece in some for at_s in piece]
        start_s = math.floor(min(edges) / _HOUR_S) * _HOUR_S
        end_s = math.ceil(max(edges) / _HOUR_S) * _HOUR_S
        wide = self.width() - _LEFT_PX - _RIGHT_PX

        def x(at_s: float) -> float:
            return _LEFT_PX + wide * (at_s - start_s) / (end_s - start_s)

        for number, desk in enumerate(self._desks):
            bars = [(x(comes_s), x(goes_s)) for comes_s, goes_s in pieces[number]]
            self._desk(painter, desk, number * _ROW_PX, bars)
        top = _ROW_PX * len(self._desks) + 26
        plot = QRectF(_LEFT_PX, top, wide, self.height() - _HOURS_PX - top)
        self._load(painter, planned, plot, x)
        painter.setPen(QPen(self.look.color("line"), 1))
        painter.drawLine(plot.bottomLeft(), plot.bottomRight())
        hours = (end_s - start_s) / _HOUR_S
        step = next((n for n in (1, 2, 3, 4, 6, 12) if wide / hours * n > 54), 24)
        for hour in range(0, round(hours) + 1, step):
            at_s = start_s + hour * _HOUR_S
            box = QRectF(x(at_s) - 24, plot.bottom() + 3, 48, 16)
            shown = self.look.numbers.time_of_day(at_s % DAY_S)
            self.write(painter, box, shown, size_px=12, color="soft", align=_CENTRE)

    def _desk(
        self, painter: QPainter, desk: Desk, top: float, bars: list[tuple[float, float]]
    ) -> None:
        """Draw one editor's row: what goes on there stands above the bar."""
        left, right = bars[0]
        look = self.look
        name = QRectF(0, top + 14, _LEFT_PX - 8, 18)
        self.write(painter, name, desk.name, weight=600, align=_RIGHT, may_cut=True)
        words = QRectF(left, top + 1, max(right - left, self.width() - left - 4), 17)
        self.write(painter, words, desk_text(desk, look.numbers), size_px=12, color="soft",
                   may_cut=True)  # fmt: skip
        painter.setPen(QPen(look.color("ink"), 1.1))
        painter.setBrush(look.color("water", 210))
        for begin, end in bars:
            painter.drawRoundedRect(QRectF(begin, top + 19, end - begin, _BAR_PX), 3, 3)

    def _load(self, painter: QPainter, planned: PlannedStore, plot: QRectF, x: object) -> None:
        look, numbers = self.look, self.look.numbers
        assert callable(x)
        most = max(*(each.limit.share for each in planned.spells), _TOP_SHARE)
        most = min(most, _TOP_SHARE * 2)
        head = f"Of what {used_name(planned.spells[0].limit)} gives"
        limits = {used_name(each.limit) for each in planned.spells}
        head = head if len(limits) == 1 else "Of what gives least at that time"
        self.write(painter, QRectF(_LEFT_PX, plot.top() - 22, plot.width(), 18), head, weight=600)
        if any(each.limit.beside_share for each in planned.spells):
            key = QRectF(plot.right() - 150, plot.top() - 18, 11, 11)
            painter.setPen(QPen(look.color("ink"), 1))
            painter.setBrush(look.color("stone"))
            painter.drawRect(key)
            words = QRectF(key.right() + 6, plot.top() - 22, 134, 18)
            self.write(painter, words, "sound and work beside", size_px=12, color="soft")

        def y(share: float) -> float:
            return plot.bottom() - plot.height() * min(share, most) / most

        for spell in planned.spells:
            box = QRectF(x(spell.start_s) + 1, y(spell.limit.share),
                         x(spell.end_s) - x(spell.start_s) - 2, 0)  # fmt: skip
            box.setBottom(plot.bottom())
            within = QRectF(box.left(), max(box.top(), y(1.0)), box.width(), 0)
            within.setBottom(plot.bottom())
            painter.fillRect(within, look.color("water", 200))
            beside = QRectF(within)
            beside.setTop(max(y(min(spell.limit.beside_share, 1.0)), within.top()))
            painter.fillRect(beside, look.color("stone"))
            if spell.limit.share > 1:
                painter.fillRect(QRectF(box.left(), box.top(), box.width(), y(1.0) - box.top()),
                                 look.color("brick", 220))  # fmt: skip
            self._told(painter, spell, box, plot)
            self.place(QRectF(box.left(), plot.top(), box.width(), plot.height()), HOURS_SUM)
        painter.setPen(QPen(look.color("copper"), 2))
        painter.drawLine(QPointF(plot.left(), y(1.0)), QPointF(plot.right(), y(1.0)))
        mark = QRectF(0, y(1.0) - 9, _LEFT_PX - 8, 18)
        self.write(painter, mark, numbers.percent(1.0), weight=600, color="copper_text",
                   align=_RIGHT)  # fmt: skip

    def _told(self, painter: QPainter, spell: Spell, box: QRectF, plot: QRectF) -> None:
        """Write the share over the column, beside it where the column reaches the top."""
        numbers = self.look.numbers
        is_held = spell.is_held
        color = "ink" if is_held else "brick_text"
        above = QRectF(box.left() - 6, max(box.top() - 18, plot.top() - 4), box.width() + 12, 17)
        if box.top() - 18 < plot.top() - 4:
            above.moveTop(box.top() + 2)
            color = "panel" if not is_held else "ink"
        words = numbers.percent(spell.limit.share)
        if not is_held and box.width() > 120:
            words += f", {numbers.number(spell.late_frames_per_minute, 0)} late a minute"
        self.write(painter, above, words, size_px=12, weight=600, color=color, align=_CENTRE,
                   may_cut=True)  # fmt: skip
