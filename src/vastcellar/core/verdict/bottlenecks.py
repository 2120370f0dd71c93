"""What sets the lowest rate of a take: one rule, for one setup and for thousands alike."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.evidence import TIGHT_BELOW_MARGIN, VERDICT_ORDER, Verdict, verdict_for_margin
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.writing.write_profile import WriteProfile

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]

_AT = 0.999
"""A rate this near to a cap is held by it; what is left is rounding."""


class Bottleneck(StrEnum):
    """What sets the lowest rate of the take, and so what a mend has to change."""

    NOT_CONNECTED = "not connected"
    LINK = "link"
    DRIVE = "drive"
    CACHE = "cache"
    HEAT = "heat"
    SPACE = "space"
    NOTHING_CHOSEN = "nothing chosen"
    NOT_MEASURED = "not measured"
    """Its box promises enough, and nobody knows what it writes for a whole take."""


BOTTLENECKS = tuple(Bottleneck)


def number_of(bottleneck: Bottleneck) -> int:
    """Return the number that stands for *bottleneck* in arrays."""
    return BOTTLENECKS.index(bottleneck)


def rate_bottlenecks(
    lowest: FloatArray, throttle_cap: FloatArray, link_cap: FloatArray, is_past_cache: BoolArray
) -> IntArray:
    """Return the numbers of what holds a rate where it is; all of shape (n,).

    Args:
        lowest: the rate at its lowest moment.
        throttle_cap: of the throttle stage at that moment, infinite for none.
        link_cap: what reaches the drive at most.
        is_past_cache: whether the drive has a cache, and writes past it at that moment.

    """
    return np.select(
        [lowest >= throttle_cap * _AT, lowest >= link_cap * _AT, is_past_cache],
        [number_of(each) for each in (Bottleneck.HEAT, Bottleneck.LINK, Bottleneck.CACHE)],
        number_of(Bottleneck.DRIVE),
    )


def lowest_of(
    run: WriteProfile, behaviour: WriteBehaviour, link_cap_bytes_per_s: float
) -> tuple[float, Bottleneck]:
    """Return the least that the drive could take while it had room, and what held it there.

    A drive that is full from the start could take nothing, for want of space.
    """
    with_room = [each for each in run.intervals if each.ability_bytes_per_s > 0]
    if not with_room:
        return 0.0, Bottleneck.SPACE
    weakest = min(with_room, key=lambda interval: interval.ability_bytes_per_s)
    stage = weakest.throttle_stage
    numbers = rate_bottlenecks(
        np.array([weakest.ability_bytes_per_s]),
        np.array([behaviour.throttle[stage - 1].cap_bytes_per_s if stage else np.inf]),
        np.array([link_cap_bytes_per_s]),
        np.array([run.cache_bytes > 0 and not weakest.is_in_cache]),
    )
    return weakest.ability_bytes_per_s, BOTTLENECKS[int(numbers[0])]


def margins_held_by_room(
    margin: FloatArray, bottleneck: IntArray, free_bytes: FloatArray, asked_bytes: float
) -> tuple[FloatArray, IntArray]:
    """Return margins and bottlenecks once what is free is held against what is asked; shape (n,).

    Args:
        margin: of the rate over the need.
        bottleneck: numbers of what holds the rate.
        free_bytes: room on the medium.
        asked_bytes: what the take writes.

    """
    is_small = free_bytes < asked_bytes
    # What is too slow is that before it is too small.
    found = np.where(is_small & (margin >= 0), number_of(Bottleneck.SPACE), bottleneck)
    return np.where(is_small, np.minimum(margin, free_bytes / asked_bytes - 1), margin), found


def held_by_room(
    margin: float, bottleneck: Bottleneck, free_bytes: float, asked_bytes: float
) -> tuple[float, Bottleneck]:
    """Return what ``margins_held_by_room`` does, of one."""
    margins, numbers = margins_held_by_room(
        np.array([margin]),
        np.array([number_of(bottleneck)]),
        np.array([free_bytes]),
        asked_bytes,
    )
    return float(margins[0]), BOTTLENECKS[int(numbers[0])]


def verdict_ranks(margin: FloatArray) -> IntArray:
    """Return the place in ``VERDICT_ORDER`` of each *margin*, nan for not known; any shape."""
    ranks = [
        VERDICT_ORDER.index(verdict_for_margin(low)) for low in (-1.0, 0.0, TIGHT_BELOW_MARGIN)
    ]
    known = np.select([margin < 0, margin < TIGHT_BELOW_MARGIN], ranks[:2], ranks[2])
    return np.where(np.isnan(margin), VERDICT_ORDER.index(Verdict.NOT_KNOWN), known)
