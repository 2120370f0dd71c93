"""Run this proof: plan a recorder test, make its target, keep its result."""

from __future__ import annotations

import os
import platform
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from vastcellar import __version__
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.recorder_run import RecorderResult, RecorderRun, Snapshot
from vastcellar.bench.simulated_rig import SimulatedRig
from vastcellar.core.chain import Chain, heat_path
from vastcellar.core.endurance_run import Phase, run_endurance
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.judgement import free_bytes
from vastcellar.core.recorder import RecorderLoad, predicted_drops_on_trace
from vastcellar.core.units import PLAIN
from vastcellar.devices.block_device import BlockDevice, find_block_device, read_temperature_c
from vastcellar.devices.mounts import Mount, mount_of
from vastcellar.services.run_records import Conditions, recorder_record
from vastcellar.services.workplace import Workplace
from vastcellar.store.trace_csv import trace_text

# What a run shows of itself is part of what is offered here.
__all__ = [
    "Proof",
    "ProofPlan",
    "RecorderResult",
    "RecorderRun",
    "Snapshot",
    "folder_proof",
    "keep_proof",
    "plan_folder_proof",
    "predicted_frames_dropped",
    "require_room",
    "rig_proof",
    "rig_speed",
]

_LEAST_RESERVE_BYTES = 64 * 2**20
_RESERVE_SHARE = 0.01
# A long simulated take is watched in under half a minute, a short one in a few seconds.
_RIG_TAKES_S = 24.0
_LEAST_RIG_SPEED = 20.0


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
class Proof:
    """A test ready to run, and how to keep it afterwards."""

    plan: ProofPlan
    run: RecorderRun
    conditions: Callable[[RecorderResult], Conditions] | None = None


def reserve_bytes(capacity_bytes: int) -> int:
    """Return what a test leaves free: a hundredth of the disk, at least 64 MiB."""
    return max(_LEAST_RESERVE_BYTES, round(capacity_bytes * _RESERVE_SHARE))


def plan_folder_proof(folder: Path, load: RecorderLoad, tbw_bytes: float = 0.0) -> ProofPlan:
    """Return the plan of a test in *folder*. Raises DiskError where the folder can't be used."""
    mount = mount_of(folder)
    if not folder.is_dir():
        raise DiskError("it is not a folder", where=str(folder), mend="Choose a folder")
    return ProofPlan(
        load=load,
        target=str(folder),
        is_simulated=False,
        free_bytes=mount.free_bytes,
        reserve_bytes=reserve_bytes(mount.capacity_bytes),
        tbw_share=load.total_bytes / tbw_bytes if tbw_bytes else None,
        mount=mount,
        device=find_block_device(mount.device_number),
    )


def require_room(plan: ProofPlan) -> None:
    """Raise BadValueError where the test would not leave its reserve free."""
    room = plan.free_bytes - plan.reserve_bytes
    if plan.bytes_to_write <= room:
        return
    longest_s = max(room, 0) / plan.load.average_bytes_per_s
    mend = (
        f"Free some space, or test at most {PLAIN.duration(int(longest_s))}"
        if longest_s >= 1
        else "Free some space"
    )
    raise BadValueError(
        f"the test writes {PLAIN.size(plan.bytes_to_write)} and only {PLAIN.size(max(room, 0))} "
        f"may be filled ({PLAIN.size(plan.reserve_bytes)} stay free)",
        where=plan.target,
        mend=mend,
    )


def folder_proof(
    folder: Path, load: RecorderLoad, notes_folder: Path, chain: Chain | None, ambient_c: float
) -> Proof:
    """Return a recorder test in a real folder.

    Raises DiskError where the folder can't be used, BadValueError where the room is too small.
    """
    plan = plan_folder_proof(folder, load, chain.parts.drive.tbw_bytes if chain else 0.0)
    require_room(plan)
    sensor = plan.device.temperature_path if plan.device else None
    target = FolderTarget(
        folder,
        notes_folder,
        file_system=plan.mount.file_system if plan.mount else "",
        read_temperature_c=(lambda: read_temperature_c(sensor)) if sensor else None,
    )
    return Proof(plan, RecorderRun(load, target), _conditions(plan, chain, ambient_c))


