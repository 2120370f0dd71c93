"""The last look at a card before its copy is concluded: what lies on it otherwise than was read."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from vastcellar.bench.copying.ends import ends_buffer, ends_of_name
from vastcellar.bench.copying.source import SourceFile, SourceTree, folder_below, read_tree
from vastcellar.bench.held_folder import HeldFolder, Identity


@dataclass(frozen=True, slots=True)
class LookedAgain:
    """A card as it is now beside what was copied of it."""

    tree: SourceTree
    to_copy: tuple[SourceFile, ...]
    """What came, and what changed: not yet on any drive as it is now."""
    changes: tuple[str, ...]
    """Of these, in words, one for each file."""
    losses: tuple[str, ...]
    """What no further copying mends: what went, what can't be copied, another card."""


def look_again(
    held: HeldFolder, path: Path, copied: SourceTree, ends: Mapping[str, str], *, is_lasting: bool
) -> LookedAgain:
    """Return how the card *held* differs from what was *copied* of it.

    *ends* are the digests of each file's ends as they were read: compared where the card's file
    system keeps no stamps that would tell (*is_lasting*). A file without one was in trouble
    already. Raises OSError, BadValueError.
    """
    now = read_tree(held, str(path), is_lasting=is_lasting)
    before = {each.path: each for each in copied.files}
    to_copy: list[SourceFile] = []
    changes: list[str] = []
    with contextlib.closing(ends_buffer()) as buffer:
        for file in now.files:
            known = before.pop(file.path, None)
            if known is None:
                to_copy.append(file)
                changes.append(f"{file.path} came onto the card while it was copied")
                continue
            is_same = known.is_like(file)
            if is_same and not is_lasting and ends.get(file.path):
                with folder_below(held, file.folder) as folder:
                    found = ends_of_name(folder, file.name, file.size_bytes, buffer)
                is_same = found == ends[file.path]
            if not is_same:
                to_copy.append(file)
                changes.append(f"{file.path} changed while the card was copied")
    losses = [f"{name} went from the card while it was copied" for name in before]
    losses += [
        f"{name} can't be copied, and came while the card was"
        for name in now.left_out
        if name not in copied.left_out
    ]
    if Identity.of(path.stat()) != held.identity:
        losses.append("something else lies at the card's place now")
    return LookedAgain(now, tuple(to_copy), tuple(changes), tuple(losses))
