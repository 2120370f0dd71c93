"""The cause of a slowdown, from a trace: named where the others are impossible, else left open."""

from __future__ import annotations

import itertools
import math

import numpy as np

from vastcellar.core.diagnosis.causes import Cause, Diagnosis, Finding, Reason, Why
from vastcellar.core.diagnosis.cooling_pair import weigh_with_fan
from vastcellar.core.diagnosis.dips import EQUAL_DEPTH, is_erratic, weigh_dips
from vastcellar.core.diagnosis.drop_causes import DropCase, is_same_rate, weigh_drops
from vastcellar.core.diagnosis.host_burst import without_host_burst
from vastcellar.core.diagnosis.levels import RateLevels, apart
from vastcellar.core.diagnosis.link_claims import LINK_TEST, flat, lasting_over, with_question
from vastcellar.core.diagnosis.measured_rates import burst_rate, knee_bytes, rate_after, throttle_c
from vastcellar.core.diagnosis.runs_of_trace import split_runs
from vastcellar.core.diagnosis.two_stages import may_be_two_stages
from vastcellar.core.errors import BadValueError
from vastcellar.core.said import said
from vastcellar.core.trace import Trace

_LEAST_RUN_S = 6.0

_FAN_TEST = (
    "Run it from rest past the drop, let it rest until it is cool and folded, and run it again "
    "with a fan on the case: after the same bytes it is the cache, after more it is heat"
)
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
        clean, found, run_levels = without_host_burst(run, link, is_direct=is_direct)
        cleaned.append(clean)
        level_list.append(run_levels)
        findings += found
    levels = tuple(level_list)
    if link is not None and (rate := lasting_over(levels, link)) is not None:
        unstated = _diagnose(trace, fan, None, is_direct=is_direct, from_rest=from_rest)
        return with_question(unstated, rate, link)
    cases = weigh_drops(tuple(cleaned), levels, from_rest=from_rest, is_direct=is_direct)
    teeth = [weigh_dips(found, run) for found, run in zip(levels, cleaned, strict=True)]
    findings += [finding for found in teeth for finding in found]
    _weigh_with_teeth(cases, levels, teeth)
    if fan is not None:
        fan_run = _first_run(fan)
        fan_clean, _, fan_levels = without_host_burst(fan_run, link, is_direct=is_direct)
        weigh_with_fan(cases, levels[0], fan_clean, fan_levels)
    findings += _read_cases(cases, levels, from_rest=from_rest)
    if not findings and not any(found.dips for found in levels):
        findings += [flat(levels, link, trace)]
    return _conclude(trace, levels, findings, cases)


def _first_run(trace: Trace) -> Trace:
    runs = split_runs(trace)
    if not runs or runs[0].duration_s - runs[0].elapsed_s[0] < _LEAST_RUN_S:
        raise BadValueError(
            "it shows hardly any writing", where="run with the fan", mend="Measure it as long"
        )
    return runs[0]


# Lasting drops


def _weigh_with_teeth(
    cases: list[DropCase], levels: tuple[RateLevels, ...], teeth: list[list[Finding]]
) -> None:
    """A drop that stays above a sawtooth's low is the cliff; so is one cooler than its stage."""
    for case in cases:
        found = teeth[case.run]
        dips = levels[case.run].dips
        lows = [dip.bytes_per_s for dip in dips if dip.start_s < case.drop.at_s]
        if len(lows) >= 2 and found and found[0].cause is not Cause.INCONSISTENT:
            low = float(np.median(lows))
            # A cliff can end at the low of the dips, too: nothing is named by that alone.
            if apart(case.drop.after_bytes_per_s, low) < EQUAL_DEPTH:
                continue
            if found[0].cause is Cause.THERMAL and case.drop.after_bytes_per_s > low:
                case.against_heat.append(
                    Reason(
                        Why.ABOVE_LOW,
                        said("above the low", low_bytes_per_s=low),
                    )
                )
                continue
        if not found or found[0].cause is not Cause.THERMAL or math.isnan(case.drop.at_c):
            continue
        after = [dip.start_c for dip in dips if dip.start_s > case.drop.at_s]
        if len(after) >= 2 and float(np.median(after)) <= case.drop.at_c + 1 and len(lows) < 2:
            case.against_heat.append(
                Reason(
                    Why.BEFORE_STAGE,
                    said("sawtooth later", later_c=float(np.median(after))),
                )
            )


