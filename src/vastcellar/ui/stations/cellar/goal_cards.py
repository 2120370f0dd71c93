"""The four sets beside each other: what each weighs, costs and risks; one is chosen."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPen

from vastcellar.core.cellar.packing import Goal, Packing, copy_lost_chance
from vastcellar.core.evidence import Verdict
from vastcellar.services.cellar.packing import PackedShoot
from vastcellar.services.cellar.packing_wording import (
    GOAL_WORDS,
    mass_words,
    set_verdict,
    tight_needs,
)
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.picture import Picture

_HEIGHT_PX = 78
_COLORS = {Verdict.HOLDS: "moss_text", Verdict.TIGHT: "ochre_text",
           Verdict.FALLS_SHORT: "brick_text"}  # fmt: skip


class GoalCards(Picture):
    """Arrows and clicks choose one."""

    chosen = Signal(object)

    def __init__(self, look: Look, currency: str) -> None:
        super().__init__(look)
        self._packed: PackedShoot | None = None
        self._goal = Goal.LIGHTEST
        self._currency = currency
        self.setFixedHeight(_HEIGHT_PX)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Sets")
        self.asked.connect(lambda key: self.chosen.emit(Goal(key)))

    def show_sets(self, packed: PackedShoot | None, goal: Goal) -> None:
        """Show the sets of *packed*; the one of *goal* is chosen."""
        self._packed, self._goal = packed, goal
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(800, _HEIGHT_PX)

    def paint(self, painter: QPainter) -> None:
        if self._packed is None:
            return
        sets = self._packed.sets
        heaviest = max(each.mass_g for each in sets.values()) or 1.0
        dearest = max(each.price for each in sets.values())
        width = (self.width() - 3 * 10) / 4
        for number, (goal, packing) in enumerate(sets.items()):
            box = QRectF(number * (width + 10) + 1, 1, width - 2, _HEIGHT_PX - 2)
            self._card(painter, box, goal, packing, heaviest, dearest)
            self.place(box, goal.value)

    def _card(
        self, painter: QPainter, box: QRectF, goal: Goal, packing: Packing, heaviest: float,
        dearest: float,
    ) -> None:  # fmt: skip
        look, fmt, packed = self.look, self.look.numbers, self._packed
        assert packed is not None
        is_chosen = goal is self._goal
        painter.setPen(QPen(look.color("copper" if is_chosen else "line"), 2 if is_chosen else 1))
        painter.setBrush(look.color("panel"))
        painter.drawRoundedRect(box, 7, 7)
        inside = box.adjusted(10, 4, -10, -4)
        top = QRectF(inside.left(), inside.top(), inside.width(), 18)
        self.write(painter, top, GOAL_WORDS[goal], weight=600, size_px=13)
        verdict = set_verdict(packing)
        count = len(packing.tags)
        said = {
            Verdict.FALLS_SHORT: f"{len(packing.open_needs)} short",
            Verdict.TIGHT: f"{tight_needs(packing)} tight",
            Verdict.HOLDS: "holds",
        }.get(verdict, "")
        self.write(painter, top, f"{count} units · {said}", color=_COLORS[verdict], size_px=12,
                   align=Qt.AlignmentFlag.AlignRight)  # fmt: skip
        bar = inside.width() * 0.45
        for row, (share, text, color) in enumerate((
            (packing.mass_g / heaviest, mass_words(packing.mass_g, fmt), "ink"),
            (packing.price / dearest if dearest else 0.0,
             f"{fmt.number(packing.price, 0)} {self._currency} to buy", "water"),
        )):  # fmt: skip
            y = inside.top() + 20 + row * 14
            painter.fillRect(QRectF(inside.left(), y + 4, bar, 6), look.color("stone"))
            painter.fillRect(QRectF(inside.left(), y + 4, bar * share, 6), look.color(color))
            self.write(painter, QRectF(inside.left() + bar + 8, y, inside.width() - bar - 8, 14),
                       text, size_px=12, weight=600 if row == 0 else 400)  # fmt: skip
        chance = copy_lost_chance(packing, packed.task, packed.shoot.days)
        risk = f"1 in {fmt.number(1 / chance, 0)}" if chance else "no copy"
        last = QRectF(inside.left(), inside.bottom() - 14, inside.width(), 14)
        self.write(painter, last, "a copy loses a unit", color="soft", size_px=12)
        self.write(painter, last, risk, size_px=12, align=Qt.AlignmentFlag.AlignRight)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        goals = list(Goal)
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        at = min(max(goals.index(self._goal) + step, 0), len(goals) - 1)
        self.chosen.emit(goals[at])
