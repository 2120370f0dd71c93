"""Run this proof: plan a recorder test, make its target, keep its result."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from vastcellar.bench.apart import ApartRun
from vastcellar.bench.recorder_run import (
    RecorderProgress,
    RecorderResult,
    RecorderRun,
    load_together,
)
from vastcellar.core.chain.chain import Chain
from vastcellar.core.recording.recorder import RecorderLoad, predicted_drops_on_trace
from vastcellar.core.units import PLAIN, NumberFormat
from vastcellar.core.writing.write_profile import Phase
from vastcellar.devices.block_device import BlockDevice
from vastcellar.devices.mounts import Mount
from vastcellar.services.proving.conditions import (
    LoadBefore,
    chain_conditions,
    disturbed,
    on_disk,
)
from vastcellar.services.proving.folder_runs import recorder_run
from vastcellar.services.proving.places import find_place, require_room
from vastcellar.services.proving.rigs import make_rig, rig_speed
from vastcellar.services.proving.shown import AS_TAKE, ShownTest
from vastcellar.services.workplace.rescuing import add_run
from vastcellar.services.workplace.run_records import Conditions, recorder_record
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.trace_csv import trace_text

# What a run shows of itself is part of what is offered here.
__all__ = [
    "Loads",
    "Proof",
    "ProofPlan",
    "RecorderProgress",
    "RecorderResult",
    "RecorderRun",
    "as_loads",
    "cameras_sentence",
    "folder_proof",
    "keep_proof",
    "load_together",
    "plan_folder_proof",
    "predicted_frames_dropped",
    "require_room_for_takes",
    "rig_proof",
    "rig_speed",
]


Loads = RecorderLoad | Sequence[RecorderLoad]


def as_loads(loads: Loads) -> tuple[RecorderLoad, ...]:
    """Return one camera or several as several."""
    return (loads,) if isinstance(loads, RecorderLoad) else tuple(loads)


@dataclass(frozen=True, slots=True)
class ProofPlan:
    """What a test will do, said before it does it."""

    load: RecorderLoad
    target: str
    is_simulated: bool
    free_bytes: int
    reserve_bytes: int
    tbw_share: float | None
    """Of the drive's rated endurance, None where it isn't known."""
    mount: Mount | None = None
    device: BlockDevice | None = None

    @property
    def bytes_to_write(self) -> int:
        """Bytes of the whole test."""
        return self.load.total_bytes


@dataclass(frozen=True)
class Proof(ShownTest):
    """A test ready to run, and how to keep it afterwards."""

    plan: ProofPlan
    run: RecorderRun | ApartRun[RecorderResult]
    conditions: Callable[[RecorderResult], Conditions] | None = None
    begin: Callable[[], tuple[str, ...]] = tuple
    """To be called right before the run, off the interface thread."""
    shown = AS_TAKE

    @property
    def is_simulated(self) -> bool:
        """Whether nothing is written to a disk."""
        return self.plan.is_simulated

    def said_at_end(self, fmt: NumberFormat) -> str:
        """Return how many frames were lost."""
        result = self.run.result
        return f"done, {fmt.number(result.frames_dropped, 0)} frames dropped" if result else "done"


def plan_folder_proof(folder: Path, load: RecorderLoad, tbw_bytes: float = 0.0) -> ProofPlan:
    """Return the plan of a test in *folder*. Raises DiskError where the folder can't be used."""
    place = find_place(folder)
    return ProofPlan(
        load=load,
        target=str(folder),
        is_simulated=False,
        free_bytes=place.mount.free_bytes,
        reserve_bytes=place.reserve_bytes,
        tbw_share=load.total_bytes / tbw_bytes if tbw_bytes else None,
        mount=place.mount,
        device=place.device,
    )


def require_room_for_takes(plan: ProofPlan) -> None:
    """Raise BadValueError where the test would not leave its reserve free."""
    room = plan.free_bytes - plan.reserve_bytes
    longest_s = max(room, 0) / plan.load.average_bytes_per_s
    mend = (
        f"Free some space, or test at most {PLAIN.duration(int(longest_s))}"
        if longest_s >= 1
        else "Free some space"
    )
    require_room(
        plan.bytes_to_write, room, plan.target, reserve_bytes=plan.reserve_bytes, mend=mend
    )


