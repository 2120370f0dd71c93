"""The inputs of the whole shoot: name, days, hours of a day, room."""

from __future__ import annotations

from dataclasses import replace

from vastcellar.core.units import NumberFormat, parse_temperature, parse_time_of_day
from vastcellar.ui.widgets.field_set import FieldSet
from vastcellar.ui.widgets.inputs import parse_whole, plain_text


class ShootForm(FieldSet):
    """Shows a Shoot and hands back the changed one."""

    def __init__(self, numbers: NumberFormat) -> None:
        super().__init__(numbers)
        self.add("Shoot", plain_text, str, lambda s: s.name, lambda s, v: replace(s, name=v))
        self.add("Days", parse_whole, str, lambda s: s.days, lambda s, v: replace(s, days=v))
        self.add(
            "From",
            parse_time_of_day,
            numbers.time_of_day,
            lambda s: s.day_start_s,
            lambda s, v: replace(s, day_start_s=v),
        )
        self.add(
            "To",
            parse_time_of_day,
            numbers.time_of_day,
            lambda s: s.day_end_s,
            lambda s, v: replace(s, day_end_s=v),
            tip="A night shoot may end at 28:00",
        )
        self.add(
            "Room",
            parse_temperature,
            numbers.temperature,
            lambda s: s.ambient_c,
            lambda s, v: replace(s, ambient_c=v),
        )
