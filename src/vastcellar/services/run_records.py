"""Between a finished run and the record that the cellar keeps of it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from vastcellar.bench.recorder_run import RecorderResult
from vastcellar.core.proof import RecorderProof
from vastcellar.store.run_record import RunRecord

RECORDER = "recorder"


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


def recorder_record(
    result: RecorderResult, unit_tag: str, conditions: Conditions, measured_at: datetime
) -> RunRecord:
    """Return the record of a recorder test."""
    load = result.load
    figures: dict[str, Any] = {
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
        "slowest_second_bytes": result.slowest_second_bytes,
        "slowest_second_ability_bytes_per_s": result.slowest_second_ability_bytes_per_s,
    }
    return RunRecord(
        unit_tag=unit_tag,
        kind=RECORDER,
        measured_at=measured_at,
        is_simulated=result.is_simulated,
        is_complete=result.is_complete,
        conditions=asdict(conditions),
        figures=figures,
    )


def recorder_proofs(runs: Iterable[RunRecord]) -> tuple[RecorderProof, ...]:
    """Return what the recorder tests among *runs* prove."""
    return tuple(_proof(run) for run in runs if run.kind == RECORDER)


def _proof(run: RunRecord) -> RecorderProof:
    figures, conditions = run.figures, run.conditions
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
