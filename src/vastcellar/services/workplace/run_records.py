"""Between a finished run and the record that the cellar keeps of it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, Any

from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.verdict.proof import RecorderProof, RunConditions
from vastcellar.store.run_record import RunRecord

if TYPE_CHECKING:
    from vastcellar.bench.recorder_run import CameraOutcome, RecorderResult

RECORDER = "recorder"
FLAT_KINDS = ("burst", "write", "read", "capacity")
"""Tests that write, or read, as fast as it goes."""
COPIED = "copy"
"""A card that was copied onto a unit: measured at work, not in a test."""
TRACE = "trace"
"""What another program measured: nobody noted on what."""
FAN = "a fan on the case"
CLOCK_TOLERANCE = timedelta(minutes=10)
"""A run that is dated further ahead than clocks differ can't have been made yet."""


@dataclass(frozen=True, slots=True)
class Conditions:
    """What a run was made under; without them a figure says little."""

    host_key: str
    port_key: str
    mode_key: str
    enclosure_key: str
    cable_key: str
    drive_key: str
    ambient_c: float
    write_mode: str
    program_version: str
    target: str
    file_system: str = ""
    mount_options: str = ""
    capacity_bytes: int = 0
    free_bytes: int = 0
    device_model: str = ""
    usb_bits_per_s: float = 0.0
    kernel: str = ""
    load_average: float = 0.0
    other_cpu_share: float = 0.0
    """Of all cores, in use by other things before the test."""
    encryption: str = ""
    block_bytes: int = 0
    depth: int = 0
    read_mode: str = ""
    drive_c: float | None = None
    """Device temperature at the start, None without a sensor."""
    cooling: str = ""
    """What was done to cool it, "" for nothing."""
    since_last_run_s: float | None = None
    """How long the unit hadn't been tested before, None where it never was or isn't known."""
    clock: str = "CLOCK_MONOTONIC"
    hub_keys: tuple[str, ...] = ()
    sharing: int = 1
    link_ceiling_bytes_per_s: float = 0.0
    """Of the stated link mode."""
    is_encrypted: bool = False
    """As the setup states; what the device itself tells stands in ``encryption``."""
    file_system_key: str = ""
    """As the catalog names it: read of a real folder, stated of a rig."""
    device_serial: str = ""
    device_size_bytes: int = 0
    file_system_uuid: str = ""
    device_bus: str = ""
    is_in_memory: bool = False
    is_over_network: bool = False
    is_direct: bool = True
    slept_s: float = 0.0
    stood_still_s: float = 0.0
    clock_set_s: float = 0.0
    other_tests: int = 0
    unit_written_bytes: float | None = None
    """What had been written to the unit before."""
    warnings: tuple[str, ...] = ()


def recorder_record(
    result: RecorderResult, unit_tag: str, conditions: Conditions, measured_at: datetime
) -> RunRecord:
    """Return the record of a recorder test."""
    return RunRecord(
        unit_tag=unit_tag,
        kind=RECORDER,
        measured_at=measured_at,
        is_simulated=result.is_simulated,
        is_complete=result.is_complete,
        conditions=asdict(conditions),
        figures=recorder_figures(result),
    )


def recorder_figures(result: RecorderResult) -> dict[str, Any]:
    """Return what a recorder test measured, as it is kept and printed."""
    load = result.load
    return {
        "load_bytes_per_s": load.average_bytes_per_s,
        "frames_per_s": str(load.frames_per_s),
        "buffer_bytes": load.buffer_bytes,
        "duration_s": load.duration_s,
        "ended_by": result.ended_by,
        "elapsed_s": result.elapsed_s,
        "flush_s": result.flush_s,
        "written_bytes": result.written_bytes,
        "achieved_bytes_per_s": result.achieved_bytes_per_s,
        "frames_arrived": result.frames_arrived,
        "frames_late": result.frames_late,
        "frames_dropped": result.frames_dropped,
        "first_drop_s": result.first_drop_s,
        "worst_backlog_bytes": result.worst_backlog_bytes,
        "worst_delay_s": result.worst_delay_s,
        "slowest_second_bytes": result.slowest_second_bytes
        if math.isfinite(result.slowest_second_bytes)
        else None,
        "slowest_second_ability_bytes_per_s": result.slowest_second_ability_bytes_per_s,
        "cameras": [camera_figures(each) for each in result.cameras],
    }


def camera_figures(outcome: CameraOutcome) -> dict[str, Any]:
    """Return what one of the cameras met, as it is kept and printed."""
    load = outcome.load
    return {
        "camera": load.name,
        "load_bytes_per_s": load.average_bytes_per_s,
        "frames_per_s": str(load.frames_per_s),
        "buffer_bytes": load.buffer_bytes,
        "duration_s": load.duration_s,
        "crest": load.variation.crest,
        "gop_frames": load.variation.gop_frames,
        "written_bytes": outcome.written_bytes,
        "frames_arrived": outcome.frames_arrived,
        "frames_late": outcome.frames_late,
        "frames_dropped": outcome.frames_dropped,
        "first_drop_s": outcome.first_drop_s,
        "worst_backlog_bytes": outcome.worst_backlog_bytes,
        "worst_delay_s": outcome.worst_delay_s,
    }


