"""Pictures of the clips that were copied: taken from a verified copy, shown beside the log."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from vastcellar.bench.copying.copy_run import CopyPlan
from vastcellar.core.roll.copies import CopyOutcome, CopyState, FileOutcome
from vastcellar.core.roll.copy_log import KeptCopy
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.clip_files import CLIP_SUFFIXES
from vastcellar.store.clip_frames import keep_frames, kept_frames, read_end_frames

_MOST_SECONDS = 20.0
"""Whoever copies a card waits for its verdict, not for pictures: what isn't taken by then isn't."""


@dataclass(frozen=True, slots=True)
class ClipEnds:
    """A clip of a kept copy with its first and last picture."""

    name: str
    """Below the card, with /."""
    first_jpeg: bytes
    last_jpeg: bytes


def clips_on_copy(plan: CopyPlan, outcome: CopyOutcome) -> Iterator[tuple[FileOutcome, Path]]:
    """Yield the clips of a copy with where each lies verified, first destination first.

    The card itself may be out of the reader by now.
    """
    for file in outcome.files:
        if PurePosixPath(file.name).suffix.lower() not in CLIP_SUFFIXES:
            continue
        for number, one in enumerate(file.on):
            if one.state is CopyState.VERIFIED:
                yield file, plan.paths[number] / plan.name / (one.name or file.name)
                break


def keep_clip_ends(workplace: Workplace, plan: CopyPlan, outcome: CopyOutcome) -> int:
    """Keep the pictures of a copy's clips, of as many as there is time for; return of how many.

    Those that are kept already aren't taken again. Raises CellarError.
    """
    begin_s, count = time.monotonic(), 0
    clips = list(clips_on_copy(plan, outcome))
    known = kept_frames(workplace.cellar, (file.digest for file, _path in clips))
    for file, path in clips:
        if time.monotonic() - begin_s > _MOST_SECONDS:
            break
        if file.digest in known:
            continue
        frames = read_end_frames(path)
        if frames is not None:
            keep_frames(workplace.cellar, file.digest, frames)
            count += 1
    return count


def clip_ends_of(workplace: Workplace, copy: KeptCopy) -> tuple[ClipEnds, ...]:
    """Return the clips of a kept copy that pictures are kept of, in the card's order.

    Raises CellarError.
    """
    known = kept_frames(workplace.cellar, (file.digest for file in copy.outcome.files))
    return tuple(
        ClipEnds(file.name, known[file.digest].first_jpeg, known[file.digest].last_jpeg)
        for file in copy.outcome.files
        if file.digest in known
    )
