"""The cause of a slowdown, from a trace: named where the others are impossible, else left open."""

from __future__ import annotations

import itertools
import math

import numpy as np

from vastcellar.core.causes import Cause, Diagnosis, Estimate, Finding
from vastcellar.core.cooling_pair import weigh_with_fan
from vastcellar.core.drop_causes import DropCase, is_same_rate, weigh_drops
from vastcellar.core.errors import BadValueError
from vastcellar.core.rate_levels import Dip, Drop, RateLevels, apart, find_levels, split_runs
from vastcellar.core.trace import FloatArray, Trace

AT_LINK = 0.075
"""Flat within this of the link's ceiling is the link."""
_HOST_BURST_BYTES = 1.2e9
_HOST_BURST_S = 30.0
_UNSURE_BURST_S = 20.0
_CATCHING_UP_S = 8.0
_LATER_RATE_S = 30.0
_LARGEST_MEMORY_BYTES = 32e9  # a fifth to two fifths of a host's memory waits to be written
_OVER_LINK = 1.1
_SLOWEST_MEMORY_BYTES_PER_S = 1.5e9
_OVER_ANY_LINK_BYTES_PER_S = 4e9
_EQUAL_DEPTH = 0.16
_STALL_SHARE = 0.10
_SENSOR_K = 2.0
_LEAST_RUN_S = 6.0

_FAN_TEST = (
    "Run it from rest past the drop, let it rest until it is cool and folded, and run it again "
    "with a fan on the case: after the same bytes it is the cache, after more it is heat"
)
_LINK_TEST = "Name the ceiling of the link in use, or run the drive on a faster port"
_DIRECT_TEST = "Run it again past the host's memory (direct I/O)"
_AGAIN_TEST = "Run it again: lows at other places speak for the sample, at the same for heat"


def diagnose(
    trace: Trace,
    link_bytes_per_s: float | None = None,
    *,
    is_direct: bool = False,
    from_rest: bool = True,
) -> Diagnosis:
    """Return what slowed the drive of *trace* down, and on what evidence.

    Args:
        trace: flat-out writing; pauses of 30 s and more part it into runs.
        link_bytes_per_s: what the link in use carries, None where it isn't known.
        is_direct: whether the host's memory was bypassed for sure.
        from_rest: whether the drive was cool and idle at the start.

    Returns:
        causes with their evidence, or what is left and the test that would decide.

    Raises:
        BadValueError: for a trace of under 6 s, or without a byte.

    """
    return _diagnose(trace, None, link_bytes_per_s, is_direct=is_direct, from_rest=from_rest)


def diagnose_cooling_pair(
    rest: Trace, fan: Trace, link_bytes_per_s: float | None = None, *, is_direct: bool = False
) -> Diagnosis:
    """Return what slowed the run *rest* down, decided by the same run with a fan on the case.

    Both begin cool, idle and folded. The same drop after the same bytes is the cache; after more
    bytes, or not at all, it is heat.
    Raises BadValueError as ``diagnose`` does, and for a second run that is too short to tell.
    """
    return _diagnose(rest, fan, link_bytes_per_s, is_direct=is_direct, from_rest=True)


def _diagnose(
    trace: Trace, fan: Trace | None, link: float | None, *, is_direct: bool, from_rest: bool
) -> Diagnosis:
    runs = split_runs(trace)
    if not runs or trace.duration_s < _LEAST_RUN_S:
        raise BadValueError(
            f"it shows {trace.duration_s:.1f} s of writing",
            where="trace",
            mend=f"Measure for {_LEAST_RUN_S:.0f} s or longer",
        )
    findings: list[Finding] = []
    cleaned, level_list = [], []
    for run in runs:
        clean, found, run_levels = _without_host_burst(run, link, is_direct=is_direct)
        cleaned.append(clean)
        level_list.append(run_levels)
        findings += found
    levels = tuple(level_list)
    whole = _joined(tuple(cleaned))
    cases = weigh_drops(whole, tuple(cleaned), levels, from_rest=from_rest)
    teeth = [_teeth(found, run) for found, run in zip(levels, cleaned, strict=True)]
    findings += [finding for found in teeth for finding in found]
    _weigh_with_teeth(cases, levels, teeth)
    if fan is not None:
        fan_run = _first_run(fan)
        fan_clean, _, fan_levels = _without_host_burst(fan_run, link, is_direct=is_direct)
        weigh_with_fan(cases, levels[0], fan_clean, fan_levels)
    findings += _read_cases(cases, levels)
    if not findings and not any(found.dips for found in levels):
        findings += [_flat(levels, link, trace)]
    return _conclude(trace, levels, findings, cases)


