"""Where a noisy series changes its level: optimal partitioning over its steep places."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.trace import FloatArray

IntArray = NDArray[np.int64]

_MOST_CANDIDATES = 90


def optimal_partition(
    values: FloatArray, penalty: float, candidates: IntArray | None = None, least: int = 3
) -> list[int]:
    """Return where the pieces of *values*, shape (n,), begin: least squares + *penalty* a piece.

    Pieces have at least *least* values and begin at 0 or at one of *candidates* (rising), or
    anywhere without them. The empty series has no piece.
    Source: optimal partitioning, Jackson et al., IEEE Signal Processing Letters 12 (2005).
    """
    count = values.size
    if count < 2 * least:
        return [0] if count else []
    inner = np.arange(least, count) if candidates is None else candidates
    inner = inner[(inner >= least) & (inner <= count - least)]
    places = np.concatenate([[0], inner, [count]])
    sums = np.concatenate([[0.0], np.cumsum(values)])[places]
    squares = np.concatenate([[0.0], np.cumsum(values * values)])[places]
    size = places[None, :] - places[:, None]
    total = sums[None, :] - sums[:, None]
    # Row: where a piece begins; column: where it ends. All at once, the walk only adds up.
    piece = squares[None, :] - squares[:, None] - total * total / np.maximum(size, 1)
    piece = np.where(size >= least, piece + penalty, np.inf)
    best = np.full(places.size, np.inf)
    best[0] = -penalty
    before = np.zeros(places.size, dtype=np.int64)
    for end in range(1, places.size):
        cost = best[:end] + piece[:end, end]
        before[end] = cost.argmin()
        best[end] = cost[before[end]]
    starts, end = [], places.size - 1
    while end > 0:
        end = int(before[end])
        starts.append(int(places[end]))
    return starts[::-1]


def change_candidates(values: FloatArray, sigma: float) -> IntArray:
    """Return where *values* may change level: the steepest places, at most ``_MOST_CANDIDATES``.

    Trying every place costs n^2; a change of level is always a steep place.
    """
    width = 4
    if values.size < 4 * width:
        return np.arange(1, values.size)
    sums = np.concatenate([[0.0], np.cumsum(values)])
    means = (sums[width:] - sums[:-width]) / width  # mean of [i, i + width)
    steep = np.abs(means[width:] - means[:-width])  # at i + width
    peaks = np.ones(steep.size, dtype=bool)
    peaks[1:] &= steep[1:] >= steep[:-1]
    peaks[:-1] &= steep[:-1] >= steep[1:]
    places = np.flatnonzero(peaks & (steep > sigma))
    if places.size > _MOST_CANDIDATES:
        places = np.sort(places[np.argsort(steep[places])[-_MOST_CANDIDATES:]])
    near = places + width
    # A slow slide has no steep place; a coarse grid lets it be parted all the same.
    grid = np.arange(0, values.size, max(8, values.size // 40))
    return np.unique(np.concatenate([near, grid]))
