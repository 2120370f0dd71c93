"""Diagnosis of random setups: right, only part, cannot tell, wrong, by protocol.

    .venv/bin/python benchmarks/diagnosis.py [--setups N] [--seed N] [--held-out]

Twice: runs from rest, whole, with the right link stated, as the figures beside each row were
published; and runs as they come, cold from the shelf, begun late, cut short, with a rough start or
end or another link stated. Then every reason with how often it named a cause that was none.
Nothing is filtered for clear cases. Beside each row stand the figures that were published for
the rules alone, without the balance of heat; they were got on other random setups of the same
typical ranges, so the comparison is of kind, not of setups.
"""

from __future__ import annotations

import argparse
import math
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from drawn_setups import LoggedRun, Setup, draw_fresh, draw_setup, log_runs, with_fan
from vastcellar.core.diagnosis.causes import Cause, Diagnosis, Why
from vastcellar.core.diagnosis.diagnose import diagnose, diagnose_cooling_pair
from vastcellar.core.trace import Trace

RUN_S = 1800.0
PAUSE_S = 300.0
HELD_OUT = 5_000_000
"""Far from every seed that the rules were looked at with: for checking only."""
_MEASURED_AGAIN = 40
_GRADES = ("right", "part", "cannot tell", "wrong")


@dataclass(frozen=True)
class Protocol:
    """How the runs were made, and what was published of it: right, cannot tell, wrong in %."""

    name: str
    published: tuple[int, int, int]
    published_alone: tuple[int, int]
    """Right in % where there was the cache only, and heat only."""
    has_sensor: bool
    runs: Callable[[Setup], tuple[LoggedRun, Trace | None]]


def _one(setup: Setup) -> tuple[LoggedRun, Trace | None]:
    return log_runs(setup, (RUN_S,)), None


def _two(setup: Setup) -> tuple[LoggedRun, Trace | None]:
    return log_runs(setup, (RUN_S, RUN_S), PAUSE_S), None


def _fan_pair(setup: Setup) -> tuple[LoggedRun, Trace | None]:
    return log_runs(setup, (RUN_S,)), log_runs(with_fan(setup), (RUN_S,)).trace


PROTOCOLS = (
    Protocol("one run, no temperature", (48, 41, 2), (48, 10), False, _one),
    Protocol("one run, temperature", (67, 24, 3), (83, 10), True, _one),
    Protocol("two runs 5 min apart, no temperature", (48, 36, 4), (64, 19), False, _two),
    Protocol("two runs 5 min apart, temperature", (63, 23, 5), (79, 27), True, _two),
    Protocol("fan pair, no temperature", (78, 5, 7), (85, 86), False, _fan_pair),
    Protocol("fan pair, temperature", (84, 6, 4), (91, 84), True, _fan_pair),
)


def without_sensor(trace: Trace) -> Trace:
    """Return *trace* as a drive without a temperature sensor gives it."""
    nothing = np.full(trace.elapsed_s.size, np.nan)
    return Trace(trace.elapsed_s.copy(), trace.written_bytes.copy(), nothing)


def diagnose_setup(protocol: Protocol, setup: Setup) -> tuple[LoggedRun, Diagnosis, float]:
    """Return what happened, what was diagnosed, and how long that took in s."""
    logged, fan = protocol.runs(setup)
    trace = logged.trace if protocol.has_sensor else without_sensor(logged.trace)
    link = setup.known_link_bytes_per_s
    if fan is not None and not protocol.has_sensor:
        fan = without_sensor(fan)
    begin_s = time.perf_counter()
    found = diagnose(trace, link) if fan is None else diagnose_cooling_pair(trace, fan, link)
    return logged, found, time.perf_counter() - begin_s


@dataclass
class Tally:
    """What came of diagnosing many setups by one protocol."""

    grades: Counter[str]
    alone: dict[Cause, Counter[str]]
    named: Counter[Why]
    """How often a cause was named for each reason, and how often wrongly."""
    wrongly: Counter[Why]
    burst_off: list[float]


Took = list[tuple[float, Protocol, Setup]]