def _first_run(trace: Trace) -> Trace:
    runs = split_runs(trace)
    if not runs or runs[0].duration_s - runs[0].elapsed_s[0] < _LEAST_RUN_S:
        raise BadValueError(
            "it shows hardly any writing", where="run with the fan", mend="Measure it as long"
        )
    return runs[0]


def _joined(runs: tuple[Trace, ...]) -> Trace:
    """Return *runs* as one trace again, bytes going on from run to run."""
    offset = 0.0
    written = []
    for run in runs:
        written.append(run.written_bytes + offset)
        offset += float(run.written_bytes[-1])
    return Trace(
        np.concatenate([run.elapsed_s for run in runs]),
        np.concatenate(written),
        np.concatenate([run.temperature_c for run in runs]),
    )


# First seconds


def _without_host_burst(
    run: Trace, link: float | None, *, is_direct: bool
) -> tuple[Trace, list[Finding], RateLevels]:
    """Take a burst into the host's memory out of *run*; return its levels, too.

    The burst's time is charged to the flush.
    """
    begin_s = float(run.elapsed_s[0])
    levels = find_levels(run)
    early = [drop for drop in levels.drops if drop.at_s - begin_s <= _HOST_BURST_S]
    if not early or is_direct:
        return run, [], levels
    last = early[-1]
    clean, excess = _flushed(run, last)
    burst = last.written_bytes / max(last.at_s - begin_s, 0.5)
    first = max(burst, levels.levels[0].bytes_per_s)
    if link and abs(first / link - 1) <= AT_LINK:
        return run, [], levels  # the link held it, so it went through the link
    over = first > link * _OVER_LINK if link else first > _OVER_ANY_LINK_BYTES_PER_S
    may_be_memory = (
        first >= _SLOWEST_MEMORY_BYTES_PER_S
        and excess <= _LARGEST_MEMORY_BYTES
        and last.at_s - begin_s <= _UNSURE_BURST_S
    )
    if excess < _HOST_BURST_BYTES or not (over or may_be_memory):
        return run, [], levels
    if not over:
        finding = Finding(
            None,
            last.at_s,
            last.written_bytes,
            f"the first {excess / 1e9:.1f} GB beyond the later rate came at {first / 1e6:,.0f} "
            "MB/s: a small cache, or the host's memory",
            (Cause.CACHE, Cause.HOST_CACHE),
        )
        return clean, [finding], find_levels(clean)
    than = f"than the {link / 1e6:,.0f} MB/s of the link" if link else "than any link carries"
    finding = Finding(
        Cause.HOST_CACHE,
        last.at_s,
        last.written_bytes,
        f"the first {last.at_s - begin_s:.0f} s came at {first / 1e6:,.0f} MB/s, more {than}: "
        f"{excess / 1e9:.1f} GB went into the host's memory",
    )
    return clean, [finding], find_levels(clean)


def _flushed(run: Trace, last: Drop) -> tuple[Trace, float]:
    """Return *run* as if its first seconds had gone at the later rate, and the bytes above it.

    The seconds right after the burst belong to it: the host still catches up.
    """
    begin_s, end_s = float(run.elapsed_s[0]), float(run.elapsed_s[-1])
    settled_s = min(last.at_s + _CATCHING_UP_S, (last.at_s + end_s) / 2)
    until_s = min(settled_s + _LATER_RATE_S, end_s)
    at, until = np.interp([settled_s, until_s], run.elapsed_s, run.written_bytes)
    rate = (until - at) / (until_s - settled_s)
    since_s = run.elapsed_s - begin_s
    excess = at - rate * (settled_s - begin_s)
    written = np.where(run.elapsed_s <= settled_s, rate * since_s, run.written_bytes - excess)
    whole = np.maximum.accumulate(np.maximum(written, 0.0))
    return Trace(run.elapsed_s.copy(), whole, run.temperature_c.copy()), float(excess)


# Dips


