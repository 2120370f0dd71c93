"""Tests that work with files: edit, project and offload, ready to run and as they are kept."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from vastcellar.bench.apart import ApartRun
from vastcellar.bench.edit_run import EditPlan, EditResult, EditRun
from vastcellar.bench.offload_run import OffloadPlan, OffloadResult
from vastcellar.bench.project_run import ProjectPlan, ProjectResult, ProjectRun
from vastcellar.core.chain.chain import Chain
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.conditions import LoadBefore
from vastcellar.services.proving.folder_runs import FilePlan, FileRun, file_run
from vastcellar.services.proving.offloading import limit_sentence, made_up_clips, offload_figures
from vastcellar.services.proving.places import find_place, require_room_for
from vastcellar.services.proving.shown import AS_COPY, AS_PARTS, Shown, ShownTest
from vastcellar.services.workplace.run_records import Conditions

__all__ = [
    "EditPlan",
    "EditResult",
    "EditRun",
    "FilePlan",
    "FileProof",
    "FileResult",
    "ProjectPlan",
    "ProjectResult",
    "ProjectRun",
    "edit_figures",
    "file_figures",
    "file_proof",
    "file_sentence",
    "project_figures",
    "usual_clips",
    "usual_edit_plan",
]

FileResult = EditResult | ProjectResult | OffloadResult

USUAL_STREAMS, MOST_STREAMS = 4, 64
_CLIP_BYTES = 500_000_000
_USUAL_RENDER_BYTES_PER_S, _USUAL_CACHE_FILES_PER_S = 20e6, 4.0


@dataclass(frozen=True, slots=True)
class Stream:
    """What an editor plays: one stream of it."""

    name: str
    bytes_per_s: float
    frames_per_s: float


USUAL_STREAM = Stream("UHD 422 HQ, 25 fps", 92.2e6, 25.0)


@dataclass(frozen=True)
class FileProof(ShownTest):
    """An edit, project or offload test ready to run in a folder."""

    kind: str
    run: FileRun | ApartRun[FileResult]
    target: str
    bytes_to_write: int
    tbw_share: float | None
    conditions: Callable[[FileResult], Conditions]
    begin: Callable[[], tuple[str, ...]]
    is_simulated = False

    @property
    def shown(self) -> Shown:  # type: ignore[override]
        """An offload has a trace, the others their parts."""
        return AS_COPY if self.kind == "offload" else AS_PARTS


def file_proof(
    folder: Path,
    plan: FilePlan,
    notes_folder: Path,
    *,
    chain: Chain | None = None,
    ambient_c: float = math.nan,
    apart: bool = False,
) -> FileProof:
    """Return the test that *plan* describes, in *folder*; *apart* in a process of its own.

    Raises DiskError where the folder can't be used, BadValueError where the room is too small.
    """
    place = find_place(folder)
    require_room_for(plan.bytes_to_write, place)
    before = LoadBefore(place)

    def conditions(result: FileResult) -> Conditions:
        write_mode = result.read_mode if isinstance(result, ProjectResult) else result.write_mode
        return before.conditions(folder, result.read_mode, write_mode, chain, ambient_c)

    tbw = chain.parts.drive.tbw_bytes if chain else 0.0
    spec = plan, folder, notes_folder
    run = ApartRun[FileResult](file_run, *spec) if apart else file_run(*spec)
    return FileProof(
        kind=_kind_of(plan),
        run=run,
        target=str(folder),
        bytes_to_write=plan.bytes_to_write,
        tbw_share=plan.bytes_to_write / tbw if tbw else None,
        conditions=conditions,
        begin=before.begin,
    )


def _kind_of(plan: FilePlan) -> str:
    if isinstance(plan, EditPlan):
        return "edit"
    return "project" if isinstance(plan, ProjectPlan) else "offload"


def usual_clips(size_bytes: int) -> OffloadPlan:
    """Return made-up clips of about half a gigabyte that come to *size_bytes*."""
    count = max(round(size_bytes / _CLIP_BYTES), 1)
    return made_up_clips(count, max(size_bytes // count, 1))


def usual_edit_plan(stream: Stream = USUAL_STREAM, streams: int = USUAL_STREAMS) -> EditPlan:
    """Return the playing of up to *streams* of *stream*, renders and caches beside."""
    return EditPlan(
        stream.bytes_per_s,
        stream.frames_per_s,
        streams,
        render_bytes_per_s=_USUAL_RENDER_BYTES_PER_S,
        cache_files_per_s=_USUAL_CACHE_FILES_PER_S,
    )


def edit_figures(result: EditResult) -> dict[str, Any]:
    """Return what an edit test measured, as it is kept and printed."""
    figures = asdict(result)
    figures["plan"]["bytes_to_write"] = result.plan.bytes_to_write
    return figures


def project_figures(result: ProjectResult) -> dict[str, Any]:
    """Return what a project test measured, as it is kept and printed."""
    return asdict(result)


def file_figures(result: FileResult) -> dict[str, Any]:
    """Return what such a test measured, as it is kept and printed."""
    if isinstance(result, EditResult):
        return {"kind": "edit", **edit_figures(result)}
    if isinstance(result, ProjectResult):
        return {"kind": "project", **project_figures(result)}
    return offload_figures(result)


def file_sentence(result: FileResult, fmt: NumberFormat) -> tuple[str, str]:
    """Return what came of such a test, and its figures, as two sentences."""
    if isinstance(result, EditResult):
        return _edit_sentence(result, fmt)
    if isinstance(result, ProjectResult):
        head = ", ".join(
            f"{each.name} {fmt.number(each.per_s, 0)} a second" for each in result.operations
        )
        slowest = max(result.operations, key=lambda each: each.latency.longest_s)
        wait = fmt.number(slowest.latency.longest_s * 1e3, 0)
        return head[:1].upper() + head[1:] + ".", f"The longest wait: {wait} ms ({slowest.name})."
    copied = f"{len(result.clips)} clips, {fmt.size(result.written_bytes)}"
    head = f"{copied} copied at {fmt.rate(result.copy.bytes_per_s)}, flushed clip by clip"
    if result.verify is not None:
        came_back = (
            "every one came back as it was read"
            if not result.different
            else f"came back different: {', '.join(result.different)}"
        )
        head += f"; {came_back}"
    return f"{head}.", limit_sentence(result, fmt)


def _edit_sentence(result: EditResult, fmt: NumberFormat) -> tuple[str, str]:
    plan = result.plan
    rate = fmt.rate(plan.stream_bytes_per_s, 1)
    count = result.most_streams
    streams = "1 stream" if count == 1 else f"{count} streams"
    head = f"{streams} of {rate} without a missed frame" if count else f"Not one stream of {rate}"
    if count == plan.streams:
        head += ", as many as were asked for"
    failed = next((step for step in result.steps if step.missed), None)
    parts = []
    if failed is not None:
        parts.append(
            f"With {failed.streams}, {fmt.number(failed.missed, 0)} of "
            f"{fmt.number(failed.frames, 0)} frames came late, the worst by "
            f"{fmt.number(failed.worst_late_s * 1e3, 0)} ms."
        )
    jumps = [step.first_frame.p99_s for step in result.steps if step.jumps]
    if jumps:
        first = fmt.number(max(jumps) * 1e3, 0)
        parts.append(f"After a jump the first frame came within {first} ms (99 of 100).")
    dragged = [step.scrub_frame.p99_s for step in result.steps if step.scrubs]
    if dragged:
        each = fmt.number(max(dragged) * 1e3, 0)
        parts.append(f"While scrubbing each frame came within {each} ms (99 of 100).")
    return f"{head}.", " ".join(parts)
