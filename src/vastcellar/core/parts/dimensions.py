"""Measures of parts in millimetres: modules, the inside of cases, pads. None is not known.

Sources: PCI Express M.2 specification (22 mm wide, board 0.8 mm, component heights S1 to D5);
CFexpress specification (type A 20 x 28 x 2.8 mm, B 38.5 x 29.8 x 3.8 mm).
"""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.checks import require_above_zero, require_not_negative
from vastcellar.core.errors import BadValueError

M2_LENGTHS_MM = (30.0, 42.0, 60.0, 80.0, 110.0)
M2_WIDTH_MM = 22.0
M2_BOARD_MM = 0.8
M2_KEYS = ("M", "B", "B+M")
M2_HEIGHTS_MM = {
    "S1": (1.20, 0.0), "S2": (1.35, 0.0), "S3": (1.50, 0.0),
    "D1": (1.20, 1.35), "D2": (1.35, 1.35), "D3": (1.50, 1.35),
    "D4": (1.50, 0.70), "D5": (1.50, 1.50),
}  # fmt: skip
"""Highest parts above and below the board, by the code of the specification."""


def m2_length_mm(form: str) -> float | None:
    """Return the length that an M.2 form such as "2280" or "22110" names; None for another."""
    if not form.startswith("22") or not form[2:].isdigit():
        return None
    length = float(form[2:])
    return length if length in M2_LENGTHS_MM else None


@dataclass(frozen=True, slots=True)
class DriveSize:
    """A bare drive by its measures."""

    key: str = ""
    """How an M.2 connector is notched: "M", "B" or "B+M"; "" where it isn't known."""
    top_mm: float | None = None
    """Highest part above an M.2 board, its own heatsink included."""
    bottom_mm: float | None = None
    """Highest part below it; 0 for a module with chips on one side."""
    chip_area_mm2: float | None = None
    """Of the chips on top: heat goes through them, and not through the whole module."""
    body_mm: float | None = None
    """Height of a closed body, such as 7 of a 2.5 inch drive."""

    def __post_init__(self) -> None:
        where = "size of a drive"
        if self.key and self.key not in M2_KEYS:
            raise BadValueError(
                f"{self.key!r} is no notch", where=where, mend=f"Use {', '.join(M2_KEYS)}"
            )
        for name in ("top_mm", "bottom_mm"):
            if (value := getattr(self, name)) is not None:
                require_not_negative(where, **{name: value})
        for name in ("chip_area_mm2", "body_mm"):
            if (value := getattr(self, name)) is not None:
                require_above_zero(where, **{name: value})


@dataclass(frozen=True, slots=True)
class Screws:
    """Screws of one size, and how many of them."""

    size: str
    count: int

    def __post_init__(self) -> None:
        require_above_zero(f"screws {self.size!r}", count=self.count)


@dataclass(frozen=True, slots=True)
class CaseInside:
    """What a case has room for."""

    posts_mm: tuple[float, ...] = ()
    """Where a module can be fixed, as lengths of modules; () where it isn't known."""
    slot_key: str = ""
    """"M" or "B"; "" where it isn't known."""
    under_mm: float | None = None
    """Free under the board."""
    above_mm: float | None = None
    """From the upper face of the board to the heat spreader, or to the lid where there is none."""
    pad_mm: float | None = None
    """Of the pad that comes with it; 0 where none does."""
    pad_w_per_mk: float | None = None
    """Conductivity of that pad."""
    body_mm: float | None = None
    """Height of the bay for a closed drive."""
    width_mm: float | None = None
    """Clear width, where a module may be too wide for it, as for a small card's shell."""
    spreader_k_per_w: float | None = None
    """From the pad into the whole of the case: metal takes heat on well, bare plastic hardly."""
    screws: tuple[Screws, ...] = ()
    opens_again: bool = True
    """False for a shell that is glued or snapped for good."""
    splash: str = ""
    """Its rating against water and dust, such as "IP55"; "" for none."""

    def __post_init__(self) -> None:
        where = "inside of a case"
        if self.slot_key and self.slot_key not in ("M", "B"):
            raise BadValueError(
                f"{self.slot_key!r} is no key of a slot", where=where, mend="Use M or B"
            )
        for name in ("under_mm", "above_mm", "pad_mm"):
            if (value := getattr(self, name)) is not None:
                require_not_negative(where, **{name: value})
        for name in ("pad_w_per_mk", "body_mm", "width_mm", "spreader_k_per_w"):
            if (value := getattr(self, name)) is not None:
                require_above_zero(where, **{name: value})


@dataclass(frozen=True, slots=True)
class Pad:
    """A thermal pad to buy."""

    key: str
    name: str
    thickness_mm: float
    w_per_mk: float
    price: float = 0.0
    source: str = "typical of its class; an invented part"
    delivery_days: float | None = None
    """Until it is there when it is ordered; None where nobody knows."""

    def __post_init__(self) -> None:
        where = f"pad {self.key!r}"
        require_above_zero(where, thickness_mm=self.thickness_mm, w_per_mk=self.w_per_mk)
        require_not_negative(where, price=self.price, delivery_days=self.delivery_days or 0.0)


@dataclass(frozen=True, slots=True)
class BadPair:
    """Two parts that are known not to work together."""

    key: str
    one: str
    """Key of a drive, case, cable or host."""
    other: str
    what: str
    """What happens, in a few words."""
    source: str = "invented, as an example of its kind"