def _teeth(levels: RateLevels, run: Trace) -> list[Finding]:
    """Say what the lows that came back are: a throttle's sawtooth, an erratic sample, or open."""
    dips = levels.dips
    if not dips:
        return []
    at_s, at_bytes = dips[0].start_s, dips[0].start_bytes
    stalls = [dip for dip in dips if dip.share < _STALL_SHARE]
    if _is_sawtooth(dips, run):
        started = [dip.start_c for dip in dips if not math.isnan(dip.start_c)]
        at = f", each from {np.median(started):.0f} °C" if started else ""
        return [
            Finding(
                Cause.THERMAL,
                at_s,
                at_bytes,
                f"{len(dips)} lows of equal depth ({np.median([d.share for d in dips]):.0%} of the "
                f"rate) after a quiet warm-up{at}: a throttle's sawtooth",
            )
        ]
    if _is_erratic(dips):
        longest = max(dip.duration_s for dip in dips)
        shallow, deep = max(d.share for d in dips), min(d.share for d in dips)
        return [
            Finding(
                Cause.INCONSISTENT,
                at_s,
                at_bytes,
                f"{len(dips)} lows at random times, down to {deep:.0%} to {shallow:.0%} of the "
                f"rate, {len(stalls)} of them stalls, the longest {longest:.0f} s",
            )
        ]
    return [
        Finding(
            None,
            at_s,
            at_bytes,
            f"{len(dips)} lows that came back: too few to tell heat from an erratic sample",
            (Cause.THERMAL, Cause.INCONSISTENT),
        )
    ]


def _is_sawtooth(dips: tuple[Dip, ...], run: Trace) -> bool:
    """Equal lows, at least three, none of them a stall, after a quiet start or at one heat."""
    shares = np.array([dip.share for dip in dips])
    if len(dips) < 3 or float(np.median(shares)) < _STALL_SHARE:
        return False
    usual = float(np.median(shares))
    near = np.abs(shares - usual) <= _EQUAL_DEPTH / 2
    if near.mean() < 0.8 or near.sum() < 3:
        return False
    starts = np.array([dip.start_s for dip in dips])
    lengths = np.array([dip.duration_s for dip in dips])
    started = np.array([dip.start_c for dip in dips])
    if np.isfinite(started).all():
        spread = float(np.quantile(started, 0.9) - np.quantile(started, 0.1))
        return not (spread > 2 * _SENSOR_K or float(np.median(started)) < 50)
    quiet_s = starts[0] - float(run.elapsed_s[0])
    gaps = np.diff(starts)
    is_regular = float(np.std(gaps) / np.mean(gaps)) < 0.35 if gaps.size >= 2 else False
    return bool(
        is_regular and quiet_s > 1.5 * float(np.median(gaps)) and float(np.median(lengths)) >= 5
    )


def _is_erratic(dips: tuple[Dip, ...]) -> bool:
    """Lows of different depth, or stalls, at random times from the start."""
    if not dips:
        return False
    shares = np.array([dip.share for dip in dips])
    if int((shares < _STALL_SHARE).sum()) >= 2:
        return True
    lengths = np.array([dip.duration_s for dip in dips])
    return (
        len(dips) >= 4
        and float(np.ptp(shares)) > 2 * _EQUAL_DEPTH
        and float(np.median(lengths)) < 25
    )


# Lasting drops


def _weigh_with_teeth(
    cases: list[DropCase], levels: tuple[RateLevels, ...], teeth: list[list[Finding]]
) -> None:
    """After a sawtooth, a drop inside its band is the cliff, a hotter one is the next stage."""
    for case in cases:
        found = teeth[case.run]
        dips = levels[case.run].dips
        lows = [dip.bytes_per_s for dip in dips if dip.start_s < case.drop.at_s]
        if len(lows) >= 2 and found and found[0].cause is not Cause.INCONSISTENT:
            low = float(np.median(lows))
            if apart(case.drop.after_bytes_per_s, low) < _EQUAL_DEPTH:
                case.against_cache.append("it fell to the low of the dips before it")
                continue
        if not found or found[0].cause is not Cause.THERMAL or math.isnan(case.drop.at_c):
            continue
        before = [dip.start_c for dip in dips if dip.start_s < case.drop.at_s]
        after = [dip.start_c for dip in dips if dip.start_s > case.drop.at_s]
        if len(before) >= 2:
            top = float(np.median(before))
            if case.drop.at_c <= top + 1:
                case.against_heat.append(
                    f"it came at {case.drop.at_c:.0f} °C, inside the sawtooth's band"
                )
        elif len(after) >= 2 and float(np.median(after)) <= case.drop.at_c + 1:
            case.against_heat.append(
                f"a throttle's sawtooth came later at {np.median(after):.0f} °C: its stage had "
                "not been reached before"
            )