def rig_speed(duration_s: float) -> float:
    """Return how many times faster than life a simulated take is shown."""
    return max(_LEAST_RIG_SPEED, duration_s / _RIG_TAKES_S)


def rig_proof(
    load: RecorderLoad,
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
    if chain.problem:
        raise BadValueError(
            chain.problem, where="simulated rig", mend="Choose parts that work together"
        )
    parts = chain.parts
    room = free_bytes(chain)
    profile = run_endurance(
        parts.drive.writes,
        heat_path(parts, ambient_c),
        chain.link_cap_bytes_per_s,
        # What the buffer still holds at the end takes a while longer.
        (Phase(load.average_bytes_per_s, load.duration_s),),
        free_bytes=room,
        capacity_bytes=parts.drive.capacity_bytes,
    )
    tag = parts.unit.tag if parts.unit else ""
    fault = workplace.rig_faults.get(tag) if workplace else None
    name = f"simulated rig of {parts.name}"
    rig = SimulatedRig(profile, speed=speed, fault=fault, seed=seed, name=name)
    tbw = parts.drive.tbw_bytes
    plan = ProofPlan(
        load=load,
        target=name,
        is_simulated=True,
        free_bytes=int(room),
        reserve_bytes=0,
        tbw_share=load.total_bytes / tbw if tbw else None,
    )
    return Proof(plan, RecorderRun(load, rig), _conditions(plan, chain, ambient_c))


def _conditions(
    plan: ProofPlan, chain: Chain | None, ambient_c: float
) -> Callable[[RecorderResult], Conditions]:
    load_average = os.getloadavg()[0]

    def made(result: RecorderResult) -> Conditions:
        parts = chain.parts if chain else None
        mount, device = plan.mount, plan.device
        return Conditions(
            host_key=parts.host.key if parts else "",
            port_key=parts.port.key if parts else "",
            mode_key=chain.mode.key if chain and chain.mode else "",
            enclosure_key=parts.enclosure.key if parts and parts.enclosure else "",
            cable_key=parts.cable.key if parts and parts.cable else "",
            drive_key=parts.drive.key if parts else "",
            ambient_c=ambient_c,
            write_mode=result.write_mode,
            program_version=__version__,
            target=plan.target,
            file_system=mount.file_system if mount else "",
            mount_options=mount.options if mount else "",
            capacity_bytes=mount.capacity_bytes if mount else 0,
            free_bytes=plan.free_bytes,
            device_model=device.model if device else "",
            usb_bits_per_s=device.usb_bits_per_s if device else 0.0,
            kernel=platform.release(),
            load_average=load_average,
        )

    return made


def keep_proof(workplace: Workplace, unit_tag: str, proof: Proof) -> int:
    """Keep a finished test under its unit and return the run's number.

    Simulated runs wear nothing. Raises CellarError, or UnknownPartError for the unit.
    """
    result = proof.run.result
    assert result is not None, "the run must have ended"
    assert proof.conditions is not None, "a test to be kept has conditions"
    record = recorder_record(result, unit_tag, proof.conditions(result), datetime.now(UTC))
    wear_bytes = 0 if result.is_simulated else result.written_bytes
    return workplace.cellar.add_run(record, trace_text(result.trace), wear_bytes=wear_bytes)


def predicted_frames_dropped(result: RecorderResult) -> float:
    """Return the drops that buffer arithmetic expects at the rate the drive really took.

    0 where the drive kept up: then the measured rate is the camera's, not the drive's.
    """
    if not result.frames_dropped:
        return 0.0
    return predicted_drops_on_trace(result.load, result.trace)
