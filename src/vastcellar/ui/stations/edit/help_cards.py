"""What would help the store, a card a change; the last one would not."""

from __future__ import annotations

from vastcellar.services.edit.edit_planning import PlannedStore
from vastcellar.services.edit.edit_wording import help_lines, help_title
from vastcellar.services.edit.helping import Help
from vastcellar.ui.look import Look
from vastcellar.ui.widgets.change_card import CardText, ChangeCard


class HelpCard(ChangeCard):
    """One change and the streams that come of it."""

    def __init__(self, look: Look, help_: Help, before: PlannedStore) -> None:
        verdict, does, price = help_lines(help_, before, look.numbers)
        text = CardText(
            help_title(help_),
            help_.planned.verdict,
            verdict,
            does,
            is_gain=help_.helps,
            price=price if help_.helps else f"would not help: {price}",
            is_warning=not help_.helps,
        )
        super().__init__(look, help_, text, can_take=True)
