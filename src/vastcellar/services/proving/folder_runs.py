"""Tests in a real folder, made from values alone: here, or in a process of their own.

Each function takes what can be pickled, so that ``apart`` can call it elsewhere.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from vastcellar.bench.edit_run import EditPlan, EditRun
from vastcellar.bench.flat_run import FlatPlan, FlatRun
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.offload_run import OffloadPlan, OffloadRun
from vastcellar.bench.project_run import ProjectPlan, ProjectRun
from vastcellar.bench.recorder_run import RecorderRun
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.services.proving.places import find_place, folder_target

FilePlan = EditPlan | ProjectPlan | OffloadPlan
FileRun = EditRun | ProjectRun | OffloadRun
_RUNS: dict[type[Any], Callable[[Any, FolderTarget], FileRun]] = {
    EditPlan: EditRun,
    ProjectPlan: ProjectRun,
    OffloadPlan: OffloadRun,
}


def _target(folder: Path, notes_folder: Path) -> FolderTarget:
    return folder_target(folder, find_place(folder), notes_folder)


def flat_run(plan: FlatPlan, folder: Path, notes_folder: Path) -> FlatRun:
    """Return a flat-out test in *folder*. Raises DiskError where it can't be used."""
    return FlatRun(plan, _target(folder, notes_folder))


def recorder_run(
    loads: RecorderLoad | Sequence[RecorderLoad], folder: Path, notes_folder: Path
) -> RecorderRun:
    """Return a recorder test in *folder*. Raises DiskError where it can't be used."""
    return RecorderRun(loads, _target(folder, notes_folder))


def file_run(plan: FilePlan, folder: Path, notes_folder: Path) -> FileRun:
    """Return an edit, project or offload test in *folder*. Raises DiskError."""
    return _RUNS[type(plan)](plan, _target(folder, notes_folder))