def _read_cases(cases: list[DropCase], levels: tuple[RateLevels, ...]) -> list[Finding]:
    by_run: dict[int, list[DropCase]] = {}
    for case in cases:
        by_run.setdefault(case.run, []).append(case)
    findings: list[Finding] = []
    for found in by_run.values():
        if not _is_erratic(levels[found[0].run].dips):
            _weigh_several(found)
        for case in found:
            findings.append(_finding(case))
        open_ = [case for case in found if not case.is_heat and not case.is_cache]
        is_steady = not levels[found[0].run].dips
        if len(open_) == len(found) and is_steady and _go_down_in_steps(found):
            last = found[-1]
            findings.append(
                Finding(
                    Cause.THERMAL,
                    last.drop.at_s,
                    last.drop.written_bytes,
                    f"{len(found)} lasting drops in one run: a cache runs out once, so heat is "
                    "among them",
                )
            )
    return findings


def _go_down_in_steps(cases: list[DropCase]) -> bool:
    """Return whether at least two drops lead down in turn, and not to one rate from a rise."""
    return any(
        lower.drop.after_bytes_per_s < upper.drop.after_bytes_per_s
        and not is_same_rate(lower.drop.after_bytes_per_s, upper.drop.after_bytes_per_s)
        for upper, lower in itertools.pairwise(cases)
    )


def _weigh_several(cases: list[DropCase]) -> None:
    """Of several drops in one run at most one is the cliff: once it is found, the rest is heat."""
    cliffs = [case for case in cases if case.is_cache]
    if len(cliffs) == 1:
        for case in cases:
            rates = case.drop.after_bytes_per_s, cliffs[0].drop.after_bytes_per_s
            if case is not cliffs[0] and not case.against_heat and not is_same_rate(*rates):
                case.against_cache.append("the cache had run out elsewhere in this run")
    heats = [case for case in cases if case.is_heat]
    if len(cases) == 2 and len(heats) == 1:
        other = next(case for case in cases if case is not heats[0])
        hotter = heats[0].drop.at_c, other.drop.at_c
        if not other.against_cache and not other.against_heat and not any(map(math.isnan, hotter)):
            first, last = cases
            if last.drop.at_c <= first.drop.at_c + 1:
                other.against_heat.append("a second stage would have been hotter than the first")


def _finding(case: DropCase) -> Finding:
    drop = case.drop
    fell = (
        f"from {drop.before_bytes_per_s / 1e6:,.0f} to {drop.after_bytes_per_s / 1e6:,.0f} MB/s "
        f"after {drop.written_bytes / 1e9:.1f} GB"
    )
    if case.is_heat:
        return Finding(
            Cause.THERMAL, drop.at_s, drop.written_bytes, f"{fell}; {case.against_cache[0]}"
        )
    if case.is_cache:
        return Finding(
            Cause.CACHE, drop.at_s, drop.written_bytes, f"{fell}; {case.against_heat[0]}"
        )
    both = case.against_heat and case.against_cache
    reason = (
        "the signs contradict each other: " + "; ".join(case.against_heat + case.against_cache)
        if both
        else "a full cache and a throttling drive look alike here"
    )
    return Finding(
        None, drop.at_s, drop.written_bytes, f"{fell}; {reason}", (Cause.CACHE, Cause.THERMAL)
    )


# Flat


