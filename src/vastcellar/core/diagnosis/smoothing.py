"""A rate made ready for levels: short outliers out, quick swings to their mean, slides known."""

from __future__ import annotations

import itertools

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.diagnosis.levels import Level
from vastcellar.core.trace import FloatArray

_SWING_WINDOW_S = 12.0
_SWING_TURNS = 3.0
_SWING_SPREAD = 0.10
_STEEPEST_SLIDE = 0.72


def median_of_5(values: FloatArray) -> FloatArray:
    """Return the running median over five values; both of shape (n,), the ends held."""
    padded = np.pad(values, 2, mode="edge")
    windows = np.lib.stride_tricks.sliding_window_view(padded, 5)
    median: FloatArray = np.partition(windows, 2, axis=1)[:, 2]
    return median


def smooth_swings(rate: FloatArray, step_s: float) -> tuple[FloatArray, NDArray[np.bool_]]:
    """Take the mean where a rate swings every few seconds, as some do behind their cache.

    Swinging is: from one side of the 12 s mean to the other several times a window, by more
    than noise would. Returns the smoothed rate and where it swings, both of shape (n,).
    """
    width = max(5, round(_SWING_WINDOW_S / step_s)) | 1
    if rate.size < 2 * width:
        return rate, np.zeros(rate.size, dtype=bool)

    def rolling(values: FloatArray) -> FloatArray:
        padded = np.pad(values, width // 2, mode="edge")
        sums = np.concatenate([[0.0], np.cumsum(padded)])
        mean: FloatArray = (sums[width:] - sums[:-width]) / width
        return mean

    mean = np.maximum(rolling(rate), 1.0)
    # Beside a fall every second is above or below: only nearby swings count, not one step.
    above = (rate > mean).astype(np.float64)
    turns = rolling(np.abs(np.diff(above, prepend=above[0]))) * width
    spread = rolling(np.abs(rate / mean - 1))
    swings = (turns >= _SWING_TURNS) & (spread > _SWING_SPREAD)
    return np.where(swings, mean, rate), swings


def slides_evenly(
    rate: FloatArray, at_edges: FloatArray, levels: list[Level], edges: FloatArray
) -> bool:
    """Return whether an even fall along the bytes explains the rate as well as steps do.

    r(x)^2 falls in a straight line along the bytes of a hard disk: r = r_outer sqrt(1 - k x).
    """
    if any(b.bytes_per_s < a.bytes_per_s * _STEEPEST_SLIDE for a, b in itertools.pairwise(levels)):
        return False
    square = median_of_5(rate) ** 2
    along = at_edges[:-1]
    slope, start = np.polyfit(along, square, 1)
    if slope >= 0:
        return False
    line = np.sqrt(np.maximum(start + slope * along, 0.0))
    steps = np.concatenate(
        [
            np.full(
                int(((edges[:-1] >= each.start_s) & (edges[:-1] < each.end_s)).sum()),
                each.bytes_per_s,
            )
            for each in levels
        ]
    )
    smooth = np.sqrt(square)
    size = min(steps.size, smooth.size)
    by_line = float(((smooth[:size] - line[:size]) ** 2).sum())
    by_steps = float(((smooth[:size] - steps[:size]) ** 2).sum())
    return by_line <= 1.1 * by_steps
