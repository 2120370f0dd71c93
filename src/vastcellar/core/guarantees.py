"""Guaranteed minimum write rates printed on cards."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Guarantee:
    """A class or profile, and the bytes per second that a card of it never falls below."""

    name: str
    write_bytes_per_s: float


VIDEO_SPEED_CLASSES = tuple(Guarantee(f"V{mb}", mb * 1e6) for mb in (6, 10, 30, 60, 90))
"""SD Association, video speed class: the number is MB/s."""

VIDEO_PERFORMANCE_PROFILES = tuple(
    Guarantee(f"VPG{mb}", mb * 1e6) for mb in (20, 65, 130, 200, 400)
)
"""CompactFlash Association, video performance guarantee: the number is MB/s."""
