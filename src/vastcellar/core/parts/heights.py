"""What lies between chips and lid: how far a pad is pressed, what gap is left, which one to take.

A pad carries heat where it is pressed by a tenth to three tenths of its thickness: less barely
touches, more bends the board (typical). A gap of air conducts nothing worth having.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from vastcellar.core.parts.dimensions import Pad

LEAST_PRESSED, MOST_PRESSED = 0.10, 0.30
_FINE_MM = 1e-9


@dataclass(frozen=True, slots=True)
class PadFit:
    """A pad, or none, in the room between chips and lid."""

    room_mm: float
    """From the chips' top to what takes the heat on; below 0 the chips are higher than that."""
    pad_mm: float
    """As it is before it is pressed; 0 for none."""

    @property
    def gap_mm(self) -> float:
        """Air that is left."""
        return max(self.room_mm - self.pad_mm, 0.0)

    @property
    def pressed_share(self) -> float:
        """By which share of its thickness the pad is pressed; 0 where it doesn't touch."""
        if self.pad_mm <= 0:
            return 0.0
        return max((self.pad_mm - max(self.room_mm, 0.0)) / self.pad_mm, 0.0)

    @property
    def thickness_mm(self) -> float:
        """Of the pad as it lies there."""
        return min(self.pad_mm, max(self.room_mm, 0.0))

    @property
    def touches(self) -> bool:
        """Whether heat gets across without air between."""
        return self.gap_mm <= _FINE_MM

    @property
    def bends(self) -> bool:
        """Whether it is pressed further than a board bears."""
        return self.room_mm < -_FINE_MM or self.pressed_share > MOST_PRESSED + _FINE_MM

    @property
    def is_loose(self) -> bool:
        """Whether a pad touches, but hardly."""
        return self.touches and self.pad_mm > 0 and self.pressed_share < LEAST_PRESSED - _FINE_MM

    @property
    def is_right(self) -> bool:
        """Whether a pad is pressed as it should be."""
        return self.pad_mm > 0 and self.touches and not self.bends and not self.is_loose


def right_pad_mm(room_mm: float) -> tuple[float, float]:
    """Return the thinnest and the thickest pad that is pressed as it should be."""
    room = max(room_mm, 0.0)
    return room / (1 - LEAST_PRESSED), room / (1 - MOST_PRESSED)


def pads_for(room_mm: float, pads: Iterable[Pad]) -> tuple[Pad, ...]:
    """Return the *pads* that are right for *room_mm*, best conductor first.

    Of the same conductivity the one pressed nearest to the middle of what is right, then the
    cheapest.
    """
    right = [pad for pad in pads if PadFit(room_mm, pad.thickness_mm).is_right]
    middle = (LEAST_PRESSED + MOST_PRESSED) / 2

    def order(pad: Pad) -> tuple[float, float, float, str]:
        off = abs(PadFit(room_mm, pad.thickness_mm).pressed_share - middle)
        return -pad.w_per_mk, round(off, 6), pad.price, pad.key

    return tuple(sorted(right, key=order))
