"""Levels of a measured rate: where it stood, where it changed for good, where it dipped.

Bytes are interpolated onto whole seconds and then differenced; levels are found by optimal
partitioning of the rate's logarithm, and each change is placed by two lines through the bytes.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.diagnosis.change_points import change_candidates, optimal_partition
from vastcellar.core.diagnosis.knee import place_drop
from vastcellar.core.diagnosis.levels import Dip, Drop, Level, RateLevels, apart, temperature_at_c
from vastcellar.core.diagnosis.smoothing import median_of_5, slides_evenly, smooth_swings
from vastcellar.core.trace import FloatArray, Trace

_TRANSITION_S = 15.0
SAME_LEVEL = 0.12
"""Levels nearer than this are one level."""
MOST_STEPS = 2400
_LEAST_SIGMA = 0.03
_PENALTY = 14.0
_SWING_PERIOD_S = 6.0
_LEAST_TAIL_S = 15.0
_LANDING_S = 20.0
_SETTLING_S = 8.0
_SURELY_APART = 0.25
_FLOOR_SHARE = 0.01


def find_levels(trace: Trace) -> RateLevels:
    """Return the levels, drops and dips of one run.

    A run shorter than 6 s has one level and nothing else.
    """
    start_s, duration_s = float(trace.elapsed_s[0]), trace.duration_s - float(trace.elapsed_s[0])
    step_s = max(1.0, math.ceil(duration_s / MOST_STEPS))
    edges = start_s + np.arange(0.0, duration_s + 1e-6, step_s)
    at_edges = np.interp(edges, trace.elapsed_s, trace.written_bytes)
    rate = np.diff(at_edges) / step_s
    if rate.size < 6:
        mean = float(trace.written_bytes[-1]) / duration_s if duration_s > 0 else 0.0
        only = Level(start_s, start_s + duration_s, 0.0, mean)
        return RateLevels(step_s, rate, (only,), (), (), np.zeros(rate.size, dtype=bool))
    floor = max(float(np.quantile(rate, 0.9)) * _FLOOR_SHARE, 1.0)
    smoothed, swings = smooth_swings(rate, step_s)
    logs = np.log(np.maximum(smoothed, floor))
    smooth = median_of_5(logs)
    sigma = max(_LEAST_SIGMA, float(np.median(np.abs(np.diff(smooth)))))
    penalty = _PENALTY * sigma**2 * math.log(smooth.size)
    starts = optimal_partition(smooth, penalty, change_candidates(smooth, sigma))
    pieces = _without_transitions(_merge(starts, at_edges, edges), at_edges, edges)
    while len(pieces) > 1 and _is_settling(pieces[0], pieces[1], edges):
        pieces = pieces[1:]
    return _read_levels(trace, step_s, rate, swings, pieces, edges, at_edges)


@dataclass(slots=True)
class _Piece:
    first: int
    last: int  # edge after it
    rate: float


def _merge(starts: list[int], at_edges: FloatArray, edges: FloatArray) -> list[_Piece]:
    """Join neighbours of one level, nearest first, so that a slow slide is not one level."""
    bounds = [*starts, at_edges.size - 1]

    def made(first: int, last: int) -> _Piece:
        span_s = edges[last] - edges[first]
        return _Piece(first, last, float((at_edges[last] - at_edges[first]) / span_s))

    pieces = [made(first, last) for first, last in itertools.pairwise(bounds)]
    steps = [apart(a.rate, b.rate) for a, b in itertools.pairwise(pieces)]
    while steps and min(steps) < SAME_LEVEL:
        nearest = steps.index(min(steps))
        pieces[nearest : nearest + 2] = [made(pieces[nearest].first, pieces[nearest + 1].last)]
        around = pieces[max(nearest - 1, 0) : nearest + 2]
        steps[max(nearest - 1, 0) : nearest + 2] = [
            apart(a.rate, b.rate) for a, b in itertools.pairwise(around)
        ]
    return pieces


def _is_settling(first: _Piece, then: _Piece, edges: FloatArray) -> bool:
    """Return whether the first seconds are slower than what follows: a start, and no level."""
    return first.rate < then.rate and bool(edges[first.last] - edges[first.first] < _SETTLING_S)


def _without_transitions(
    pieces: list[_Piece], at_edges: FloatArray, edges: FloatArray
) -> list[_Piece]:
    """Give short pieces between a higher and a lower one to the nearer of the two.

    They are the fall itself, blurred by whole seconds, and no level.
    """
    kept = list(pieces)
    index = 1
    while index < len(kept) - 1:
        before, piece, after = kept[index - 1 : index + 2]
        is_short = edges[piece.last] - edges[piece.first] < _TRANSITION_S
        if is_short and min(before.rate, after.rate) < piece.rate < max(before.rate, after.rate):
            to_before = apart(before.rate, piece.rate) < apart(after.rate, piece.rate)
            first, last = (before.first, piece.last) if to_before else (piece.first, after.last)
            # The neighbour keeps its own rate: the transition is too short to change it.
            kept[index - 1 : index + 2] = (
                [_Piece(first, last, before.rate), after]
                if to_before
                else [before, _Piece(first, last, after.rate)]
            )
            continue
        index += 1
    return kept


def _read_levels(
    trace: Trace,
    step_s: float,
    rate: FloatArray,
    swings: NDArray[np.bool_],
    pieces: list[_Piece],
    edges: FloatArray,
    at_edges: FloatArray,
) -> RateLevels:
    """Walk the pieces: what comes back to its level is a dip, what doesn't is a drop."""
    dips: list[Dip] = []
    bounds: list[tuple[int, int]] = []  # pieces of each level
    index = 0
    base_first = 0
    while index < len(pieces):
        base = pieces[index].rate
        back = _comes_back(pieces, index, base)
        if back is None:
            bounds.append((base_first, index))
            index += 1
            base_first = index
            continue
        if back == index + 1:  # the next piece is higher: a level of its own
            bounds.append((base_first, index))
            base_first = back
        else:
            low = pieces[index + 1 : back]
            dips.append(_dip(trace, low[0].first, low[-1].last, base, edges, at_edges))
        index = back
    levels = _same_levels(
        [_level(pieces[first].first, pieces[last].last, edges, at_edges) for first, last in bounds],
        rate,
        edges,
    )
    levels, dips = _truncated_dip(levels, dips, trace)
    steady = _without_landings(levels)
    placed = [
        place_drop(trace, before, after) if after.bytes_per_s < before.bytes_per_s else None
        for before, after in itertools.pairwise(steady)
    ]
    levels = _bounded_by_drops(steady, placed, trace)
    drops = [
        replace(drop, before_bytes_per_s=before.bytes_per_s, after_bytes_per_s=after.bytes_per_s)
        for drop, (before, after) in zip(placed, itertools.pairwise(levels), strict=True)
        # A drop is none if its neighbours' seconds, shared out anew, leave no fall.
        if drop is not None and after.bytes_per_s < before.bytes_per_s
    ]
    if drops and not dips and slides_evenly(rate, at_edges, levels, edges):
        whole = _level(0, at_edges.size - 1, edges, at_edges)
        return RateLevels(step_s, rate, (whole,), (), (), swings, slides=True)
    return RateLevels(step_s, rate, tuple(levels), tuple(drops), tuple(dips), swings)


