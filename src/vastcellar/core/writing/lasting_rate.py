"""What a drive writes at first and what lasts: the two ends of its profile, in closed form."""

from __future__ import annotations

import math

from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.writing.heat import HeatPath, largest_rate_without_throttle_bytes_per_s

HARD_DISK_ZONES = 96


def zone_write_bytes_per_s(behaviour: WriteBehaviour, filled_share: float) -> float:
    """Return the rate without a cache, of a hard disk in the middle of the zone it has come to.

    Args:
        behaviour: of the drive.
        filled_share: how full it is, 0 to 1; disks fill from the outside in.

    References:
        r(x) = r_outer sqrt(1 - k x), k = 1 - (inner/outer)^2: constant bits along a track and
        constant turns, so the rate goes with the radius, and what is full with the area.

    """
    if behaviour.inner_share >= 1:
        return behaviour.direct_write_bytes_per_s
    k = 1 - behaviour.inner_share**2
    # The hair's breadth keeps a zone that ends exactly here from being taken for the one before.
    zone = math.floor(filled_share * HARD_DISK_ZONES + 1e-9)
    middle = min((zone + 0.5) / HARD_DISK_ZONES, 1.0)
    return behaviour.direct_write_bytes_per_s * math.sqrt(1 - k * middle)


def write_at_first_bytes_per_s(behaviour: WriteBehaviour, filled_share: float) -> float:
    """Return what a drive writes as long as its cache has room; without one, where it is filled."""
    if behaviour.has_cache:
        return behaviour.cache_write_bytes_per_s
    return zone_write_bytes_per_s(behaviour, filled_share)


def write_when_warm_bytes_per_s(path: HeatPath, behaviour: WriteBehaviour) -> float:
    """Return what the heat leaves in the long run, infinite for a drive that never throttles.

    A stage either holds the rate at its cap, or lets it swing between the cap and what never
    warms the drive to it, whichever is more. Where even the cap warms it to the next stage, that
    one counts.
    """
    j_per_gb = behaviour.direct_j_per_gb if behaviour.has_cache else behaviour.cache_j_per_gb

    def never_warms_to(on_c: float) -> float:
        return largest_rate_without_throttle_bytes_per_s(path, on_c, behaviour.idle_w, j_per_gb)

    stages = behaviour.throttle
    for number, stage in enumerate(stages):
        is_last = number + 1 == len(stages)
        if is_last or never_warms_to(stages[number + 1].on_c) >= stage.cap_bytes_per_s:
            return max(never_warms_to(stage.on_c), stage.cap_bytes_per_s)
    return math.inf