def tally(protocol: Protocol, setups: list[Setup], took: Took) -> Tally:
    """Diagnose each of *setups* and hold it against what happened."""
    made = Tally(Counter(), {Cause.CACHE: Counter(), Cause.THERMAL: Counter()}, Counter(),
                 Counter(), [])  # fmt: skip
    for setup in setups:
        logged, found, took_s = diagnose_setup(protocol, setup)
        took.append((took_s, protocol, setup))
        grade = logged.grade(frozenset(found.causes))
        made.grades[grade] += 1
        if len(logged.truth) == 1 and (only := next(iter(logged.truth))) in made.alone:
            made.alone[only][grade] += 1
        possible = logged.truth | logged.slight
        for finding in found.findings:
            if finding.cause is not None:
                made.named[finding.why] += 1
                made.wrongly[finding.why] += finding.cause not in possible
        if math.isfinite(logged.burst_bytes_per_s):
            made.burst_off.append(found.burst.value / logged.burst_bytes_per_s - 1)
    return made


def print_rows(name: str, setups: list[Setup], took: Took) -> Tally:
    """Print a row for each protocol; return all of them together."""
    print(f"{name}: {len(setups)} setups, {RUN_S / 60:.0f} min flat out; shares in %")
    print(f"{'':38}right  part  can't tell  wrong | published        | cache only, heat only right")
    whole = Tally(Counter(), {}, Counter(), Counter(), [])
    for protocol in PROTOCOLS:
        made = tally(protocol, setups, took)
        right, part, open_, wrong = (100 * made.grades[grade] / len(setups) for grade in _GRADES)
        cache, heat = (
            100 * counts["right"] / max(counts.total(), 1) for counts in made.alone.values()
        )
        was = " / ".join(map(str, protocol.published))
        was_alone = " / ".join(map(str, protocol.published_alone))
        print(
            f"{protocol.name:38}{right:5.1f} {part:5.1f}  {open_:9.1f}  {wrong:5.1f} | {was:16} | "
            f"{cache:3.0f} / {heat:3.0f}  (published {was_alone})"
        )
        whole.named += made.named
        whole.wrongly += made.wrongly
        whole.burst_off += made.burst_off
    return whole


def print_reasons(tallies: list[Tally]) -> None:
    """Print how often each reason named a cause that was none, most often wrong first."""
    named: Counter[Why] = sum((each.named for each in tallies), Counter())
    wrongly: Counter[Why] = sum((each.wrongly for each in tallies), Counter())
    print("wrong claims by the reason given (wanted: at most 1 in 100)")
    for why in sorted(named, key=lambda why: -wrongly[why] / named[why]):
        share = 100 * wrongly[why] / named[why]
        print(f"  {why.value:40}{wrongly[why]:5} of {named[why]:6}  {share:5.2f} %")


def print_burst(name: str, made: Tally) -> None:
    """Print how near the rate of the first seconds is met."""
    off = np.abs(made.burst_off)
    print(f"{name}: burst within 3 % in {100 * np.mean(off < 0.03):.0f} of 100, within 7.5 % in "
          f"{100 * np.mean(off < 0.075):.0f}")  # fmt: skip


def main() -> None:
    """Print the tables."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--setups", type=int, default=400)
    parser.add_argument("--seed", type=int, default=2026)
    parser.add_argument("--held-out", action="store_true",
                        help="Setups of a range of seeds that nothing was fitted to.")  # fmt: skip
    asked = parser.parse_args()
    seed = asked.seed + (HELD_OUT if asked.held_out else 0)
    took: Took = []
    tallies = []
    drawn = (("from rest, whole", draw_setup, 0), ("as they come", draw_fresh, 10_000))
    for name, draw, offset in drawn:
        random = np.random.default_rng(seed + offset)
        tallies.append(print_rows(name, [draw(random) for _ in range(asked.setups)], took))
        print_burst(name, tallies[-1])
    print_reasons(tallies)
    took_ms = np.array([took_s for took_s, *_ in took]) * 1e3
    took.sort(key=lambda each: -each[0])
    # A shared machine stops for a moment now and then; a slow diagnosis is slow each time.
    again_ms = [
        min(diagnose_setup(protocol, setup)[2] for _ in range(3)) * 1e3
        for _, protocol, setup in took[:_MEASURED_AGAIN]
    ]
    print(
        f"a diagnosis takes {np.median(took_ms):.0f} ms (median), {np.quantile(took_ms, 0.99):.0f} "
        f"ms (99 of 100), {took_ms.max():.0f} ms (longest); the {_MEASURED_AGAIN} longest measured "
        f"again, best of three: up to {max(again_ms):.0f} ms; wanted: under 50 ms"
    )


if __name__ == "__main__":
    main()