def _read_cases(
    cases: list[DropCase], levels: tuple[RateLevels, ...], *, from_rest: bool
) -> list[Finding]:
    by_run: dict[int, list[DropCase]] = {}
    findings: list[Finding] = []
    for case in cases:
        if case.may_be_memory:
            findings.append(_finding(case))
        else:
            by_run.setdefault(case.run, []).append(case)
    for found in by_run.values():
        if not is_erratic(levels[found[0].run].dips):
            _weigh_several(found)
        is_first = found[0].run == 0 and from_rest
        not_both = is_first and len(found) == 2 and not _may_both_be_heat(found, levels[0])
        if not_both:
            _weigh_not_both_heat(found)
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
                    (said("several drops", drops=len(found)),),
                    why=Why.SEVERAL_DROPS,
                )
            )
            if not_both:
                findings.append(
                    Finding(
                        Cause.CACHE,
                        last.drop.at_s,
                        last.drop.written_bytes,
                        (said("not both heat"),),
                        why=Why.NOT_BOTH_HEAT,
                    )
                )
    return findings


def _may_both_be_heat(cases: list[DropCase], levels: RateLevels) -> bool:
    first, second = (case.drop for case in cases)
    if second.after_bytes_per_s >= first.after_bytes_per_s:
        return True  # it had risen meanwhile: not one stage after the other
    return may_be_two_stages(first, second, levels.levels[0].start_s)


def _weigh_not_both_heat(cases: list[DropCase]) -> None:
    heats = [case for case in cases if case.is_heat]
    for case in cases:
        if len(heats) == 1 and case is not heats[0] and not case.against_cache:
            case.against_heat.append(Reason(Why.NOT_BOTH_HEAT, said("not both heat")))


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
                case.against_cache.append(Reason(Why.CLIFF_ELSEWHERE, said("cliff elsewhere")))
    heats = [case for case in cases if case.is_heat]
    if len(cases) == 2 and len(heats) == 1:
        other = next(case for case in cases if case is not heats[0])
        hotter = heats[0].drop.at_c, other.drop.at_c
        if not other.against_cache and not other.against_heat and not any(map(math.isnan, hotter)):
            first, last = cases
            if last.drop.at_c <= first.drop.at_c + 1:
                other.against_heat.append(
                    Reason(
                        Why.SECOND_NOT_HOTTER,
                        said("second not hotter"),
                    )
                )


def _finding(case: DropCase) -> Finding:
    drop = case.drop
    fell = said(
        "fell",
        before_bytes_per_s=drop.before_bytes_per_s,
        after_bytes_per_s=drop.after_bytes_per_s,
        written_bytes=drop.written_bytes,
    )
    at = drop.at_s, drop.written_bytes
    if case.may_be_memory:
        left = (Cause.CACHE, Cause.HOST_CACHE)
        return Finding(None, *at, (fell, said("memory may be full")), left)
    if case.is_heat:
        first = case.against_cache[0]
        return Finding(Cause.THERMAL, *at, (fell, first.said), why=first.why)
    if case.is_cache:
        first = case.against_heat[0]
        return Finding(Cause.CACHE, *at, (fell, first.said), why=first.why)
    signs = tuple(reason.said for reason in case.against_heat + case.against_cache)
    both = case.against_heat and case.against_cache
    why = (said("signs contradict"), *signs) if both else (said("alike here"),)
    return Finding(None, *at, (fell, *why), (Cause.CACHE, Cause.THERMAL))


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
    after = rate_after(knee, levels) if knee else None
    hot = [case.drop for case in cases if case.is_heat]
    return Diagnosis(
        causes=causes,
        candidates=candidates,
        deciding_test=_deciding_test(findings),
        findings=tuple(sorted(findings, key=lambda each: each.at_s)),
        burst=burst_rate(first),
        sustained_bytes_per_s=last.levels[-1].bytes_per_s,
        knee_bytes=knee_bytes(knee.drop) if knee else None,
        rate_after_cache_bytes_per_s=after,
        throttle_c=throttle_c(hot, levels, findings),
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
        tests.append(LINK_TEST)
    if Cause.INCONSISTENT in left:
        tests.append(_AGAIN_TEST)
    return ". ".join(tests)