def folder_proof(
    folder: Path,
    loads: Loads,
    notes_folder: Path,
    chain: Chain | None,
    ambient_c: float,
    *,
    apart: bool = False,
) -> Proof:
    """Return a recorder test in a real folder, of one camera or of several at once.

    *apart* runs it in a process of its own.

    Raises DiskError where the folder can't be used, BadValueError where the room is too small.
    """
    load = load_together(as_loads(loads))
    plan = plan_folder_proof(folder, load, chain.parts.drive.tbw_bytes if chain else 0.0)
    require_room_for_takes(plan)
    place = find_place(folder)
    spec = loads, folder, notes_folder
    run = ApartRun[RecorderResult](recorder_run, *spec) if apart else recorder_run(*spec)
    before, base = LoadBefore(place), _conditions(plan, chain, ambient_c)

    def conditions(result: RecorderResult) -> Conditions:
        is_direct = result.write_mode.startswith("direct")
        return on_disk(base(result), place, before.load, is_direct=is_direct)

    return Proof(plan, run, conditions, before.begin)


def rig_proof(
    loads: Loads,
    chain: Chain,
    ambient_c: float,
    *,
    workplace: Workplace | None = None,
    speed: float,
    seed: int = 1,
) -> Proof:
    """Return a recorder test on a simulated rig of *chain*, in its own time.

    Raises BadValueError where the chain connects nothing.
    """
    load = load_together(as_loads(loads))
    # What the buffer still holds at the end takes a while longer.
    offered = Phase(load.average_bytes_per_s, load.duration_s)
    rig = make_rig(chain, ambient_c, offered, workplace=workplace, speed=speed, seed=seed)
    parts = chain.parts
    tbw = parts.drive.tbw_bytes
    plan = ProofPlan(
        load=load,
        target=rig.name,
        is_simulated=True,
        free_bytes=int(chain.free_bytes),
        reserve_bytes=0,
        tbw_share=load.total_bytes / tbw if tbw else None,
    )
    return Proof(plan, RecorderRun(loads, rig), _conditions(plan, chain, ambient_c))


def _conditions(
    plan: ProofPlan, chain: Chain | None, ambient_c: float
) -> Callable[[RecorderResult], Conditions]:
    def made(result: RecorderResult) -> Conditions:
        base = chain_conditions(chain, ambient_c, plan.target, result.write_mode)
        return disturbed(replace(base, free_bytes=plan.free_bytes), result.disturbances)

    return made


def keep_proof(
    workplace: Workplace, unit_tag: str, proof: Proof, *, ended_at: datetime | None = None
) -> int:
    """Keep a finished test under its unit and return the run's number.

    *ended_at* is now where it isn't given. Simulated runs wear nothing.
    Raises CellarError, or UnknownPartError for the unit.
    """
    result = proof.run.result
    assert result is not None, "the run must have ended"
    assert proof.conditions is not None, "a test to be kept has conditions"
    record = recorder_record(
        result, unit_tag, proof.conditions(result), ended_at or datetime.now(UTC)
    )
    wear_bytes = 0 if result.is_simulated else result.written_bytes
    return add_run(workplace, record, trace_text(result.trace), wear_bytes)


def predicted_frames_dropped(result: RecorderResult) -> float:
    """Return the drops that buffer arithmetic expects at the rate the drive really took.

    0 where the drive kept up: then the measured rate is the camera's, not the drive's. Of several
    cameras at once it isn't known: how they share the drive is not in one trace.
    """
    if not result.frames_dropped or len(result.cameras) > 1:
        return 0.0
    return predicted_drops_on_trace(result.load, result.trace)


def cameras_sentence(result: RecorderResult, fmt: NumberFormat) -> str:
    """Return how each of several cameras fared."""
    parts = []
    for each in result.cameras:
        lost = fmt.number(each.frames_dropped, 0)
        lost = f"{lost} of {fmt.number(each.frames_arrived, 0)} frames dropped"
        backlog = (
            f"backlog {fmt.size(each.worst_backlog_bytes)} of {fmt.size(each.load.buffer_bytes)}"
        )
        parts.append(f"{each.load.name}: {lost if each.frames_dropped else 'none lost'}, {backlog}")
    return f"{'; '.join(parts)}."