def recorder_proofs(
    runs: Iterable[RunRecord], catalog: Catalog, *, is_demo: bool
) -> tuple[RecorderProof, ...]:
    """Return what the recorder tests among *runs* did, and under what conditions.

    A run of several cameras at once counts for each of them that lost nothing. A loss among
    several says nothing of one alone. Outside a demo a rig's run is a rehearsal.
    """
    proofs: list[RecorderProof] = []
    for run in runs:
        if run.kind != RECORDER:
            continue
        cameras = run.figures.get("cameras", [])
        if len(cameras) < 2:
            only = cameras[0] if cameras else {}
            figures = {**run.figures, "crest": only.get("crest")}
            proofs.append(_proof(run, figures, catalog, is_demo=is_demo))
            continue
        proofs += [
            _proof(run, run.figures | each, catalog, is_demo=is_demo)
            for each in cameras
            if not each["frames_dropped"]
        ]
    return tuple(proofs)


def _proof(
    run: RunRecord, figures: dict[str, Any], catalog: Catalog, *, is_demo: bool
) -> RecorderProof:
    crest = figures.get("crest")
    return RecorderProof(
        run_id=run.run_id,
        measured_at=run.measured_at,
        is_simulated=run.is_simulated,
        is_complete=run.is_complete,
        load_bytes_per_s=figures["load_bytes_per_s"],
        duration_s=figures["duration_s"] if run.is_complete else figures["elapsed_s"],
        buffer_bytes=figures["buffer_bytes"],
        achieved_bytes_per_s=figures["achieved_bytes_per_s"],
        slowest_second_ability_bytes_per_s=figures["slowest_second_ability_bytes_per_s"],
        frames_dropped=figures["frames_dropped"],
        worst_backlog_bytes=figures["worst_backlog_bytes"],
        conditions=run_conditions(run, catalog),
        crest=math.inf if crest is None else float(crest),
        is_rehearsal=run.is_simulated and not is_demo,
    )


def run_device(run: RunRecord) -> DeviceIdentity | None:
    """Return the device that *run* was made on, as it said itself; None of a rig's."""
    if run.is_simulated:
        return None
    kept = run.conditions
    return DeviceIdentity(
        kept.get("device_model", ""),
        kept.get("device_serial", ""),
        int(kept.get("device_size_bytes") or 0),
        kept.get("file_system_uuid", ""),
        kept.get("device_bus", ""),
    )


def run_conditions(run: RunRecord, catalog: Catalog) -> RunConditions:
    """Return the conditions that *run* was kept with, as a proof is judged by."""
    kept = run.conditions
    key = str(kept.get("file_system_key") or "")
    known = catalog.file_systems.get(key)
    drive = catalog.drives.get(str(kept.get("drive_key") or ""))
    now = datetime.now(UTC) + CLOCK_TOLERANCE
    free, capacity = kept.get("free_bytes") or 0, kept.get("capacity_bytes") or 0
    ambient_c = kept.get("ambient_c")
    return RunConditions(
        unit_tag=run.unit_tag,
        drive_key=kept.get("drive_key", ""),
        drive_capacity_bytes=float(drive.capacity_bytes) if drive else 0.0,
        is_ahead=run.measured_at > now,
        stated_by=str(kept.get("imported_from") or ""),
        stated_doubt=str(kept.get("imported_doubt") or ""),
        enclosure_key=kept.get("enclosure_key", ""),
        host_key=kept.get("host_key", ""),
        port_key=kept.get("port_key", ""),
        cable_key=kept.get("cable_key", ""),
        hub_keys=tuple(kept.get("hub_keys") or ()),
        sharing=int(kept.get("sharing") or 1),
        mode_key=kept.get("mode_key", ""),
        link_ceiling_bytes_per_s=kept.get("link_ceiling_bytes_per_s") or 0.0,
        link_bits_per_s=kept.get("usb_bits_per_s") or 0.0,
        device=run_device(run),
        file_system=key,
        file_system_write_share=known.write_share if known else None,
        is_encrypted=bool(kept.get("is_encrypted") or kept.get("encryption")),
        is_in_memory=bool(kept.get("is_in_memory")),
        is_over_network=bool(kept.get("is_over_network")),
        is_direct=bool(kept.get("is_direct", True)),
        free_share=free / capacity if free and capacity else None,
        ambient_c=math.nan if ambient_c is None else float(ambient_c),
        cooling=kept.get("cooling", ""),
        other_cpu_share=kept.get("other_cpu_share") or 0.0,
        other_tests=int(kept.get("other_tests") or 0),
        slept_s=kept.get("slept_s") or 0.0,
        stood_still_s=kept.get("stood_still_s") or 0.0,
        clock_set_s=kept.get("clock_set_s") or 0.0,
        unit_written_bytes=kept.get("unit_written_bytes"),
    )
