"""Whether a kept run tells anything of a unit at all."""

from __future__ import annotations

from vastcellar.core.parts.units import Unit
from vastcellar.core.verdict.proof import RunConditions
from vastcellar.core.verdict.reach.comparing import STILL_S


def run_doubt(unit: Unit, made: RunConditions) -> str:
    """Say why a run tells nothing of *unit*, whatever it measured, or return ""."""
    if made.is_in_memory or made.is_over_network:
        return "it ran in memory" if made.is_in_memory else "it ran over a network"
    if made.device is not None:
        same = made.device.is_same_as(unit.device) if unit.device is not None else None
        if not same:
            return (
                "which device it ran on isn't known" if same is None else "it ran on another device"
            )
    if made.other_tests:
        return "another test ran on the disk meanwhile"
    if made.slept_s or made.stood_still_s > STILL_S:
        return "the computer slept or stood still meanwhile"
    if made.drive_key not in ("", unit.drive_key):
        return "it was made with another drive"
    return ""
