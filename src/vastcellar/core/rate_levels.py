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

from vastcellar.core.change_points import change_candidates, optimal_partition
from vastcellar.core.trace import FloatArray, Trace

RUN_GAP_S = 30.0
"""So long without a byte parts one run from the next."""
_TRANSITION_S = 15.0
SAME_LEVEL = 0.12
"""Levels nearer than this are one level."""
MOST_STEPS = 2400
_LEAST_SIGMA = 0.03
_PENALTY = 14.0
_SWING_WINDOW_S = 12.0
_SWING_TURNS = 3.0
_SWING_SPREAD = 0.10
_SWING_PERIOD_S = 6.0
_LEAST_TAIL_S = 15.0
_LANDING_S = 20.0
_SURELY_APART = 0.25
_STEEPEST_SLIDE = 0.72
_FLOOR_SHARE = 0.01
_FIT_S = 6.0


@dataclass(frozen=True, slots=True)
class Level:
    """A stretch of one rate; bytes over time, dips included."""

    start_s: float
    end_s: float
    start_bytes: float
    bytes_per_s: float

    @property
    def duration_s(self) -> float:
        """Length of the stretch."""
        return self.end_s - self.start_s


@dataclass(frozen=True, slots=True)
class Dip:
    """A low that came back to the level before it, while writing went on."""

    start_s: float
    duration_s: float
    start_bytes: float
    share: float
    """Rate in the low over the level around it."""
    bytes_per_s: float
    start_c: float
    """Drive temperature where it began, nan without a sensor."""


@dataclass(frozen=True, slots=True)
class Drop:
    """A fall to a lower level that lasted to the end of the run, or to the next drop."""

    at_s: float
    written_bytes: float
    before_bytes_per_s: float
    after_bytes_per_s: float
    held_s: float
    at_c: float
    """Drive temperature at the fall, nan without a sensor."""
    error_bytes: float
    """How far off the place may be."""

    @property
    def share(self) -> float:
        """Rate after over rate before; before is never 0, or it would be no drop."""
        return self.after_bytes_per_s / self.before_bytes_per_s


@dataclass(frozen=True)
class RateLevels:
    """What the rate of one run did. Arrays have shape (n,) on steps of ``step_s``."""

    step_s: float
    rate_bytes_per_s: FloatArray
    levels: tuple[Level, ...]
    drops: tuple[Drop, ...]
    dips: tuple[Dip, ...]
    swings: NDArray[np.bool_]
    """Steps in which the rate went up and down every few seconds, shape (n,)."""
    slides: bool = False
    """Whether it fell evenly along the bytes, as a hard disk does towards its inner zones."""


def split_runs(trace: Trace) -> tuple[Trace, ...]:
    """Return the runs of *trace*, parted where no byte came for ``RUN_GAP_S``.

    Elapsed time goes on from run to run; bytes begin at 0 in each.
    """
    elapsed, written = trace.elapsed_s, trace.written_bytes
    if elapsed.size < 2:
        return ()
    moved = np.flatnonzero(np.diff(written) > 0) + 1
    if not moved.size:
        return ()
    # A logger's own pause with bytes in it is no gap: the writing went on. Only rows that show
    # no byte count, from the last row with the old bytes.
    still_from = elapsed[moved - 1]
    previous = np.concatenate([[elapsed[0]], elapsed[moved[:-1]]])
    breaks = np.flatnonzero(still_from - previous >= RUN_GAP_S)
    starts = [0 if 0 not in breaks else int(moved[0]) - 1]
    ends: list[int] = []
    for index in breaks:
        if index == 0:
            continue
        ends.append(int(moved[index - 1]))
        starts.append(int(moved[index]) - 1)
    ends.append(int(moved[-1]))  # what stands still at the end is no longer writing
    return tuple(
        Trace(
            elapsed[start : end + 1].copy(),
            written[start : end + 1] - written[start],
            trace.temperature_c[start : end + 1].copy(),
        )
        for start, end in zip(starts, ends, strict=True)
        if end > start
    )


def _median_of_5(values: FloatArray) -> FloatArray:
    padded = np.pad(values, 2, mode="edge")
    windows = np.lib.stride_tricks.sliding_window_view(padded, 5)
    median: FloatArray = np.median(windows, axis=1)
    return median


