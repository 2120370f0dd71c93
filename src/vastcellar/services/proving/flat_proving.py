"""Run a flat-out test: plan it, make its target, say what it measured and why it slowed."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from vastcellar.bench.apart import ApartRun
from vastcellar.bench.flat_run import DEFAULT_SHAPE, FlatPlan, FlatResult, FlatRun
from vastcellar.bench.probe import Shape, probe_bytes
from vastcellar.bench.progress import Progress
from vastcellar.core.chain.chain import Chain
from vastcellar.core.diagnosis.causes import Diagnosis, in_doubt
from vastcellar.core.diagnosis.diagnose import diagnose
from vastcellar.core.errors import BadValueError
from vastcellar.core.trace import Trace
from vastcellar.core.units import NumberFormat
from vastcellar.core.verdict.disturbed import disturbance
from vastcellar.core.writing.write_profile import Phase
from vastcellar.services.proving.conditions import (
    LoadBefore,
    chain_conditions,
    disturbed,
    on_disk,
)
from vastcellar.services.proving.folder_runs import flat_run
from vastcellar.services.proving.pass_figures import pass_figures
from vastcellar.services.proving.places import Place, find_place, require_room_for
from vastcellar.services.proving.rigs import make_rig
from vastcellar.services.proving.shown import AS_FLAT, ShownTest
from vastcellar.services.runs.calibrating import CALIBRATES
from vastcellar.services.runs.resting import COOL, Rest
from vastcellar.services.workplace.run_records import FAN, Conditions
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.trace_csv import trace_text

__all__ = [
    "BURST_BYTES",
    "DEFAULT_SHAPE",
    "Diagnosis",
    "FlatPlan",
    "FlatProof",
    "FlatResult",
    "Progress",
    "Rest",
    "Shape",
    "burst_plan",
    "capacity_plan",
    "conditions_of",
    "diagnosis_of",
    "diagnosis_of_proof",
    "fit_to_room",
    "flat_figures",
    "folder_flat_proof",
    "live_diagnosis",
    "rig_flat_proof",
    "rig_room_bytes",
    "room_in",
    "trace_csv_of",
    "trace_csv_text",
]

BURST_BYTES = 1_000_000_000
"""The burst test is always this size: only then can two of them be compared."""
_OTHERS_SHARE = 0.02
_LONGEST_RIG_S = 12 * 3600.0


@dataclass(frozen=True)
class FlatProof(ShownTest):
    """A flat-out test ready to run: what it will do, and how it was set up."""

    plan: FlatPlan
    run: FlatRun | ApartRun[FlatResult]
    target: str
    is_simulated: bool
    room_bytes: int
    """What may be filled: free space less the reserve."""
    bytes_to_write: int
    tbw_share: float | None
    link_bytes_per_s: float | None
    conditions: Callable[[FlatResult], Conditions]
    rest: Rest
    begin: Callable[[], tuple[str, ...]] = tuple
    """To be called right before the run, off the interface thread: reads how busy the computer
    is and returns what there is to warn of."""
    shown = AS_FLAT

    @property
    def can_calibrate(self) -> bool:  # type: ignore[override]
        """Whether it shows how the unit writes, past what a burst does."""
        return self.plan.kind in CALIBRATES

    def said_at_end(self, fmt: NumberFormat) -> str:
        """Return the rate that it wrote at."""
        result = self.run.result
        return f"done, written at {fmt.rate(result.write.bytes_per_s, 1)}" if result else "done"


def burst_plan(shape: Shape | None = DEFAULT_SHAPE) -> FlatPlan:
    """Return the short comparable test: 1 GB, written and read back."""
    return FlatPlan("burst", BURST_BYTES, shape=shape, reads_back=True)


def capacity_plan(room_bytes: int, shape: Shape | None = DEFAULT_SHAPE) -> FlatPlan:
    """Return the proof that a drive holds what it says: fill the room, read all of it back."""
    return FlatPlan("capacity", room_bytes, shape=shape, reads_back=True, fills_up=True)


def fit_to_room(plan: FlatPlan, place: Place) -> FlatPlan:
    """Return *plan* within what may be filled of *place*.

    A test of all that is free was reckoned a moment ago, and others write meanwhile: it becomes
    that much smaller. Raises BadValueError where *plan* would not leave the reserve free.
    """
    probe = probe_bytes(plan.most_bytes) if plan.shape is None else 0
    over = plan.most_bytes + probe - place.room_bytes
    if 0 < over <= _OTHERS_SHARE * place.room_bytes:
        return replace(plan, most_bytes=plan.most_bytes - over)
    require_room_for(plan.most_bytes + probe, place)
    return plan


def folder_flat_proof(
    folder: Path,
    plan: FlatPlan,
    notes_folder: Path,
    *,
    chain: Chain | None = None,
    ambient_c: float = math.nan,
    link_bytes_per_s: float | None = None,
    rest: Rest = COOL,
    with_fan: bool = False,
    apart: bool = False,
    drive_c: float | None = None,
) -> FlatProof:
    """Return a flat-out test in a real folder; *apart* runs it in a process of its own.

    *drive_c* is the drive's temperature at the start as somebody read it, where no sensor tells.

    Raises DiskError where the folder can't be used, BadValueError where the room is too small.
    """
    place = find_place(folder)
    plan = fit_to_room(plan, place)
    spec = plan, folder, notes_folder
    run = ApartRun[FlatResult](flat_run, *spec) if apart else flat_run(*spec)
    before = LoadBefore(place)
    link = link_bytes_per_s or (chain.link_cap_bytes_per_s if chain else None)

    def conditions(result: FlatResult) -> Conditions:
        since_s = rest.since_last_run_s
        base = _conditions(result, chain, ambient_c, str(folder))
        return replace(
            on_disk(base, place, before.load, is_direct=result.is_direct),
            drive_c=drive_c if base.drive_c is None else base.drive_c,
            since_last_run_s=since_s if math.isfinite(since_s) else None,
            cooling=FAN if with_fan else "",
        )

    return _proof(plan, run, str(folder), place.room_bytes, chain, link,
                  conditions, rest, before.begin)  # fmt: skip


def rig_flat_proof(
    plan: FlatPlan,
    chain: Chain,
    ambient_c: float,
    *,
    workplace: Workplace | None = None,
    speed: float,
    seed: int = 1,
    sample_tag: str = "",
    past: tuple[Phase, ...] = (),
    with_fan: bool = False,
    rest: Rest = COOL,
) -> FlatProof:
    """Return a flat-out test on a simulated rig of *chain*, in its own time.

    It has the faults of the sample *sample_tag*, by default of the chain's own unit, and begins
    after the *past* it was put through.
    Raises BadValueError where the chain connects nothing.
    """
    rig = make_rig(
        chain,
        ambient_c,
        Phase(math.inf, _LONGEST_RIG_S),
        workplace=workplace,
        speed=speed,
        seed=seed,
        sample_tag=sample_tag,
        past=past,
        with_fan=with_fan,
    )
    room = chain.free_bytes
    plan = replace(plan, most_bytes=min(plan.most_bytes, int(room)))

    def conditions(result: FlatResult) -> Conditions:
        base = _conditions(result, chain, ambient_c, rig.name)
        return replace(base, free_bytes=int(room), cooling=FAN if with_fan else "")

    return _proof(plan, FlatRun(plan, rig), rig.name, int(room), chain,
                  chain.link_cap_bytes_per_s, conditions, rest, tuple)  # fmt: skip


def _proof(
    plan: FlatPlan,
    run: FlatRun | ApartRun[FlatResult],
    target: str,
    room_bytes: int,
    chain: Chain | None,
    link: float | None,
    conditions: Callable[[FlatResult], Conditions],
    rest: Rest,
    begin: Callable[[], tuple[str, ...]],
) -> FlatProof:
    probed = probe_bytes(plan.most_bytes) if plan.shape is None else 0
    tbw = chain.parts.drive.tbw_bytes if chain else 0.0
    to_write = plan.most_bytes + probed
    return FlatProof(
        plan=plan,
        run=run,
        target=target,
        is_simulated=run.is_simulated,
        room_bytes=room_bytes,
        bytes_to_write=to_write,
        tbw_share=to_write / tbw if tbw else None,
        link_bytes_per_s=link,
        conditions=conditions,
        rest=rest,
        begin=begin,
    )


def _conditions(
    result: FlatResult, chain: Chain | None, ambient_c: float, target: str
) -> Conditions:
    first_c = float(result.write.trace.temperature_c[0])
    return replace(
        disturbed(
            chain_conditions(chain, ambient_c, target, result.write_mode), result.disturbances
        ),
        block_bytes=result.shape.block_bytes,
        depth=result.shape.depth,
        read_mode=result.read_mode if result.read else "",
        drive_c=None if math.isnan(first_c) else first_c,
    )


def live_diagnosis(
    elapsed_s: Sequence[float],
    written_bytes: Sequence[float],
    temperature_c: Sequence[float],
    proof: FlatProof,
) -> Diagnosis | None:
    """Return what can be said of a run that still goes on, None for too little of it."""
    trace = Trace(np.array(elapsed_s), np.array(written_bytes), np.array(temperature_c))
    try:
        return diagnose(
            trace,
            proof.link_bytes_per_s,
            is_direct=proof.run.is_direct,
            from_rest=proof.rest.is_enough,
        )
    except BadValueError:
        return None


def rig_room_bytes(chain: Chain) -> int:
    """Return the free space of a simulated rig."""
    return int(chain.free_bytes)


def room_in(folder: Path) -> int:
    """Return the bytes that a test may fill in *folder*. Raises DiskError."""
    return find_place(folder).room_bytes


def trace_csv_text(trace: Trace) -> str:
    """Return any trace as CSV."""
    return trace_text(trace)


def trace_csv_of(result: FlatResult) -> str:
    """Return the trace of what was written, as CSV."""
    return trace_text(result.write.trace)


def conditions_of(proof: FlatProof, result: FlatResult) -> dict[str, Any]:
    """Return the conditions of a run by name."""
    return asdict(proof.conditions(result))


def diagnosis_of(
    result: FlatResult, link_bytes_per_s: float | None, *, from_rest: bool = True
) -> Diagnosis | None:
    """Return why the drive slowed down, or None where the run is too short to say."""
    trace, is_direct = result.write.trace, result.is_direct
    try:
        return diagnose(trace, link_bytes_per_s, is_direct=is_direct, from_rest=from_rest)
    except BadValueError:
        return None


def diagnosis_of_proof(proof: FlatProof, result: FlatResult) -> Diagnosis | None:
    """Return why the drive of a finished test slowed down, or None where it is too short.

    Of a run that something else disturbed no cause is named: that may have been it.
    """
    found = diagnosis_of(result, proof.link_bytes_per_s, from_rest=proof.rest.is_enough)
    made = proof.conditions(result)
    disturbed = disturbance(
        cpu_share=made.other_cpu_share, other_tests=made.other_tests, slept_s=made.slept_s,
        stood_still_s=made.stood_still_s, clock_set_s=made.clock_set_s,
    )  # fmt: skip
    return in_doubt(found, disturbed) if found and disturbed else found


def flat_figures(result: FlatResult) -> dict[str, Any]:
    """Return what a flat-out test measured, as it is kept and printed."""
    return {
        "kind": result.plan.kind,
        "ended_by": result.ended_by,
        "notes": list(result.notes),
        "written_bytes": result.written_bytes,
        "bytes_per_s": result.write.bytes_per_s,
        "block_bytes": result.shape.block_bytes,
        "depth": result.shape.depth,
        "tried": [
            {
                "block_bytes": each.shape.block_bytes,
                "depth": each.shape.depth,
                "bytes_per_s": each.bytes_per_s,
            }
            for each in result.tried
        ],
        "host": asdict(result.host) if result.host else None,
        "became_steady_s": result.became_steady_s,
        "true_capacity_bytes": result.true_capacity_bytes,
        "write": pass_figures(result.write),
        "read": pass_figures(result.read) if result.read else None,
    }
