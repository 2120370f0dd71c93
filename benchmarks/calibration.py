"""Calibration of random setups: how well the fitted model predicts the next run.

    .venv/bin/python benchmarks/calibration.py [--setups N] [--seed N] [--no-temperature]

Each drive departs from the typical figures of its class as parts of a class do. One flat-out run
of 30 minutes calibrates it; the next is in a warmer room, on a fuller drive and another link. The
table compares the bytes predicted for that run by the typical figures and by the fitted ones, and
counts how often the truth lay inside the nine-in-ten interval.
"""

from __future__ import annotations

import argparse
import time
from dataclasses import replace

import numpy as np

from drawn_setups import Setup, draw_setup, log_runs
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.trace import Trace
from vastcellar.core.unit_model.calibration import calibrate
from vastcellar.core.unit_model.fitted_model import Calibration, active_parameters, adjusted
from vastcellar.core.unit_model.prediction import WrittenRun, predicted_run

RUN_S = 1800.0
_WARMER_K = 6.0
_DRAWS = 40


def _run_of(setup: Setup, trace: Trace) -> WrittenRun:
    return WrittenRun(
        trace, setup.path, setup.link_cap_bytes_per_s, setup.free_bytes, setup.free_bytes
    )


def _typical_of(setup: Setup, random: np.random.Generator) -> WriteBehaviour:
    """Return the class that a drive comes from: its own figures, moved as parts lie apart."""
    count = len(active_parameters(setup.behaviour))
    return adjusted(setup.behaviour, random.normal(0, 1, count).clip(-2, 2))


def main() -> None:
    """Fit, foretell, compare, print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--setups", type=int, default=100)
    parser.add_argument("--seed", type=int, default=7)
    parser.add_argument("--no-temperature", action="store_true")
    chosen = parser.parse_args()
    random = np.random.default_rng(chosen.seed)
    before, after, misfits, seconds = [], [], [], []
    inside = refused = opened = 0
    for _ in range(chosen.setups):
        setup = replace(draw_setup(random), host_cache_bytes=0.0, is_erratic=False)
        typical = _typical_of(setup, random)
        trace = log_runs(setup, (RUN_S,)).trace
        if chosen.no_temperature:
            trace = replace(trace, temperature_c=np.full(trace.elapsed_s.shape, np.nan))
        begin = time.perf_counter()
        try:
            fit = calibrate(typical, [_run_of(setup, trace)])
        except BadValueError:
            refused += 1
            continue
        seconds.append(time.perf_counter() - begin)
        misfits.append(fit.misfit)
        opened += bool(fit.open_questions)
        following = replace(
            setup,
            path=replace(setup.path, ambient_c=setup.path.ambient_c + _WARMER_K),
            free_bytes=setup.free_bytes * float(random.uniform(0.3, 0.9)),
            link_cap_bytes_per_s=setup.link_cap_bytes_per_s * float(random.uniform(0.7, 1.3)),
            seed=setup.seed + 1,
        )
        measured = log_runs(following, (RUN_S,)).trace
        truth = float(measured.written_bytes[-1])
        run, end_s = _run_of(following, measured), measured.duration_s
        before.append(predicted_run(typical, run, end_s).written_bytes / truth - 1)
        after.append(predicted_run(fit.behaviour, run, end_s).written_bytes / truth - 1)
        inside += _covers(fit, run, end_s, truth)
    n = len(after)
    print(f"{n} setups fitted, {refused} refused, {opened} only up to an undecided drop")
    for name, errors in (("typical figures", before), ("calibrated", after)):
        size = np.abs(errors) * 100
        nine = np.quantile(size, 0.9)
        print(
            f"  {name:16} median error {np.median(size):5.1f} %, nine in ten below "
            f"{nine:5.1f} %, bias {np.median(errors) * 100:+5.1f} %"
        )
    print(f"  inside the nine-in-ten interval (2 % for noise): {inside / n:.0%}")
    print(f"  misfit median {np.median(misfits):.1%}; a fit takes {np.median(seconds):.2f} s, "
          f"the longest {max(seconds):.2f} s")  # fmt: skip


def _covers(fit: Calibration, run: WrittenRun, end_s: float, truth: float) -> bool:
    prediction = [predicted_run(b, run, end_s).written_bytes for b in fit.draws(_DRAWS)]
    low, high = np.quantile(prediction, (0.05, 0.95))
    return bool(low * 0.98 <= truth <= high * 1.02)


if __name__ == "__main__":
    main()
