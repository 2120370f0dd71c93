"""What a plan gets wrong, each finding at the place where it happens."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.shoot.guarantees import find_guarantee
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.core.shoot.shoot_plan import CameraPlan, CopyPlan, ShootPlan


class Concern(StrEnum):
    """What is wrong, or will surprise."""

    TAKE_OVER_MEDIUM = "take over medium"
    """No medium holds the longest take: it is interrupted."""
    TAKE_TIGHT = "take tight"
    """One medium holds it at the average, but not if its whole picture is a hard one."""
    CLIP_LIMIT = "clip limit"
    """The camera stops by itself before the longest take is over."""
    FILE_SPLIT = "file split"
    """The longest take falls into several files."""
    GUARANTEE = "guarantee"
    """The class of the media in use does not cover the need by itself."""
    CLASS_TOO_LOW = "class too low"
    """The camera asks for a higher class than the media in use have."""
    LONG_DAY = "long day"
    """More is recorded than the day has hours."""
    LONGEST_NOT_ROLLED = "longest not rolled"
    """The day of the longest take records less than that take."""
    COPY_FULL = "copy full"
    """The units of a copy have less room than it needs."""


@dataclass(frozen=True, slots=True)
class ShootWarning:
    """One finding; figures by the name of what they are."""

    concern: Concern
    camera_key: str = ""
    day: int = 0
    """Counted from 1; 0 where it holds on every day."""
    copy_name: str = ""
    is_grave: bool = True
    found: float = 0.0
    limit: float = 0.0
    detail: str = ""


def split_count(camera: Camera, need: Need) -> int:
    """Return into how many files the longest take falls; 1 where it isn't split."""
    split = camera.limits.split_bytes
    if not split or need.longest_take_bytes <= split:
        return 1
    return -int(-need.longest_take_bytes // split)


def camera_warnings(shoot: Shoot, plan: CameraPlan) -> tuple[ShootWarning, ...]:
    """Return what is wrong with one camera, the grave first."""
    camera, need = plan.camera, plan.need
    key, limits = camera.key, camera.limits
    found: list[ShootWarning] = []
    take_s = camera.longest_take_s
    if need.longest_take_bytes > camera.medium_bytes:
        found.append(
            ShootWarning(
                Concern.TAKE_OVER_MEDIUM,
                key,
                day=camera.longest_on_day,
                found=need.longest_take_bytes,
                limit=camera.medium_bytes,
            )
        )
    elif need.hard_bytes_per_s * take_s > camera.medium_bytes:
        found.append(
            ShootWarning(
                Concern.TAKE_TIGHT,
                key,
                day=camera.longest_on_day,
                is_grave=False,
                found=need.hard_bytes_per_s * take_s,
                limit=camera.medium_bytes,
            )
        )
    if limits.longest_clip_s and take_s > limits.longest_clip_s:
        found.append(
            ShootWarning(
                Concern.CLIP_LIMIT,
                key,
                day=camera.longest_on_day,
                found=take_s,
                limit=limits.longest_clip_s,
            )
        )
    found += _guarantee_warnings(camera, need)
    hours = [camera.hours_on(day) for day in range(1, shoot.days + 1)]
    window_h = (shoot.day_end_s - shoot.day_start_s) / 3600
    longest_day = max(range(shoot.days), key=lambda index: hours[index])
    if hours[longest_day] > window_h:
        found.append(
            ShootWarning(
                Concern.LONG_DAY,
                key,
                day=longest_day + 1,
                is_grave=False,
                found=hours[longest_day] * 3600,
                limit=window_h * 3600,
            )
        )
    due = camera.longest_on_day
    if due and (due > shoot.days or hours[due - 1] * 3600 < take_s * (1 - 1e-9)):
        rolled_s = hours[due - 1] * 3600 if due <= shoot.days else 0.0
        found.append(
            ShootWarning(Concern.LONGEST_NOT_ROLLED, key, day=due, found=rolled_s, limit=take_s)
        )
    if (files := split_count(camera, need)) > 1:
        found.append(
            ShootWarning(
                Concern.FILE_SPLIT,
                key,
                day=camera.longest_on_day,
                is_grave=False,
                found=files,
                limit=limits.split_bytes,
            )
        )
    return tuple(sorted(found, key=lambda warning: not warning.is_grave))


def _guarantee_warnings(camera: Camera, need: Need) -> list[ShootWarning]:
    found = []
    in_use = find_guarantee(camera.medium_guarantee) if camera.medium_guarantee else None
    if in_use is not None and in_use.write_bytes_per_s < need.needed_write_bytes_per_s:
        found.append(
            ShootWarning(
                Concern.GUARANTEE,
                camera.key,
                is_grave=False,
                found=need.needed_write_bytes_per_s,
                limit=in_use.write_bytes_per_s,
                detail=in_use.name,
            )
        )
    asked = [find_guarantee(medium.guarantee) for medium in camera.limits.media if medium.guarantee]
    least = min(asked, key=lambda guarantee: guarantee.write_bytes_per_s, default=None)
    if (
        least is not None
        and in_use is not None
        and in_use.write_bytes_per_s < least.write_bytes_per_s
    ):
        found.append(
            ShootWarning(
                Concern.CLASS_TOO_LOW,
                camera.key,
                found=in_use.write_bytes_per_s,
                limit=least.write_bytes_per_s,
                detail=least.name,
            )
        )
    return found


def copy_warning(plan: CopyPlan, free_bytes: float) -> ShootWarning | None:
    """Return the warning that *plan* outgrows the *free_bytes* of its units, with the day."""
    over = (plan.held_bytes > free_bytes).nonzero()[0]
    if not over.size:
        return None
    return ShootWarning(
        Concern.COPY_FULL,
        day=int(over[0]) + 1,
        copy_name=plan.copy.name,
        found=plan.needed_bytes,
        limit=free_bytes,
    )


def shoot_warnings(
    shoot: Shoot, plan: ShootPlan, free_bytes_by_copy: dict[str, float]
) -> tuple[ShootWarning, ...]:
    """Return every warning of *shoot*, the grave first, in the order of cameras and copies.

    Args:
        shoot: that is planned.
        plan: of it.
        free_bytes_by_copy: room on the units of each copy that has units, by its name.

    """
    found = [warning for each in plan.cameras for warning in camera_warnings(shoot, each)]
    for copy in plan.copies:
        if copy.copy.name in free_bytes_by_copy:
            warning = copy_warning(copy, free_bytes_by_copy[copy.copy.name])
            found += [warning] if warning else []
    return tuple(sorted(found, key=lambda warning: not warning.is_grave))
