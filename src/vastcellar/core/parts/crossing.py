"""From which capacity on one way of getting storage is cheaper than another."""

from __future__ import annotations

from collections.abc import Sequence

Step = tuple[float, float, float]
"""A capacity, and what either way costs there; infinite where it can't be had."""


def pays_from(steps: Sequence[Step]) -> float | None:
    """Return the capacity from which on the first way is cheaper wherever both can be had.

    None where it isn't at the largest capacity that has both. *steps* rise by capacity.
    """
    found = None
    for capacity, first, second in reversed(_both(steps)):
        if first >= second:
            break
        found = capacity
    return found


def crossing(steps: Sequence[Step]) -> tuple[float, float] | None:
    """Return capacity and price where the lines through the *steps* of both ways cross last.

    Between two steps prices are taken to rise evenly. None where they don't cross, or where the
    first way isn't the cheaper one after it.
    """
    both = _both(steps)
    for (low, first_low, second_low), (high, first_high, second_high) in zip(
        reversed(both[:-1]), reversed(both[1:]), strict=True
    ):
        before, after = first_low - second_low, first_high - second_high
        if before >= 0 > after:
            share = before / (before - after)
            return low + share * (high - low), first_low + share * (first_high - first_low)
        if after >= 0:
            return None
    return None


def _both(steps: Sequence[Step]) -> list[Step]:
    return [step for step in steps if max(step[1], step[2]) < float("inf")]
