"""Between a finished run and the record that the cellar keeps of it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from vastcellar.bench.recorder_run import CameraOutcome, RecorderResult
from vastcellar.core.proof import RecorderProof
from vastcellar.store.run_record import RunRecord

RECORDER = "recorder"
FAN = "a fan on the case"


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


def recorder_proofs(runs: Iterable[RunRecord]) -> tuple[RecorderProof, ...]:
    """Return what the recorder tests among *runs* prove.

    A run of several cameras at once proves each of them that lost nothing. A loss among several
    says nothing of one alone.
    """
    proofs: list[RecorderProof] = []
    for run in runs:
        if run.kind != RECORDER:
            continue
        cameras = run.figures.get("cameras", [])
        if len(cameras) < 2:
            proofs.append(_proof(run, run.figures))
            continue
        proofs += [
            _proof(run, run.figures | each) for each in cameras if not each["frames_dropped"]
        ]
    return tuple(proofs)


def _proof(run: RunRecord, figures: dict[str, Any]) -> RecorderProof:
    conditions = run.conditions
    return RecorderProof(
        run_id=run.run_id,
        unit_tag=run.unit_tag,
        enclosure_key=conditions["enclosure_key"],
        mode_key=conditions["mode_key"],
        measured_at=run.measured_at,
        is_simulated=run.is_simulated,
        is_complete=run.is_complete,
        load_bytes_per_s=figures["load_bytes_per_s"],
        duration_s=figures["duration_s"] if run.is_complete else figures["elapsed_s"],
        buffer_bytes=figures["buffer_bytes"],
        ambient_c=conditions["ambient_c"],
        achieved_bytes_per_s=figures["achieved_bytes_per_s"],
        slowest_second_ability_bytes_per_s=figures["slowest_second_ability_bytes_per_s"],
        frames_dropped=figures["frames_dropped"],
        worst_backlog_bytes=figures["worst_backlog_bytes"],
    )