def _bounded_by_drops(levels: list[Level], placed: list[Drop | None], trace: Trace) -> list[Level]:
    """Let levels begin and end at the drops between them, to a fraction of a second.

    On whole seconds a level of few seconds would take in a good share of its neighbour.
    """
    bounded = []
    for level, begins, ends in zip(levels, [None, *placed], [*placed, None], strict=True):
        start_s = begins.at_s if begins is not None else level.start_s
        end_s = ends.at_s if ends is not None else level.end_s
        first, last = np.interp([start_s, end_s], trace.elapsed_s, trace.written_bytes)
        rate = float(last - first) / (end_s - start_s) if end_s > start_s else level.bytes_per_s
        bounded.append(Level(start_s, max(end_s, start_s), float(first), rate))
    return bounded


def _without_landings(levels: list[Level]) -> list[Level]:
    """Leave out short levels halfway down a fall: it was one fall, blurred or with a landing."""
    return [
        level
        for index, level in enumerate(levels)
        if not (
            0 < index < len(levels) - 1
            and level.duration_s < _LANDING_S
            and levels[index - 1].bytes_per_s > level.bytes_per_s > levels[index + 1].bytes_per_s
        )
    ]


def _same_levels(levels: list[Level], rate: FloatArray, edges: FloatArray) -> list[Level]:
    """Join levels that are one once their dips are counted in, or that noise may have parted."""
    joined = levels[:1]
    for level in levels[1:]:
        last = joined[-1]
        step = apart(last.bytes_per_s, level.bytes_per_s)
        whole_s = levels[-1].end_s - levels[0].start_s
        is_tail = level is levels[-1] and level.duration_s < min(_LEAST_TAIL_S, 0.2 * whole_s)
        is_same = step < SAME_LEVEL or is_tail
        if not is_same and step < _SURELY_APART:
            errors = [_error_of(each, rate, edges) for each in (last, level)]
            is_same = abs(last.bytes_per_s - level.bytes_per_s) < 4 * math.hypot(*errors)
        if not is_same:
            joined.append(level)
            continue
        span_s = level.end_s - last.start_s
        whole = last.bytes_per_s * last.duration_s + level.bytes_per_s * level.duration_s
        joined[-1] = Level(last.start_s, level.end_s, last.start_bytes, whole / span_s)
    return joined


