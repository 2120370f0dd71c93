"""A codec of one's own: how its rate follows, how it peaks, how far it ranges."""

from __future__ import annotations

from dataclasses import replace
from operator import attrgetter

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.formats import SAMPLES_A_PIXEL, CodecFamily, Quality, RateRule
from vastcellar.core.units import NumberFormat, parse_number, parse_share
from vastcellar.services.own_catalog import own_key
from vastcellar.ui.stations.shoot.format_fields import parse_ratio
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.field_set import FieldSet
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


class OwnCodecDialog(QDialog):
    """Asks for a codec; ``codec`` is what was entered."""

    def __init__(self, parent: QWidget, numbers: NumberFormat) -> None:
        super().__init__(parent)
        self.setWindowTitle("A codec of your own")
        self.codec = CodecFamily(
            "own-codec", "My codec", RateRule.RATIO, (), 1.3, "entered by the user"
        )
        self.fields = FieldSet(numbers)
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
        self.message = label(kind="wrong", wraps=True)
        self.message.setMinimumHeight(34)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(label("It is kept in your catalog, for every shoot.", "soft"))
        layout.addWidget(self.fields)
        layout.addWidget(self.message)
        layout.addWidget(buttons)
        self.fields.edited.connect(self._on_edited)
        self.fields.refused.connect(self._say)
        self._show()

    def _add_share(self, name: str, attribute: str) -> None:
        self.fields.add(
            name,
            parse_share,
            self.fields.numbers.percent,
            attrgetter(attribute),
            lambda codec, share: replace(codec, **{attribute: share}),
            tip="Its average as a share of the nominal rate",
        )

    def _on_edited(self, codec: CodecFamily, _what: str) -> None:
        self.codec = codec
        self._show()

    def _show(self) -> None:
        self.fields.show_value(self.codec)
        rule = self.codec.rule
        form = self.fields.form
        form.setRowVisible(self._sampling, rule is RateRule.RATIO)
        form.setRowVisible(self._ratio, rule is RateRule.RATIO)
        form.setRowVisible(self._bits, rule is RateRule.BITS_PER_PIXEL)

    def _say(self, error: VastCellarError | None) -> None:
        self.message.setText("" if error is None else str(error))
