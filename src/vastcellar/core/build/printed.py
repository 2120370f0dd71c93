"""The printed mount of a magazine: a plastic that stays hard on the hot case, grams and hours."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.checks import require_above_zero

STAY_BELOW_K = 15.0
"""A part under load creeps well before its plastic softens (typical)."""
IN_THE_SUN_C = 60.0
"""What lies in a closed car in the sun gets so warm, switched off (typical)."""
_WALL_MM = 2.4
"""Six lines of a 0.4 mm nozzle: what a mount is usually printed with (typical)."""
_FLOW_MM3_PER_S = 5.0
"""Small parts with many turns print at half of what a nozzle melts (typical)."""


@dataclass(frozen=True, slots=True)
class Plastic:
    """A plastic for printing, with typical figures of its kind."""

    name: str
    softens_c: float
    """The lower end of what is usual."""
    density_g_per_cm3: float
    price_per_kg: float


PLASTICS = (
    Plastic("PETG", 75.0, 1.27, 24.0),
    Plastic("ASA", 100.0, 1.07, 30.0),
)
"""The easiest to print first; where the last one is too soft, print none. No PLA: it softens at
55 °C, which every case gets to that lies in the sun."""


@dataclass(frozen=True, slots=True)
class MountPart:
    """What a mount needs beside its plastic, in one size."""

    name: str
    count: int
    price: float
    """Of all of them (typical)."""


MOUNT_PARTS = (
    MountPart("heat-set insert M3 x 5.7", 4, 1.0),
    MountPart("screw M3 x 8", 4, 0.5),
    MountPart("compression spring 6 x 15 mm for the latch", 1, 0.8),
)
"""Inserts, because a thread cut into plastic is worn out by the third magazine."""


@dataclass(frozen=True, slots=True)
class PrintedMount:
    """The sleeve that the case slides into, open at one end."""

    plastic: Plastic
    mass_g: float
    print_s: float

    @property
    def price(self) -> float:
        """What goes into it."""
        return self.mass_g / 1000 * self.plastic.price_per_kg


def plastic_for(case_c: float | None) -> Plastic | None:
    """Return the easiest plastic for a case that gets to *case_c*; None where every one is soft.

    Where nobody knows how hot it gets, the one that stands the most.
    """
    if case_c is None:
        return PLASTICS[-1]
    warmest_c = max(case_c, IN_THE_SUN_C)
    hard = (each for each in PLASTICS if warmest_c <= each.softens_c - STAY_BELOW_K)
    return next(hard, None)


def printed_mount(size_mm: tuple[float, float, float], case_c: float | None) -> PrintedMount | None:
    """Return the mount round a case of *size_mm* (length, width, height).

    None where no plastic stays hard, or where the case was never measured. Raises BadValueError
    for a measure below 0. The volume is that of five walls: the sixth side is where it slides in.
    """
    plastic = plastic_for(case_c)
    if plastic is None or not all(size_mm):
        return None
    length, width, height = size_mm
    require_above_zero("case", length_mm=length, width_mm=width, height_mm=height)
    outside = (length + _WALL_MM) * (width + 2 * _WALL_MM) * (height + 2 * _WALL_MM)
    volume_mm3 = outside - length * width * height
    mass_g = volume_mm3 / 1000 * plastic.density_g_per_cm3
    return PrintedMount(plastic, mass_g, volume_mm3 / _FLOW_MM3_PER_S)
