"""What a plugged-in drive says of its own wear, for the unit that it is."""

from __future__ import annotations

from collections.abc import Iterable

from vastcellar.core.errors import BadValueError
from vastcellar.services.plugged.seen import SeenDevice, System, plugged_in, system_of
from vastcellar.services.workplace.workplace import Workplace, require_unit


def worn_by_itself(seen: Iterable[SeenDevice], tag: str) -> float | None:
    """Return what the drive of the unit *tag* counts as used of its endurance, as a share.

    None where it isn't plugged in, or doesn't say.
    """
    found = _drive_of(seen, tag)
    return None if found is None else found.device.smart.worn_share


def ask_worn(workplace: Workplace, tag: str, system: System | None = None) -> float:
    """Ask the drive of the unit *tag* what is used of its endurance; return the share.

    Raises UnknownPartError for no such unit; BadValueError where its drive isn't plugged in, or
    doesn't say.
    """
    shelf = workplace.shelf()
    require_unit(shelf, tag)
    asked = system or system_of(workplace.folders, is_demo=workplace.is_demo)
    found = _drive_of(plugged_in(asked, shelf, workplace.catalog), tag)
    if found is None:
        raise BadValueError(
            "its drive isn't plugged in, or isn't bound to it yet", where=f"unit {tag}",
            mend="Plug it in and measure it once, or give the share by hand",
        )  # fmt: skip
    share = found.device.smart.worn_share
    if share is None:
        raise BadValueError(
            f"its drive doesn't say: {found.device.smart.why_not}", where=f"unit {tag}",
            mend="Give the share by hand, as another program shows it",
        )  # fmt: skip
    return share


def _drive_of(seen: Iterable[SeenDevice], tag: str) -> SeenDevice | None:
    return next((each for each in seen if each.unit is not None and each.unit.tag == tag), None)
