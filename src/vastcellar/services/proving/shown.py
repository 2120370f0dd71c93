"""How a kind of test is shown: which picture, which figures. Said once, by the test itself."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


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


AS_TAKE = Shown(Picture.TRACE, Figures.RECORDER)
AS_FLAT = Shown(Picture.TRACE, Figures.FLAT)
AS_TURNS = Shown(Picture.TURNS, Figures.WORDS)
AS_PARTS = Shown(Picture.PARTS, Figures.WORDS)
AS_COPY = Shown(Picture.TRACE, Figures.WORDS)
