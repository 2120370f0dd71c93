"""What would help the day, a card a change."""

from __future__ import annotations

from vastcellar.core.roll.levers import Pulled
from vastcellar.services.roll.day_wording import lever_lines, lever_title, waits_verdict
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.change_card import CardText, ChangeCard


class LeverCard(ChangeCard):
    """One change and the day that comes of it."""

    def __init__(self, look: Look, pulled: Pulled, *, can_take: bool) -> None:
        waits, home, price = lever_lines(pulled, look.numbers)
        text = CardText(
            lever_title(pulled, look.numbers),
            waits_verdict(pulled.run),
            waits,
            home,
            is_gain=pulled.home_earlier_s >= 60,
            price=price,
            is_warning=pulled.is_a_risk,
        )
        super().__init__(look, pulled, text, can_take=can_take)
        self.pulled = pulled
