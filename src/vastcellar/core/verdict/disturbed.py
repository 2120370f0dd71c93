"""What disturbs a run, so that what it measured isn't the drive alone: the one rule of it."""

from __future__ import annotations

BUSY_SHARE = 0.3
"""Of all cores, in use by other things: a test of ours takes a fifth of one of two itself, so more
than this leaves it to wait for its turn."""
STILL_S = 1.0
"""A process that stood still for longer let the drive cool and fold meanwhile; a busy moment of
the scheduler is shorter."""


def is_busy(cpu_share: float) -> bool:
    """Whether so much of all cores was in use by other things that it counts."""
    return cpu_share > BUSY_SHARE


def disturbance(
    *,
    cpu_share: float = 0.0,
    other_tests: int = 0,
    slept_s: float = 0.0,
    stood_still_s: float = 0.0,
    clock_set_s: float = 0.0,
) -> str:
    """Return what disturbed a run, as half a sentence; "" where nothing did."""
    if other_tests:
        return "another test ran on the disk meanwhile"
    if slept_s or stood_still_s > STILL_S:
        return "the computer slept or stood still meanwhile"
    if clock_set_s:
        return "the clock was set meanwhile"
    if is_busy(cpu_share):
        return "the computer was busy with other things"
    return ""