def _flat(levels: tuple[RateLevels, ...], link: float | None, trace: Trace) -> Finding:
    rate = max(found.levels[0].bytes_per_s for found in levels)
    how = "it fell evenly along the bytes, as a hard disk does towards its inner zones"
    is_sliding = any(found.slides for found in levels)
    seen = how if is_sliding else "no slowdown"
    seen += f" in {trace.written_bytes[-1] / 1e9:.1f} GB and {trace.duration_s:.0f} s"
    at_s, at_bytes = trace.duration_s, float(trace.written_bytes[-1])
    if link is None:
        return Finding(
            None,
            at_s,
            at_bytes,
            f"{seen}; whether the link or the drive ends at {rate / 1e6:,.0f} MB/s shows only "
            "with the link's ceiling",
            (Cause.LINK, Cause.HEALTHY),
        )
    if rate >= link * (1 - AT_LINK):
        return Finding(
            Cause.LINK,
            at_s,
            at_bytes,
            f"{seen}; flat at {rate / 1e6:,.0f} MB/s, the ceiling of the link "
            f"({link / 1e6:,.0f} MB/s)",
        )
    return Finding(
        Cause.HEALTHY, at_s, at_bytes, f"{seen}; flat below the link's {link / 1e6:,.0f} MB/s"
    )


# The whole


def _conclude(
    trace: Trace,
    levels: tuple[RateLevels, ...],
    findings: list[Finding],
    cases: list[DropCase],
) -> Diagnosis:
    found = {finding.cause for finding in findings if finding.cause is not None}
    causes = tuple(cause for cause in Cause if cause in found)
    left = {cause for finding in findings for cause in finding.candidates}
    candidates = tuple(cause for cause in Cause if cause in left and cause not in found)
    first, last = levels[0], levels[-1]
    knee = next((case for case in cases if not case.is_heat), None)
    after = _level_after(knee, levels) if knee else None
    hot = [case.drop for case in cases if case.is_heat]
    return Diagnosis(
        causes=causes,
        candidates=candidates,
        deciding_test=_deciding_test(findings),
        findings=tuple(sorted(findings, key=lambda each: each.at_s)),
        burst_bytes_per_s=first.levels[0].bytes_per_s,
        sustained_bytes_per_s=last.levels[-1].bytes_per_s,
        knee_bytes=_knee(knee.drop) if knee else None,
        rate_after_cache_bytes_per_s=after,
        throttle_c=_throttle_c(hot, levels, findings),
        seen_bytes=float(trace.written_bytes[-1]),
        seen_s=trace.duration_s,
        drops=tuple(drop for each in levels for drop in each.drops),
        dips=tuple(dip for each in levels for dip in each.dips),
    )


def _deciding_test(findings: list[Finding]) -> str:
    left = {cause for finding in findings for cause in finding.candidates}
    tests = []
    if Cause.CACHE in left:
        tests.append(_DIRECT_TEST if Cause.HOST_CACHE in left else _FAN_TEST)
    if Cause.LINK in left:
        tests.append(_LINK_TEST)
    if Cause.INCONSISTENT in left:
        tests.append(_AGAIN_TEST)
    return ". ".join(tests)


def _knee(drop: Drop) -> Estimate:
    error = max(drop.error_bytes, 0.014 * drop.written_bytes / 1.645)
    return Estimate(
        drop.written_bytes, max(drop.written_bytes - 2 * error, 0.0), drop.written_bytes + 2 * error
    )


def _level_after(case: DropCase, levels: tuple[RateLevels, ...]) -> Estimate:
    found = levels[case.run]
    rate = case.drop.after_bytes_per_s
    middle_s = (np.arange(found.rate_bytes_per_s.size) + 0.5) * found.step_s + found.levels[
        0
    ].start_s
    end_s = case.drop.at_s + case.drop.held_s
    inside: FloatArray = found.rate_bytes_per_s[
        (middle_s > case.drop.at_s + 1) & (middle_s < end_s)
    ]
    if inside.size < 4:
        return Estimate(rate, 0.0, case.drop.before_bytes_per_s)
    # Neighbouring seconds swing together: a quarter of them count.
    error = 2 * float(inside.std()) / math.sqrt(inside.size / 4)
    return Estimate(rate, max(rate - error, 0.0), rate + error)


def _throttle_c(
    hot: list[Drop], levels: tuple[RateLevels, ...], findings: list[Finding]
) -> Estimate | None:
    readings = [drop.at_c for drop in hot if not math.isnan(drop.at_c)]
    if not readings and any(
        f.cause is Cause.THERMAL and "sawtooth" in f.evidence for f in findings
    ):
        readings = [
            dip.start_c for each in levels for dip in each.dips if not math.isnan(dip.start_c)
        ]
    if not readings:
        return None
    value = float(np.median(readings)) if len(readings) > 2 else min(readings)
    return Estimate(value, value - _SENSOR_K, value + _SENSOR_K)
