"""Whether a kept run tells anything of a unit at all."""

from __future__ import annotations

from vastcellar.core.parts.units import Unit
from vastcellar.core.verdict.disturbed import disturbance
from vastcellar.core.verdict.proof import RunConditions


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
    disturbed = disturbance(
        cpu_share=made.other_cpu_share, other_tests=made.other_tests, slept_s=made.slept_s,
        stood_still_s=made.stood_still_s, clock_set_s=made.clock_set_s,
    )  # fmt: skip
    if disturbed:
        return disturbed
    if made.drive_key not in ("", unit.drive_key):
        return "it was made with another drive"
    return ""
