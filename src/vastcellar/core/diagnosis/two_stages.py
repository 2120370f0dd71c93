"""Could two stages of a throttle have made both of two lasting falls?

The first stage cuts the heat as it cuts the rate. To reach a second, the drive must go on warming
on less heat, which only one that was far from settled can do. Thousands of drives in cases, drawn
evenly from more than the usual ranges, are written to at the rates seen: if not one of them warms
so, the throttle alone can't have done both.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from vastcellar.core.diagnosis.levels import Drop
from vastcellar.core.writing.heat_columns import Courses, FloatArray, HeatPathColumns

_DRAWN = 3000
# C1 J/K, C2 J/K, R12 K/W, R2a K/W of a small plastic case, a finned one, a heatsink, a card
# shell: typical ranges, opened by a quarter.
_CASES = np.array(
    [
        [[8, 15], [25, 60], [4, 9], [9, 15]],
        [[10, 18], [70, 160], [2, 5], [4.5, 8]],
        [[12, 22], [250, 600], [1, 2.5], [2, 3.8]],
        [[4, 8], [8, 25], [3, 8], [13, 26]],
    ]
)
_OPENED = np.array([1 / 1.25, 1.25])
_ROOM_C, _BRIDGE_W, _IDLE_W = (15.0, 40.0), (0.2, 3.5), (0.2, 1.5)
_NVME_J_PER_GB, _SATA_J_PER_GB = (1.0, 3.2), (2.5, 6.0)
_FASTEST_SATA_BYTES_PER_S = 600e6
# Folding makes heat of its own, and more of it once writing is slower: J a GB x GB/s.
_FOLD_J_PER_GB, _FOLD_GB_PER_S = (0.0, 2.5), (0.0, 0.5)
_FIRST_ON_C = (52.0, 88.0)
_LEAST_STAGE_K, _MOST_STAGE_K = 2.0, 10.0
_MOST_HYSTERESIS_K = 11.0
_MOMENTS = 12


@cache
def _drawn(is_sata: bool) -> tuple[HeatPathColumns, FloatArray, FloatArray, FloatArray, FloatArray]:
    """Return drives drawn evenly over their ranges.

    Cases, idle watts, J a GB, watts of folding on top once writing is slower, and how far each had
    warmed up by idling when it began: 0 came from the shelf, 1 had lain ready.
    """
    even = np.random.default_rng(20).random((12, _DRAWN))
    case = _CASES[(even[0] * len(_CASES)).astype(int)] * _OPENED
    low, high = case[:, :, 0].T, case[:, :, 1].T
    c1, c2, r12, r2a = low + (high - low) * even[1:5]

    def over(values: FloatArray, limits: tuple[float, float]) -> FloatArray:
        return limits[0] + (limits[1] - limits[0]) * values

    paths = HeatPathColumns(c1, c2, r12, r2a, over(even[5], _BRIDGE_W), over(even[6], _ROOM_C))
    heat = over(even[8], _SATA_J_PER_GB if is_sata else _NVME_J_PER_GB)
    fold_w = over(even[9], _FOLD_J_PER_GB) * over(even[10], _FOLD_GB_PER_S)
    return paths, over(even[7], _IDLE_W), heat, fold_w, even[11]


def may_be_two_stages(first: Drop, second: Drop, begin_s: float) -> bool:
    """Return whether the throttle alone may have made both falls of a run from rest.

    Args:
        first: the earlier fall, from the full rate.
        second: the later one, from the rate after the first.
        begin_s: when writing began.

    """
    is_sata = first.before_bytes_per_s <= _FASTEST_SATA_BYTES_PER_S
    paths, idle_w, j_per_gb, fold_w, warmed = _drawn(is_sata)

    def watts(bytes_per_s: float) -> FloatArray:
        value: FloatArray = idle_w + j_per_gb * bytes_per_s / 1e9
        return value

    def onwards(span_s: float) -> FloatArray:
        return np.linspace(0.0, span_s, _MOMENTS)[1:, None]

    start_c = tuple(
        paths.ambient_c + warmed * (steady_c - paths.ambient_c)
        for steady_c in paths.steady_c(idle_w)
    )
    full = Courses(paths, watts(first.before_bytes_per_s), *start_c)
    to_first_s = np.array(first.at_s - begin_s)
    first_on_c, case_c = full.drive_c(to_first_s), full.case_c(to_first_s)
    capped = Courses(paths, watts(first.after_bytes_per_s) + fold_w, first_on_c, case_c)
    between_s = second.at_s - first.at_s
    between_c = capped.drive_c(onwards(between_s))
    second_on_c, case_c = between_c[-1], capped.case_c(np.array(between_s))
    lowest = Courses(paths, watts(second.after_bytes_per_s) + fold_w, second_on_c, case_c)
    after_c = lowest.drive_c(onwards(max(second.held_s, 2.0)))
    further_k = second_on_c - first_on_c
    fits = (
        (first_on_c >= _FIRST_ON_C[0])
        & (first_on_c <= _FIRST_ON_C[1])
        & (between_c.min(axis=0) >= first_on_c - _MOST_HYSTERESIS_K)
        & (further_k >= _LEAST_STAGE_K)
        & (further_k <= _MOST_STAGE_K)
        & (after_c.min(axis=0) >= second_on_c - _MOST_HYSTERESIS_K)
    )
    return bool(fits.any())
