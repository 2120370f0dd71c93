"""A codec of one's own: how its rate follows, how it peaks, how far it ranges."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from operator import attrgetter

from PySide6.QtWidgets import QWidget

from vastcellar.core.shoot.formats import SAMPLES_A_PIXEL, CodecFamily, Quality, RateRule
from vastcellar.core.units import NumberFormat, parse_number, parse_share
from vastcellar.services.workplace.own_catalog import own_key
from vastcellar.ui.stations.shoot.format_fields import parse_ratio
from vastcellar.ui.widgets.field_dialog import FieldDialog
from vastcellar.ui.widgets.inputs import plain_text

_RULES = {
    RateRule.RATIO: "by a ratio N:1",
    RateRule.BITS_PER_PIXEL: "by bits a pixel",
    RateRule.MENU_RATE: "by a rate of its menu",
}
_STANDARD = Quality("standard", "standard", 2.37)


def _with_rule(codec: CodecFamily, rule: RateRule) -> CodecFamily:
    qualities = (_STANDARD,) if rule is RateRule.BITS_PER_PIXEL else ()
    return replace(codec, rule=rule, qualities=qualities)


_NEW = CodecFamily("own-codec", "My codec", RateRule.RATIO, (), 1.3, "entered by the user")


class OwnCodecDialog(FieldDialog):
    """Asks for a codec; ``value`` is what was entered."""

    def __init__(
        self,
        parent: QWidget,
        numbers: NumberFormat,
        keep: Callable[[CodecFamily], None] | None = None,
    ) -> None:
        hint = "It is kept in your catalog, for every shoot."
        super().__init__(parent, numbers, "A codec of your own", hint, _NEW, keep)
        self.fields.add(
            "Name",
            plain_text,
            str,
            lambda c: c.name,
            lambda c, v: replace(c, name=v, key=own_key(v)),
        )
        self.fields.add_choice(
            "Its rate follows",
            lambda _: [(rule.value, words) for rule, words in _RULES.items()],
            lambda c: c.rule.value,
            lambda c, key: _with_rule(c, RateRule(key)),
        )
        self._sampling = self.fields.add_choice(
            "Sampling",
            lambda _: [(name, name) for name in SAMPLES_A_PIXEL],
            lambda c: c.samplings[0],
            lambda c, key: replace(c, samplings=(key,)),
        )
        self._ratio = self.fields.add(
            "Usual ratio",
            parse_ratio,
            lambda v: f"{numbers.number(v)}:1",
            lambda c: c.typical_ratio,
            lambda c, v: replace(c, typical_ratio=v),
        )
        self._bits = self.fields.add(
            "Bits a pixel",
            parse_number,
            lambda v: numbers.number(v, 3),
            lambda c: c.qualities[0].bits_per_pixel if c.qualities else 0.0,
            lambda c, v: replace(c, qualities=(replace(_STANDARD, bits_per_pixel=v),)),
        )
        self.fields.add(
            "Crest factor",
            parse_number,
            numbers.number,
            lambda c: c.typical_crest,
            lambda c, v: replace(c, typical_crest=v),
            tip="Worst second over average",
        )
        self._add_share("An easy picture", "easy_share")
        self._add_share("A hard picture", "hard_share")
        self.show_value()

    def _add_share(self, name: str, attribute: str) -> None:
        self.fields.add(
            name,
            parse_share,
            self.fields.numbers.percent,
            attrgetter(attribute),
            lambda codec, share: replace(codec, **{attribute: share}),
            tip="Its average as a share of the nominal rate",
        )

    def show_value(self) -> None:
        super().show_value()
        rule, form = self.value.rule, self.fields.form
        form.setRowVisible(self._sampling, rule is RateRule.RATIO)
        form.setRowVisible(self._ratio, rule is RateRule.RATIO)
        form.setRowVisible(self._bits, rule is RateRule.BITS_PER_PIXEL)
