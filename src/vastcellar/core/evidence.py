"""Verdicts, and the evidence that each rests on."""

from enum import StrEnum


class Evidence(StrEnum):
    """What a figure rests on; it climbs from the box to the bench."""

    CLAIMED = "claimed"
    """Printed on a box."""
    COMPUTED = "computed"
    """Chain, cache and heat worked through with typical figures."""
    STATED = "stated"
    """Typed in by the user, who says that it was measured."""
    PROVED = "proved"
    """Measured, with its conditions on record."""


class Known(StrEnum):
    """How a condition or a figure is known."""

    READ = "read"
    """From the machine itself."""
    STATED = "stated"
    """By the user: nobody measured it."""
    UNKNOWN = "unknown"


class Verdict(StrEnum):
    """Will it hold?"""

    HOLDS = "holds"
    TIGHT = "tight"
    FALLS_SHORT = "falls short"
    NOT_KNOWN = "not known"


TIGHT_BELOW_MARGIN = 0.10
"""Less than this above the need is tight: typical figures are no surer than that."""


LEAST_SHORTFALL = 0.001
"""Where frames were lost the margin is below nothing, however fast the slowest second was."""


VERDICT_ORDER = (Verdict.HOLDS, Verdict.TIGHT, Verdict.NOT_KNOWN, Verdict.FALLS_SHORT)
"""Best first; what isn't known may hold, so it stands before what falls short."""


def verdict_for_margin(margin: float) -> Verdict:
    """Return the verdict for a *margin* over the need, as a share of the need."""
    if margin < 0:
        return Verdict.FALLS_SHORT
    return Verdict.TIGHT if margin < TIGHT_BELOW_MARGIN else Verdict.HOLDS
