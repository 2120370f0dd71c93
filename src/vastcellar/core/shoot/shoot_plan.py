"""The whole shoot in figures: media and bytes by camera and day, and what the copies come to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.evidence import Verdict, verdict_for_margin
from vastcellar.core.shoot.media import DayOnMedia, count_media, fill_media
from vastcellar.core.shoot.needs import Need, camera_need
from vastcellar.core.shoot.rolls import RollCounts, count_takes, lay_out_takes, ordinary_take_s
from vastcellar.core.shoot.shoot import Camera, Copy, Shoot
from vastcellar.core.shoot.stations import station_of_camera, station_of_copy

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

SPARE_MEDIA = 1
"""Media to carry over what a day fills: one may fail, or be away being offloaded."""


@dataclass(frozen=True)
class DayTable:
    """Cameras by days; every array has shape (cameras, days)."""

    rolls: RollCounts
    roll_s: FloatArray
    recorded_bytes: FloatArray
    """On the first medium of each camera."""
    media: IntArray


def tabulate_days(
    average_bytes_per_s: FloatArray,
    medium_bytes: FloatArray,
    roll_s: FloatArray,
    ordinary_s: FloatArray,
    longest_s: FloatArray,
    has_longest: NDArray[np.bool_],
) -> DayTable:
    """Return takes, bytes and media of many cameras over many days at once.

    Args:
        average_bytes_per_s: of each camera, shape (n,).
        medium_bytes: of each camera, shape (n,).
        roll_s: recorded seconds, shape (n, days).
        ordinary_s: length of an ordinary take, shape (n,).
        longest_s: the longest take, shape (n,).
        has_longest: whether it falls on that day, shape (n, days).

    Raises:
        BadValueError: for a take without length or a day of over 24 hours.

    """
    rate = average_bytes_per_s[:, None]
    rolls = count_takes(ordinary_s[:, None], roll_s, longest_s[:, None], has_longest)
    media = count_media(
        medium_bytes[:, None],
        rolls.take_s * rate,
        rolls.before,
        rolls.longest_s * rate,
        rolls.after,
    )
    return DayTable(rolls, roll_s, roll_s * rate, media)


@dataclass(frozen=True)
class CameraPlan:
    """One camera over the shoot; arrays have shape (days,)."""

    camera: Camera
    need: Need
    recorded_bytes: FloatArray
    copied_bytes: FloatArray
    """With a second stream on another medium."""
    media: IntArray
    takes: IntArray

    @property
    def media_to_carry(self) -> int:
        """What the fullest day fills, and a spare; 0 for a camera that never rolls."""
        most = int(self.media.max(initial=0))
        return most + SPARE_MEDIA if most else 0

    @property
    def longest_share_of_medium(self) -> float:
        """How much of one medium the longest take asks for; above 1 none holds it."""
        return self.need.longest_take_bytes / self.camera.medium_bytes


@dataclass(frozen=True)
class CopyPlan:
    """What a copy holds at the end of each day, shape (days,), reserve included."""

    copy: Copy
    held_bytes: FloatArray

    @property
    def needed_bytes(self) -> float:
        """The most that it has to hold at any time."""
        return float(self.held_bytes.max(initial=0.0))


def copy_verdict(plan: CopyPlan, free_bytes: float | None) -> tuple[Verdict, float | None]:
    """Return whether the room of its units holds a copy, and the margin as a share of its need.

    Not known without units, or for a copy of nothing.
    """
    if free_bytes is None or plan.needed_bytes <= 0:
        return Verdict.NOT_KNOWN, None
    margin = free_bytes / plan.needed_bytes - 1
    return verdict_for_margin(margin), margin


@dataclass(frozen=True)
class ShootPlan:
    """All cameras and copies; arrays have shape (days,)."""

    cameras: tuple[CameraPlan, ...]
    copied_bytes: FloatArray
    easy_bytes: float
    hard_bytes: float
    """All material of the shoot if every picture is easy, or hard."""
    copies: tuple[CopyPlan, ...]

    @property
    def total_bytes(self) -> float:
        """All material of the shoot, once."""
        return float(self.copied_bytes.sum())

    @property
    def fullest_day(self) -> int:
        """The day, from 1, that makes the most; of equal ones that which fills most media."""
        media = sum((camera.media for camera in self.cameras), np.zeros(self.copied_bytes.size))
        return int(np.lexsort((media, np.round(self.copied_bytes)))[-1]) + 1

    @property
    def largest_day_bytes(self) -> float:
        """The material of the fullest day, once."""
        return float(self.copied_bytes.max(initial=0.0))


def plan_shoot(shoot: Shoot) -> ShootPlan:
    """Return what *shoot* comes to, day by day and in all."""
    cameras, days = shoot.cameras, shoot.days
    needs = [camera_need(camera) for camera in cameras]
    roll_s = np.empty((len(cameras), days))
    has_longest = np.zeros((len(cameras), days), dtype=bool)
    for row, camera in enumerate(cameras):
        roll_s[row] = camera.hours_a_day * 3600
        own = np.array(camera.hours_by_day[:days]) * 3600
        roll_s[row, : own.size] = own
        has_longest[row] = [camera.has_longest_on(day) for day in range(1, days + 1)]
    table = tabulate_days(
        np.array([need.average_bytes_per_s for need in needs]),
        np.array([float(camera.medium_bytes) for camera in cameras]),
        roll_s,
        np.array([ordinary_take_s(camera.pattern, camera.longest_take_s) for camera in cameras]),
        np.array([camera.longest_take_s for camera in cameras]),
        has_longest,
    )
    copied_per_s = np.array([need.copied_bytes_per_s for need in needs])
    by_camera = roll_s * copied_per_s[:, None]
    plans = tuple(
        CameraPlan(
            camera=camera,
            need=needs[row],
            recorded_bytes=table.recorded_bytes[row],
            copied_bytes=by_camera[row],
            media=table.media[row],
            takes=table.rolls.before[row]
            + table.rolls.after[row]
            + (table.rolls.longest_s[row] > 0),
        )
        for row, camera in enumerate(cameras)
    )
    rolled_s = roll_s.sum(axis=1)
    elsewhere = np.array([need.elsewhere_bytes_per_s for need in needs])
    easy = np.array([need.easy_bytes_per_s for need in needs]) + elsewhere
    hard = np.array([need.hard_bytes_per_s for need in needs]) + elsewhere
    total = by_camera.sum(axis=0)
    return ShootPlan(
        cameras=plans,
        copied_bytes=total,
        easy_bytes=float(rolled_s @ easy),
        hard_bytes=float(rolled_s @ hard),
        copies=tuple(
            CopyPlan(copy, held_bytes(copy, _made_where(shoot, copy, by_camera), shoot.reserve))
            for copy in shoot.copies
        ),
    )


def _made_where(shoot: Shoot, copy: Copy, by_camera: FloatArray) -> FloatArray:
    """Return the material of the cameras whose cards are copied where *copy* is, by day."""
    here = station_of_copy(shoot, copy)
    is_here = [station_of_camera(shoot, each) == here for each in shoot.cameras]
    made: FloatArray = by_camera[np.array(is_here, dtype=bool)].sum(axis=0)
    return made


def held_bytes(copy: Copy, bytes_by_day: FloatArray, reserve: float) -> FloatArray:
    """Return what *copy* holds at the end of each day, shape (days,), with *reserve* on top."""
    held: FloatArray = np.cumsum(bytes_by_day)
    keep = copy.keep_days
    if 0 < keep < held.size:
        held = held - np.concatenate([np.zeros(keep), held[:-keep]])
    return held * (1 + reserve)


def day_on_media(shoot: Shoot, camera: Camera, need: Need, day: int) -> DayOnMedia:
    """Return the takes of *camera* on *day*, counted from 1, on the media they fill."""
    one = np.array([[camera.hours_on(day) * 3600.0]])
    rolls = count_takes(
        np.array([[ordinary_take_s(camera.pattern, camera.longest_take_s)]]),
        one,
        np.array([[camera.longest_take_s]]),
        np.array([[camera.has_longest_on(day)]]),
    )
    takes = lay_out_takes(rolls.at(0, 0), *shoot.hours_of(camera), shoot.breaks)
    return fill_media(takes, need.average_bytes_per_s, camera.medium_bytes)
