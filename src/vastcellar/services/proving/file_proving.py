"""Tests that work with files: edit, project and offload, ready to run and as they are kept."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from vastcellar.bench.apart import ApartRun
from vastcellar.bench.edit_run import EditPlan, EditResult, EditRun
from vastcellar.bench.offload_run import OffloadPlan
from vastcellar.bench.project_run import ProjectPlan, ProjectResult, ProjectRun
from vastcellar.core.chain.chain import Chain
from vastcellar.services.proving.conditions import LoadBefore
from vastcellar.services.proving.file_kinds import FileKind, FileResult, kind_of
from vastcellar.services.proving.folder_runs import FilePlan, FileRun, file_run
from vastcellar.services.proving.offloading import made_up_clips
from vastcellar.services.proving.places import find_place, require_room_for
from vastcellar.services.proving.shown import Shown, ShownTest
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
    "file_proof",
    "usual_clips",
    "usual_edit_plan",
]

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

    what: FileKind[Any]
    run: FileRun | ApartRun[FileResult]
    target: str
    bytes_to_write: int
    tbw_share: float | None
    conditions: Callable[[FileResult], Conditions]
    begin: Callable[[], tuple[str, ...]]
    is_simulated = False

    @property
    def kind(self) -> str:
        """What it is kept as."""
        return self.what.key

    @property
    def shown(self) -> Shown:  # type: ignore[override]
        """As its kind is."""
        return self.what.shown


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
        mode = what.write_mode(result)
        return before.conditions(folder, result.read_mode, mode, chain, ambient_c)

    what = kind_of(plan)
    tbw = chain.parts.drive.tbw_bytes if chain else 0.0
    spec = plan, folder, notes_folder
    run = ApartRun[FileResult](file_run, *spec) if apart else file_run(*spec)
    return FileProof(
        what=what,
        run=run,
        target=str(folder),
        bytes_to_write=plan.bytes_to_write,
        tbw_share=plan.bytes_to_write / tbw if tbw else None,
        conditions=conditions,
        begin=before.begin,
    )


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