def _error_of(level: Level, rate: FloatArray, edges: FloatArray) -> float:
    """Return how surely the mean of *level* is known; neighbouring seconds swing together."""
    inside = rate[(edges[:-1] >= level.start_s) & (edges[1:] <= level.end_s)]
    if inside.size < 2:
        return level.bytes_per_s
    step_s = float(edges[1] - edges[0])
    return float(inside.std()) / math.sqrt(max(inside.size * step_s / _SWING_PERIOD_S, 1.0))


def _comes_back(pieces: list[_Piece], index: int, base: float) -> int | None:
    """Return the next piece that is as high as *base* again, or None."""
    return next(
        (
            later
            for later in range(index + 1, len(pieces))
            if pieces[later].rate >= base * (1 - SAME_LEVEL)
        ),
        None,
    )


def _level(first: int, last: int, edges: FloatArray, at_edges: FloatArray) -> Level:
    span_s = float(edges[last] - edges[first])
    return Level(
        float(edges[first]),
        float(edges[last]),
        float(at_edges[first]),
        float(at_edges[last] - at_edges[first]) / span_s,
    )


def _dip(
    trace: Trace, first: int, last: int, base: float, edges: FloatArray, at_edges: FloatArray
) -> Dip:
    span_s = float(edges[last] - edges[first])
    mean = float(at_edges[last] - at_edges[first]) / span_s
    begin_s = float(edges[first])
    return Dip(
        start_s=begin_s,
        duration_s=span_s,
        start_bytes=float(at_edges[first]),
        share=mean / base if base > 0 else 0.0,
        bytes_per_s=mean,
        start_c=temperature_at_c(trace, begin_s),
    )


def _truncated_dip(
    levels: list[Level], dips: list[Dip], trace: Trace
) -> tuple[list[Level], list[Dip]]:
    """Take a last low for the next tooth of a row of dips, where it looks like one cut off."""
    if len(levels) < 2 or len(dips) < 2:
        return levels, dips
    before, last = levels[-2], levels[-1]
    row = [dip for dip in dips if dip.start_s >= before.start_s - 1e-6]
    if len(row) < 2 or last.bytes_per_s >= before.bytes_per_s:
        return levels, dips
    low = float(np.median([dip.bytes_per_s for dip in row]))
    high = low / max(float(np.median([dip.share for dip in row])), 1e-3)
    longest_s = max(dip.duration_s for dip in row)
    is_low = 0.84 * low <= last.bytes_per_s <= (low + high) / 2
    if not is_low or last.duration_s > 1.5 * longest_s:
        return levels, dips
    share = last.bytes_per_s / high
    at_c = temperature_at_c(trace, last.start_s)
    cut = Dip(last.start_s, last.duration_s, last.start_bytes, share, last.bytes_per_s, at_c)
    span_s = last.end_s - before.start_s
    whole = before.bytes_per_s * before.duration_s + last.bytes_per_s * last.duration_s
    joined = Level(before.start_s, last.end_s, before.start_bytes, whole / span_s)
    return [*levels[:-2], joined], [*dips, cut]
