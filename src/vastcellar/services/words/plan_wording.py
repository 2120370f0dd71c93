"""Plans in words: warnings as sentences, ranges, days."""

from __future__ import annotations

from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.shoot.shoot_warnings import Concern, ShootWarning
from vastcellar.core.units import NumberFormat


def warning_sentence(warning: ShootWarning, shoot: Shoot, fmt: NumberFormat) -> str:
    """Return *warning* as one sentence with its figures and, where there is one, the mend."""
    who = warning.camera_key
    day = f" on day {warning.day}" if warning.day and shoot.days > 1 else ""
    found, limit = warning.found, warning.limit
    match warning.concern:
        case Concern.TAKE_OVER_MEDIUM:
            return (
                f"{who}: the longest take{day} makes {fmt.size(found)}, a medium holds "
                f"{fmt.size(limit)}: a reload falls inside it"
            )
        case Concern.TAKE_TIGHT:
            return (
                f"{who}: the longest take{day} fits its medium, but {fmt.size(found)} of a hard "
                f"picture would not fit {fmt.size(limit)}"
            )
        case Concern.CLIP_LIMIT:
            return (
                f"{who}: the camera stops by itself after {fmt.duration(limit)}, the longest "
                f"take{day} is {fmt.duration(found)}"
            )
        case Concern.FILE_SPLIT:
            return (
                f"{who}: the longest take{day} falls into {fmt.number(found, 0)} files of "
                f"{fmt.binary_size(limit + 1)}: offload them together"
            )
        case Concern.GUARANTEE:
            return (
                f"{who}: {warning.detail} guarantees {fmt.rate(limit)} of the "
                f"{fmt.rate(found)} needed: it holds only if proved"
            )
        case Concern.CLASS_TOO_LOW:
            return f"{who}: the camera asks for {warning.detail}, the media are below it"
        case Concern.LONG_DAY:
            return (
                f"{who}: {fmt.duration(found)} are recorded{day}, the day has {fmt.duration(limit)}"
            )
        case Concern.LONGEST_NOT_ROLLED:
            if warning.day > shoot.days:
                return f"{who}: the longest take is due on day {warning.day} of {shoot.days}"
            return (
                f"{who}: day {warning.day} records {fmt.duration(found)}, less than its longest "
                f"take of {fmt.duration(limit)}"
            )
        case Concern.COPY_FULL:
            return (
                f"{warning.copy_name}: its units have {fmt.size(limit)} free and are full{day}; "
                f"it needs {fmt.size(found)}"
            )


def range_text(need: Need, fmt: NumberFormat) -> str:
    """Return how far the average may lie from its point: "96 to 224 MB/s", or "" if it can't."""
    if not need.is_range:
        return ""
    low = fmt.number(need.easy_bytes_per_s / 1e6)
    return f"{low} to {fmt.rate(need.hard_bytes_per_s)}"
