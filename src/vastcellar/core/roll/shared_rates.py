"""Several flows through things that they share: what each of them gets."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Flow:
    """Bytes that run through things; each costs so many of its seconds a byte."""

    costs: dict[str, float]


@dataclass(frozen=True, slots=True)
class SharedRate:
    """What a flow gets, in bytes per second, and which thing sets it."""

    bytes_per_s: float
    limit: str


def share_rates(flows: Sequence[Flow], without: str = "") -> list[SharedRate]:
    """Return what each of *flows* gets where all are treated alike.

    All rise together; where a thing is busy all the time, the flows through it stay, and the
    others rise on. Infinite where a flow runs through nothing that costs.

    Args:
        flows: with what they run through.
        without: a thing that is left out: what would reach it if it were never the limit.

    References:
        Max-min fairness by progressive filling; Bertsekas and Gallager, Data Networks, 6.5.2.

    """
    if len(flows) == 1:  # most of a day: one card, alone
        costs = ((-cost, thing) for thing, cost in flows[0].costs.items() if thing != without)
        least, limit = min(costs, default=(0.0, ""))
        return [SharedRate(-1 / least, limit) if least < 0 else SharedRate(float("inf"), "")]
    found = [SharedRate(float("inf"), "") for _ in flows]
    used: dict[str, float] = {}
    rising = set(range(len(flows)))
    while rising:
        slopes: dict[str, float] = {}
        for number in rising:
            for thing, cost in flows[number].costs.items():
                if cost > 0 and thing != without:
                    slopes[thing] = slopes.get(thing, 0.0) + cost
        if not slopes:
            break
        rate, limit = min((max(1 - used.get(t, 0.0), 0.0) / s, t) for t, s in slopes.items())
        stopped = {n for n in rising if limit != without and flows[n].costs.get(limit, 0.0) > 0}
        for number in stopped:
            found[number] = SharedRate(rate, limit)
            for thing, cost in flows[number].costs.items():
                used[thing] = used.get(thing, 0.0) + cost * rate
        rising -= stopped
    return found
