"""What stands on a unit's label: tag, capacity, file system, duty, and a code for its record."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import quote, unquote

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit
from vastcellar.core.units import NumberFormat

_SCHEME = "vastcellar:unit/"
LONGEST_DUTY = 40


@dataclass(frozen=True, slots=True)
class LabelSize:
    """One label, and how many of them lie on a sheet; millimetres."""

    key: str
    name: str
    width_mm: float
    height_mm: float
    columns: int = 0
    """Side by side on a sheet; 0 for labels that come one by one."""
    rows: int = 0
    apart_x_mm: float = 0.0
    """From the left edge of one to that of the next."""
    apart_y_mm: float = 0.0

    @property
    def on_a_sheet(self) -> int:
        """How many there are on one; 0 for single labels."""
        return self.columns * self.rows


LABEL_SIZES = (
    LabelSize("24x12", "24 x 12 mm, one by one", 24, 12),
    LabelSize("40x20", "40 x 20 mm, one by one", 40, 20),
    LabelSize("62x29", "62 x 29 mm, one by one", 62, 29),
    LabelSize("sheet-65", "38.1 x 21.2 mm, 65 on an A4 sheet", 38.1, 21.2, 5, 13, 40.6, 21.2),
    LabelSize("sheet-44", "48.5 x 25.4 mm, 44 on an A4 sheet", 48.5, 25.4, 4, 11, 48.5, 25.4),
    LabelSize("sheet-24", "70 x 37 mm, 24 on an A4 sheet", 70, 37, 3, 8, 70, 37),
    LabelSize("sheet-21", "63.5 x 38.1 mm, 21 on an A4 sheet", 63.5, 38.1, 3, 7, 66.0, 38.1),
)


@dataclass(frozen=True, slots=True)
class Label:
    """The texts of one label."""

    tag: str
    capacity: str
    file_system: str
    duty: str
    code: str
    """What its QR code says."""


def label_size(key: str) -> LabelSize:
    """Return the size called *key*. Raises BadValueError where there is none."""
    for size in LABEL_SIZES:
        if size.key == key:
            return size
    raise BadValueError(
        f"no label size is called {key!r}",
        where="size",
        mend=f"Use one of {', '.join(size.key for size in LABEL_SIZES)}",
    )


def _own_duty(unit: Unit) -> str:
    """What it went into service for; "" before, and for one that was refused."""
    decided = unit.acceptance
    return decided.duty if decided is not None and decided.is_in_service else ""


def label_of(
    unit: Unit, catalog: Catalog, fmt: NumberFormat, *, file_system: str = "", duty: str = ""
) -> Label:
    """Return the label of *unit*; of a drive that the catalog doesn't know without capacity.

    Raises BadValueError for a duty that is longer than a label, or can't be printed.
    """
    if len(duty) > LONGEST_DUTY or (duty and not duty.isprintable()):
        raise BadValueError(
            f"the duty has {len(duty)} characters, or some that can't be printed",
            where="label",
            mend=f"Give at most {LONGEST_DUTY} characters in one line",
        )
    drive = catalog.drives.get(unit.drive_key)
    return Label(
        tag=unit.tag,
        capacity=fmt.size(drive.capacity_bytes) if drive else "",
        file_system=file_system.strip(),
        duty=duty.strip() or _own_duty(unit),
        code=code_of(unit.tag),
    )


def code_of(tag: str) -> str:
    """Return what the code of a unit's label says."""
    return f"{_SCHEME}{quote(tag, safe='')}"


def tag_in(code: str) -> str | None:
    """Return the tag that a scanned *code* names; None where it is none of ours."""
    text = code.strip()
    return unquote(text.removeprefix(_SCHEME)) if text.startswith(_SCHEME) else None
