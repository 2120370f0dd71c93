"""The same day drawn many times: how late it gets in nine of ten, and what that comes from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.checks import require_between
from vastcellar.core.roll.day import CameraDay, RollDay
from vastcellar.core.roll.day_run import run_day
from vastcellar.core.roll.learned import at_speed

FloatArray = NDArray[np.float64]

_LEAST_FACTOR = 0.3  # a draw far out stays a day that can be


@dataclass(frozen=True, slots=True)
class Spread:
    """How days differ from their plan: assumed until enough of them were measured."""

    wrap_late_s: float = 300.0
    wrap_sd_s: float = 1140.0
    """Wraps come 5 +- 19 min late."""
    volume_sd_share: float = 0.06
    """Of what each camera rolls."""
    drive_sd_share: float = 0.05
    """Of how fast each drive is."""

    def __post_init__(self) -> None:
        where = "spread"
        require_between(where, -6 * 3600, 6 * 3600, wrap_late_s=self.wrap_late_s)
        require_between(where, 0, 6 * 3600, wrap_sd_s=self.wrap_sd_s)
        require_between(
            where,
            0,
            0.5,
            volume_sd_share=self.volume_sd_share,
            drive_sd_share=self.drive_sd_share,
        )


@dataclass(frozen=True)
class DrawnDays:
    """What came of them; arrays have shape (n,)."""

    last_verified_s: FloatArray
    """Infinite on days on which a card has no copy."""
    waited_s: dict[str, FloatArray]
    """By camera."""
    moved_by: tuple[tuple[str, float], ...]
    """What the last verified copy depends on, and its share, most first: "wrap", the key of a
    camera for what it rolls, the tag of a drive."""
    spread: Spread
    """What they were drawn from."""
    explained_share: float
    """How much of the differences straight lines in those account for, 0 to 1."""

    def percentile_s(self, percent: float) -> float:
        """Return when so many of a hundred days have their last verified copy."""
        return float(np.quantile(self.last_verified_s, percent / 100, method="higher"))

    def waits_share(self, camera_key: str) -> float:
        """Return on which share of the days a camera waits."""
        return float(np.mean(self.waited_s[camera_key] > 0))


def draw_days(
    day: RollDay,
    count: int,
    seed: int,
    spread: Spread | None = None,
    is_wanted: Callable[[], bool] = lambda: True,
) -> DrawnDays | None:
    """Return *count* days like *day*, drawn from normal distributions of *spread*.

    Args:
        day: as it is planned.
        count: of days.
        seed: the same one draws the same days.
        spread: how days differ; the usual one where not given.
        is_wanted: asked before each day; once it says no, nothing is returned.

    Raises:
        BadValueError: for a count outside 1 to 100,000.

    """
    require_between("drawn days", 1, 100_000, count=count)
    spread = spread or Spread()
    generator = np.random.default_rng(seed)
    names = ["wrap", *(c.key for c in day.cameras), *(d.tag for d in day.drives)]
    drawn = generator.standard_normal((count, len(names)))
    last = np.empty(count)
    waited = {camera.key: np.zeros(count) for camera in day.cameras}
    for row in range(count):
        if not is_wanted():
            return None
        run = run_day(_drawn(day, drawn[row], spread), is_recorded=False)
        last[row] = run.last_verified_s
        for wait in run.waits:
            waited[wait.camera_key][row] += wait.duration_s
    shares, explained = _shares(drawn, last)
    order = np.argsort(-shares, kind="stable")
    return DrawnDays(
        last, waited, tuple((names[n], float(shares[n])) for n in order), spread, explained
    )


def _drawn(day: RollDay, z: FloatArray, spread: Spread) -> RollDay:
    late_s = spread.wrap_late_s + spread.wrap_sd_s * float(z[0])
    cameras, drives = len(day.cameras), len(day.drives)
    volumes = np.maximum(1 + spread.volume_sd_share * z[1 : 1 + cameras], _LEAST_FACTOR)
    speeds = np.maximum(1 + spread.drive_sd_share * z[1 + cameras :], _LEAST_FACTOR)
    return replace(
        day,
        cameras=tuple(
            _stretched(camera, late_s, float(volumes[n])) for n, camera in enumerate(day.cameras)
        ),
        drives=tuple(at_speed(day.drives[n], float(speeds[n])) for n in range(drives)),
    )


def _stretched(camera: CameraDay, late_s: float, volume: float) -> CameraDay:
    """Return the day of *camera* with its wrap so much later, and so much more of it rolled."""
    if not camera.takes:
        return camera
    start_s, end_s = camera.takes[0].start_s, camera.takes[-1].end_s
    pace = max(1 + late_s / max(end_s - start_s, 3600.0), _LEAST_FACTOR)
    takes = tuple(
        replace(
            take,
            start_s=start_s + (take.start_s - start_s) * pace,
            duration_s=take.duration_s * volume,
        )
        for take in camera.takes
    )
    return replace(camera, takes=takes)


def _shares(drawn: FloatArray, last_s: FloatArray) -> tuple[FloatArray, float]:
    """Return which share of the variance each column of *drawn* stands for, and of how much.

    Squared coefficients of a linear regression: the columns are independent and of variance 1.
    """
    finite = np.isfinite(last_s)
    known, inputs = last_s[finite], drawn[finite]
    variance = float(np.var(known)) if known.size else 0.0
    if known.size <= inputs.shape[1] + 1 or variance <= 0:
        return np.zeros(drawn.shape[1]), 0.0
    columns = np.column_stack([np.ones(known.size), inputs])
    fitted, *_rest = np.linalg.lstsq(columns, known, rcond=None)
    squares = np.asarray(fitted[1:], dtype=np.float64) ** 2
    explained = 1 - float(np.var(known - columns @ fitted)) / variance
    return squares / squares.sum(), min(max(explained, 0.0), 1.0)
