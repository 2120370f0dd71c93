"""How a kind of test is shown: which picture, which figures. Said once, by the test itself."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.units import NumberFormat


class Picture(StrEnum):
    """What is drawn of a test; the value is its heading."""

    TRACE = "Trace"
    TURNS = "Turns"
    PARTS = "Parts"


class Figures(StrEnum):
    """Which figures stand above the picture."""

    RECORDER = "recorder"
    FLAT = "flat"
    WORDS = "words"
    """None: what came of it is said in words."""


@dataclass(frozen=True, slots=True)
class Shown:
    """The picture and the figures of a kind of test."""

    picture: Picture
    figures: Figures


class ShownTest:
    """What every kind of test says of itself to whoever shows it; a kind says what differs."""

    shown: Shown
    can_calibrate = False
    """Whether it shows how the unit writes, past what a burst does."""
    share_is_time = True
    """Whether the time left follows from the share that is done."""
    waits_for = ""
    """What somebody has to do now, "" for nothing."""

    def go_on(self) -> None:
        """Say that what it waits for is done."""

    def said_at_end(self, fmt: NumberFormat) -> str:
        """Return what a complete run came to, in a few words."""
        return "done"


AS_TAKE = Shown(Picture.TRACE, Figures.RECORDER)
AS_FLAT = Shown(Picture.TRACE, Figures.FLAT)
AS_TURNS = Shown(Picture.TURNS, Figures.WORDS)
AS_PARTS = Shown(Picture.PARTS, Figures.WORDS)
AS_COPY = Shown(Picture.TRACE, Figures.WORDS)
