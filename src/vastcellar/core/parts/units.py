"""The units that stand on the shelf: what each is, how full, how worn, whether it is free."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from vastcellar.core.checks import require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.acceptance import Acceptance
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.parts import Drive, WriteBehaviour

LONGEST_TAG = 40


@dataclass(frozen=True, slots=True)
class Slowed:
    """What a unit writes since its own runs found it slower than it was."""

    bytes_per_s: float
    was_bytes_per_s: float
    since: datetime
    is_simulated: bool = False


@dataclass(frozen=True, slots=True)
class Unit:
    """One thing on the shelf, with its tag."""

    tag: str
    drive_key: str
    enclosure_key: str = ""
    written_bytes: float = 0.0
    used_bytes: float = 0.0
    state: str = "ready"
    """"ready", "on loan", "in doubt" or "retired"."""
    note: str = ""
    fitted: WriteBehaviour | None = None
    """How it writes by its own runs; None where it was never calibrated."""
    fitted_from: WriteBehaviour | None = None
    """The typical figures that the fit began at."""
    is_fit_simulated: bool = False
    """Whether those runs were of a simulated rig."""
    fitted_at: datetime | None = None
    device: DeviceIdentity | None = None
    """The device that it was bound to at its first real run; None before."""
    acceptance: Acceptance | None = None
    """The newest decision on its duty; None before there was one."""
    doubted_at: datetime | None = None
    """When it fell, got wet or lost frames, as its story tells: what was proved before is void."""
    slowed: Slowed | None = None
    """None where its runs are what they were, and where it was calibrated since."""

    def __post_init__(self) -> None:
        where = f"unit {self.tag!r}"
        if not self.tag.strip():
            raise BadValueError("a unit has no tag", where="unit", mend="Give the tag on its label")
        if len(self.tag) > LONGEST_TAG or not self.tag.isprintable():
            raise BadValueError(
                f"the tag has {len(self.tag)} characters, or some that can't be printed",
                where="unit",
                mend=f"Give at most {LONGEST_TAG} characters in one line, as on its label",
            )
        require_not_negative(where, written_bytes=self.written_bytes, used_bytes=self.used_bytes)

    @property
    def is_ready(self) -> bool:
        """Whether it may be put to work: neither away, in doubt nor retired."""
        return self.state == "ready"


def free_bytes_on(drive: Drive, unit: Unit | None = None) -> float:
    """Return the room on *drive*: its capacity less what *unit* holds, never below 0.

    More may be said to lie on a unit than its drive holds, where a sticker or a catalog was wrong.
    """
    return max(drive.capacity_bytes - (unit.used_bytes if unit else 0.0), 0.0)


def filled_share(drive: Drive, unit: Unit | None = None) -> float:
    """Return how full *drive* is, 0 to 1."""
    return 1 - free_bytes_on(drive, unit) / drive.capacity_bytes


WORN_SHARE = 0.9
"""From so much of its rated endurance on a drive counts as nearly worn."""


WATCH_WEAR_SHARE = 0.8
"""From so much on a replacement is due: what is left is used up while one waits for it."""


def worn_share(unit: Unit, drive: Drive) -> float | None:
    """Return which share of its rated endurance is written; None where none is rated."""
    return unit.written_bytes / drive.tbw_bytes if drive.tbw_bytes else None


def is_worn(share: float | None) -> bool:
    """Return whether that *share* of the rated endurance is nearly all of it."""
    return share is not None and share >= WORN_SHARE