def _smooth_swings(rate: FloatArray, step_s: float) -> tuple[FloatArray, NDArray[np.bool_]]:
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
    smoothed, swings = _smooth_swings(rate, step_s)
    logs = np.log(np.maximum(smoothed, floor))
    smooth = _median_of_5(logs)
    sigma = max(_LEAST_SIGMA, float(np.median(np.abs(np.diff(smooth)))))
    penalty = _PENALTY * sigma**2 * math.log(smooth.size)
    starts = optimal_partition(smooth, penalty, change_candidates(smooth, sigma))
    pieces = _without_transitions(_merge(starts, at_edges, edges), at_edges, edges)
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
    while len(pieces) > 1:
        steps = [apart(a.rate, b.rate) for a, b in itertools.pairwise(pieces)]
        nearest = int(np.argmin(steps))
        if steps[nearest] >= SAME_LEVEL:
            break
        pieces[nearest : nearest + 2] = [made(pieces[nearest].first, pieces[nearest + 1].last)]
    return pieces


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


def apart(one: float, other: float) -> float:
    """Return how far two rates lie apart, as a share of the higher; 0 where both are 0."""
    high = max(one, other)
    return abs(one - other) / high if high > 0 else 0.0


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
        _place_drop(trace, before, after) if after.bytes_per_s < before.bytes_per_s else None
        for before, after in itertools.pairwise(steady)
    ]
    levels = _bounded_by_drops(steady, placed, trace)
    drops = [
        replace(drop, before_bytes_per_s=before.bytes_per_s, after_bytes_per_s=after.bytes_per_s)
        for drop, (before, after) in zip(placed, itertools.pairwise(levels), strict=True)
        # A drop is none if its neighbours' seconds, shared out anew, leave no fall.
        if drop is not None and after.bytes_per_s < before.bytes_per_s
    ]
    if drops and not dips and _slides(rate, at_edges, levels, edges):
        whole = _level(0, at_edges.size - 1, edges, at_edges)
        return RateLevels(step_s, rate, (whole,), (), (), swings, slides=True)
    return RateLevels(step_s, rate, tuple(levels), tuple(drops), tuple(dips), swings)


def _slides(rate: FloatArray, at_edges: FloatArray, levels: list[Level], edges: FloatArray) -> bool:
    """Return whether an even fall along the bytes explains the rate as well as steps do.

    r(x)^2 falls in a straight line along the bytes of a hard disk: r = r_outer sqrt(1 - k x).
    """
    if any(b.bytes_per_s < a.bytes_per_s * _STEEPEST_SLIDE for a, b in itertools.pairwise(levels)):
        return False
    square = _median_of_5(rate) ** 2
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


def temperature_at_c(trace: Trace, at_s: float, within_s: float = 12.0) -> float:
    """Return the temperature around *at_s*: the nearest reading, nan where none is near."""
    known = np.isfinite(trace.temperature_c)
    if not known.any():
        return math.nan
    times, values = trace.elapsed_s[known], trace.temperature_c[known]
    if np.abs(times - at_s).min() > within_s:
        return math.nan
    return float(np.interp(at_s, times, values))


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


def _place_drop(trace: Trace, before: Level, after: Level) -> Drop:
    """Place a fall where two lines through the bytes around it fit best."""
    at_s, error_s = _two_line_knee(trace, before, after)
    at_bytes = float(np.interp(at_s, trace.elapsed_s, trace.written_bytes))
    return Drop(
        at_s=at_s,
        written_bytes=at_bytes,
        before_bytes_per_s=before.bytes_per_s,
        after_bytes_per_s=after.bytes_per_s,
        held_s=after.end_s - at_s,
        at_c=temperature_at_c(trace, at_s),
        error_bytes=error_s * before.bytes_per_s,
    )


def _two_line_knee(trace: Trace, before: Level, after: Level) -> tuple[float, float]:
    """Return (moment, error) in s of the knee within +-6 s of where the one level ends."""
    at_s = after.start_s
    low_s = max(before.end_s - _FIT_S, before.start_s)
    high_s = min(at_s + _FIT_S, after.end_s)
    times = np.arange(low_s, high_s + 1e-9, 0.25)
    if times.size < 8:
        return at_s, 1.0
    written = np.interp(times, trace.elapsed_s, trace.written_bytes)
    knees = times[4:-4:1]
    # Hinge fit for every knee at once: 1, t, (t - knee)+ by normal equations.
    centred = times - times.mean()
    hinge = np.maximum(times[None, :] - knees[:, None], 0.0)
    base = np.stack([np.ones_like(times), centred])
    solve, *_ = np.linalg.lstsq(base.T, written, rcond=None)
    rest = written - solve @ base
    fit_hinge = np.linalg.lstsq(base.T, hinge.T, rcond=None)[0]
    free = hinge - fit_hinge.T @ base
    power = (free * free).sum(axis=1)
    along = free @ rest
    error = (rest * rest).sum() - np.where(power > 0, along * along / np.maximum(power, 1e-9), 0.0)
    best = int(error.argmin())
    # Rounding may leave a perfect fit slightly below 0.
    near = knees[error <= error[best] + 0.5 * abs(error[best])]
    return float(knees[best]), max(float(np.ptp(near)) / 2, 0.25)
