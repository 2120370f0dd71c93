"""Offload a set of clips onto a drive: which clips, what it would write, what came of it."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from vastcellar.bench.copying.source import hold_source, read_tree
from vastcellar.bench.offload_run import Clip, OffloadPlan, OffloadResult, OffloadRun
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.pass_figures import pass_figures

__all__ = [
    "OffloadPlan",
    "OffloadResult",
    "OffloadRun",
    "clips_in",
    "limit_sentence",
    "made_up_clips",
    "offload_figures",
]

_MOST_CLIPS = 9999


def clips_in(folder: Path, *, verifies: bool = True) -> OffloadPlan:
    """Return the copying of every file in *folder* and below, in the order of their names.

    Links are left alone, wherever they point.
    Raises DiskError where the folder can't be read, BadValueError where it holds no file.
    """
    if not folder.is_dir():
        raise DiskError("it is not a folder", where=str(folder), mend="Choose the clips' folder")
    try:
        with hold_source(folder) as held:
            tree = read_tree(held, str(folder))
    except OSError as error:
        raise _unreadable(folder, error.strerror) from error
    for each in tree.left_out:
        if (folder / each).is_dir() and not (folder / each).is_symlink():
            raise _unreadable(folder / each, "no permission, or too deep")
    clips = [Clip(each.path, each.size_bytes) for each in tree.files if each.size_bytes]
    if len(clips) > _MOST_CLIPS:
        raise BadValueError(
            f"it holds {len(clips)} files", where=str(folder),
            mend=f"Choose a set of at most {_MOST_CLIPS}",
        )  # fmt: skip
    return OffloadPlan(tuple(clips), str(folder), verifies, folder)


def _unreadable(folder: Path, said: str | None) -> DiskError:
    return DiskError(
        f"the clips can't be read ({said})", where=str(folder),
        mend="Check the folder and its permissions",
    )  # fmt: skip


def made_up_clips(count: int, size_bytes: int, *, verifies: bool = True) -> OffloadPlan:
    """Return the copying of so many clips that are made up: no other disk takes part."""
    clips = tuple(Clip(f"clip {number + 1}", size_bytes) for number in range(count))
    return OffloadPlan(clips, "made-up clips", verifies)


def offload_figures(result: OffloadResult) -> dict[str, Any]:
    """Return what an offload measured, as it is kept and printed."""
    return {
        "kind": "offload",
        "source": result.plan.source,
        "is_made_up": result.plan.is_made_up,
        "is_complete": result.is_complete,
        "ended_by": result.ended_by,
        "notes": list(result.notes),
        "clip_count": len(result.clips),
        "written_bytes": result.written_bytes,
        "bytes_per_s": result.copy.bytes_per_s,
        "whole_s": result.copy.elapsed_s + (result.verify.elapsed_s if result.verify else 0.0),
        "limit": result.limit,
        "source_bytes_per_s": None if result.plan.is_made_up else result.source_bytes_per_s,
        "drive_bytes_per_s": result.drive_bytes_per_s,
        "waited_for_source_s": result.waited_for_source_s,
        "waited_for_drive_s": result.waited_for_drive_s,
        "different": list(result.different),
        "slowest_clip": asdict(max(result.clips, key=lambda clip: clip.copied_s / clip.size_bytes))
        if result.clips
        else None,
        "write": pass_figures(result.copy),
        "read": pass_figures(result.verify) if result.verify else None,
    }


def limit_sentence(result: OffloadResult, fmt: NumberFormat) -> str:
    """Say whose rate the copy's rate is."""
    drive = fmt.rate(result.drive_bytes_per_s)
    if result.plan.is_made_up:
        return f"No other disk took part: the drive took {drive} while it was written."
    source = fmt.rate(result.source_bytes_per_s)
    if result.limit == "source":
        return (
            f"The source is the limit: it gave {source}, this drive took {drive} while it was "
            "written. A faster drive copies no faster."
        )
    if result.limit == "drive":
        return f"The drive is the limit: it took {drive}, the source gave {source}."
    return f"Neither waits for the other: the source gave {source}, the drive took {drive}."
