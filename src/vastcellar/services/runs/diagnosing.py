"""Why did this slow down: traces in files, one by one or as a cooling pair."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from vastcellar.core.diagnosis.causes import CANNOT_TELL, Cause, Diagnosis, Estimate
from vastcellar.core.diagnosis.diagnose import diagnose, diagnose_cooling_pair
from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.units import PLAIN, NumberFormat
from vastcellar.services.words.said_wording import sentence_of
from vastcellar.store.trace_csv import read_trace

__all__ = ["CAUSE_WORDS", "Diagnosis", "diagnosis_figures", "pair_in_files", "trace_in_file"]

CAUSE_WORDS = {
    "cache": "its fast cache ran out",
    "thermal": "it throttled, hot",
    "link": "the link is the limit",
    "inconsistent": "an inconsistent sample",
    "host_cache": "the host's memory flattered the start",
    "healthy": "healthy, no slowdown",
    CANNOT_TELL: "can't tell",
}


def trace_in_file(
    path: Path, link_bytes_per_s: float | None, *, is_direct: bool, from_rest: bool
) -> Diagnosis:
    """Return the diagnosis of the trace in *path*. Raises BadFileError for one that is none."""
    trace = read_trace(path)
    try:
        return diagnose(trace, link_bytes_per_s, is_direct=is_direct, from_rest=from_rest)
    except BadValueError as error:
        raise BadFileError(error.what, where=path.name, mend=error.mend) from error


def pair_in_files(
    rest: Path, fan: Path, link_bytes_per_s: float | None, *, is_direct: bool
) -> Diagnosis:
    """Return the diagnosis of a cooling pair: the run from rest, and the same with a fan."""
    first, second = read_trace(rest), read_trace(fan)
    try:
        return diagnose_cooling_pair(first, second, link_bytes_per_s, is_direct=is_direct)
    except BadValueError as error:
        raise BadFileError(
            error.what, where=f"{rest.name} and {fan.name}", mend=error.mend
        ) from error


def _estimate(estimate: Estimate | None) -> list[float] | None:
    return [estimate.low, estimate.high] if estimate else None


def diagnosis_figures(found: Diagnosis) -> dict[str, Any]:
    """Return a diagnosis as it is kept and printed."""
    knee, after, hot = found.knee_bytes, found.rate_after_cache_bytes_per_s, found.throttle_c
    return {
        "causes": found.cause_names,
        "candidates": [cause.value for cause in found.candidates],
        "deciding_test": found.deciding_test,
        "burst_bytes_per_s": found.burst_bytes_per_s,
        "sustained_bytes_per_s": found.sustained_bytes_per_s,
        "knee_bytes": knee.value if knee else None,
        "knee_bytes_interval": _estimate(knee),
        "rate_after_cache_bytes_per_s": after.value if after else None,
        "rate_after_cache_interval": _estimate(after),
        "throttle_c": hot.value if hot else None,
        "throttle_c_interval": _estimate(hot),
        "seen_bytes": found.seen_bytes,
        "seen_s": found.seen_s,
        "drops": [
            {
                "at_s": drop.at_s,
                "written_bytes": drop.written_bytes,
                "before_bytes_per_s": drop.before_bytes_per_s,
                "after_bytes_per_s": drop.after_bytes_per_s,
                "held_s": drop.held_s,
            }
            for drop in found.drops
        ],
        "dips": len(found.dips),
        "findings": [
            {
                "cause": each.cause.value if each.cause else None,
                "candidates": [cause.value for cause in each.candidates],
                "at_s": each.at_s,
                "at_bytes": each.at_bytes,
                "evidence": sentence_of(each.said, PLAIN),
            }
            for each in found.findings
        ],
    }


def causes_text(figures: Mapping[str, Any]) -> str:
    """Return the causes of a diagnosis in words; *figures* as ``diagnosis_figures`` gives them."""
    return ", ".join(CAUSE_WORDS.get(name, name) for name in figures["causes"])


def cause_sentence(found: Diagnosis, fmt: NumberFormat) -> str:
    """Return what a diagnosis says, as a sentence with its figures."""
    named = ", ".join(CAUSE_WORDS[name] for name in found.cause_names)
    parts = [named[0].upper() + named[1:]]
    if found.knee_bytes and Cause.CACHE in found.causes:
        parts.append(f"after {fmt.size(found.knee_bytes.value)}")
    if found.throttle_c is not None:
        parts.append(f"at {fmt.temperature(found.throttle_c.value)}")
    sentence = " ".join(parts)
    sentence += f": from {fmt.rate(found.burst_bytes_per_s)}"
    sentence += f" to {fmt.rate(found.sustained_bytes_per_s)}"
    return f"{sentence}. Nothing is said beyond the {fmt.size(found.seen_bytes)} seen."


def evidence_sentence(found: Diagnosis, fmt: NumberFormat) -> str:
    """Return the evidence of each finding, and the test that would decide what is open."""
    told = [sentence_of(each.said, fmt) for each in found.findings]
    parts = [f"{each[0].upper()}{each[1:]}." for each in told]
    if found.deciding_test:
        parts.append(f"{found.deciding_test}.")
    return " ".join(parts)
