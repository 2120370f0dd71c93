"""Verdicts, and the evidence that each rests on."""

from enum import StrEnum


class Evidence(StrEnum):
    """What a figure rests on; it climbs from the box to the bench."""

    CLAIMED = "claimed"
    """Printed on a box."""
    COMPUTED = "computed"
    """Chain, cache and heat worked through with typical figures."""
    PROVED = "proved"
    """Measured, with its conditions on record."""


class Verdict(StrEnum):
    """Will it hold?"""

    HOLDS = "holds"
    TIGHT = "tight"
    FALLS_SHORT = "falls short"
    NOT_KNOWN = "not known"


TIGHT_BELOW_MARGIN = 0.10
"""Less than this above the need is tight: typical figures are no surer than that."""


def verdict_for_margin(margin: float) -> Verdict:
    """Return the verdict for a *margin* over the need, as a share of the need."""
    if margin < 0:
        return Verdict.FALLS_SHORT
    return Verdict.TIGHT if margin < TIGHT_BELOW_MARGIN else Verdict.HOLDS
