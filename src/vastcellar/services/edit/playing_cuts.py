"""A cut played for real from a folder: the part that asks most, or one of one's own choice."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from vastcellar.bench.cut_run import CutResult, CutRun, part_of
from vastcellar.core.errors import BadValueError
from vastcellar.core.units import NumberFormat
from vastcellar.services.edit.edit_wording import position
from vastcellar.services.edit.measured import CUT, clips_key
from vastcellar.services.edit.timelines import timeline_demand
from vastcellar.services.proving.conditions import LoadBefore
from vastcellar.services.proving.keeping import NO_TRACE, KeptRun, keep_any
from vastcellar.services.proving.places import find_place, folder_target, require_room_for
from vastcellar.services.workplace.rescuing import add_run
from vastcellar.services.workplace.run_records import Conditions
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.run_record import RunRecord

USUAL_SECONDS = 40.0

__all__ = [
    "CutProof",
    "CutResult",
    "CutRun",
    "cut_figures",
    "cut_proof",
    "cut_sentence",
    "parse_position",
]


@dataclass(frozen=True)
class CutProof:
    """A part of a cut ready to be played in a folder."""

    run: CutRun
    begin: Callable[[], tuple[str, ...]]
    """Notes the load on the disk, and returns what is to be said before."""
    conditions: Callable[[CutResult], Conditions]


def cut_proof(
    folder: Path,
    timeline: Path,
    notes_folder: Path,
    *,
    assumed_bytes_per_s: float = 0.0,
    from_s: float | None = None,
    seconds: float = USUAL_SECONDS,
    read_ahead_s: float = 0.5,
) -> CutProof:
    """Return the test that plays a part of the cut in *timeline* out of *folder*.

    Args:
        folder: that is measured; the clips are made up in it and removed again.
        timeline: an OpenTimelineIO file.
        notes_folder: where tests note what they would have to remove after a crash.
        assumed_bytes_per_s: of clips of no known rate; 0 to refuse them.
        from_s: where the part begins; None for the part around the worst second.
        seconds: of it.
        read_ahead_s: how far ahead of the playhead each clip is read.

    Raises:
        DiskError: the folder can't be used, or has too little room.
        BadFileError, BadValueError: the timeline, or the part of it, is none.

    """
    cut = timeline_demand(timeline, assumed_bytes_per_s)
    whole_s = cut.demand.duration_s
    if from_s is None:
        from_s = max(min(cut.demand.worst_second.start_s - seconds / 2, whole_s - seconds), 0.0)
    if not 0 <= from_s < whole_s:
        raise BadValueError(
            f"the cut is {position(whole_s)} long, and {position(from_s)} was asked for",
            where=timeline.name,
            mend="Choose a part inside it",
        )
    plan = part_of(cut.name, cut.demand.clips, from_s, min(seconds, whole_s - from_s), read_ahead_s)
    place = find_place(folder)
    require_room_for(plan.bytes_to_write, place)
    before = LoadBefore(place)

    def conditions(result: CutResult) -> Conditions:
        return before.conditions(folder, result.read_mode, result.read_mode)

    run = CutRun(plan, folder_target(folder, place, notes_folder))
    return CutProof(run, before.begin, conditions)


@keep_any.register
def _(proof: CutProof, workplace: Workplace, unit_tag: str) -> tuple[KeptRun, ...]:
    """Keep what was played of a cut. Raises CellarError, or UnknownPartError for the unit."""
    result = proof.run.result
    if result is None or not result.frames:
        return ()
    record = RunRecord(
        unit_tag=unit_tag,
        kind=CUT,
        measured_at=datetime.now(UTC),
        is_simulated=False,
        is_complete=result.is_complete,
        conditions=asdict(proof.conditions(result)),
        figures={**cut_figures(result), "clips_key": clips_key(result.plan)},
    )
    return (KeptRun(add_run(workplace, record, NO_TRACE, result.written_bytes)),)


def cut_figures(result: CutResult) -> dict[str, Any]:
    """Return what was measured, as it is printed as JSON."""
    worst = result.worst
    return {
        "cut": result.plan.name,
        "from_s": result.plan.from_s,
        "duration_s": result.plan.duration_s,
        "read_ahead_s": result.plan.read_ahead_s,
        "is_complete": result.is_complete,
        "frames": result.frames,
        "late_frames": result.late_frames,
        "worst_late_s": result.worst_late_s,
        "worst_second_s": worst.at_s if worst else None,
        "worst_second_clips": list(worst.clips) if worst else None,
        "late_seconds": [
            {"at_s": each.at_s, "frames": each.frames, "clips": list(each.clips)}
            for each in result.late_seconds
        ],
        "read_bytes_per_s": result.read_bytes_per_s,
        "read_mode": result.read_mode,
        "written_bytes": result.written_bytes,
        "notes": list(result.notes),
    }


def cut_sentence(result: CutResult, fmt: NumberFormat) -> str:
    """Return what came of playing a cut."""
    part = f"{result.plan.name} from {position(result.plan.from_s)}"
    worst = result.worst
    if worst is None:
        return f"{part}: all {fmt.number(result.frames, 0)} frames were in time"
    return (
        f"{part}: {fmt.number(result.late_frames, 0)} of {fmt.number(result.frames, 0)} frames "
        f"were late, most of them at {position(worst.at_s)} ({', '.join(worst.clips)})"
    )


def parse_position(text: str) -> float:
    """Return seconds for "24:10" or "1:02:09". Raises BadValueError."""
    parts = text.strip().split(":")
    if not 1 <= len(parts) <= 3 or not all(part.isdecimal() for part in parts):
        raise BadValueError(
            f"{text.strip()!r} is no place in a cut", where="--from", mend="Write for example 24:10"
        )
    seconds = 0.0
    for part in parts:
        seconds = seconds * 60 + int(part)
    return seconds
