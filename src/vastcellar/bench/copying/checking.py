"""A copy read back again, against the checksums of a list: nothing is written."""

from __future__ import annotations

import contextlib
import errno
import mmap
import os
import threading
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum

from vastcellar.bench.copying.buffers import BLOCK_BYTES
from vastcellar.bench.copying.past_memory import digest_of, open_past_memory
from vastcellar.bench.copying.source import folder_below
from vastcellar.bench.held_folder import HeldFolder


class Checked(StrEnum):
    """What came of one line of the list."""

    SAME = "same"
    DIFFERENT = "different"
    MISSING = "missing"
    UNREADABLE = "unreadable"
    UNLISTED = "unlisted"
    """In the record of the copy, and not so in the list: a list that was cut short vouches for
    nothing that it doesn't name."""


@dataclass(frozen=True, slots=True)
class CheckedFile:
    """One file that was read back."""

    path: str
    state: Checked
    size_bytes: int = 0
    said: str = ""


def check_files(
    root: HeldFolder, wanted: Sequence[tuple[str, str]], algorithm: str, stop: threading.Event
) -> Iterator[CheckedFile]:
    """Yield each of *wanted*, pairs of a checksum and a path below *root*, as it reads back now.

    Links on the way, and whatever is no regular file, count as unreadable.
    """
    with contextlib.closing(mmap.mmap(-1, BLOCK_BYTES)) as buffer:
        for digest, path in wanted:
            if stop.is_set():
                return
            *folder, name = path.split("/")
            try:
                with folder_below(root, tuple(folder)) as held:
                    handle, status = open_past_memory(held, name)
                try:
                    found, size = digest_of(handle, status, algorithm, buffer, stop), status.st_size
                finally:
                    os.close(handle)
            except OSError as error:
                gone = error.errno in (errno.ENOENT, errno.ENOTDIR)
                state = Checked.MISSING if gone else Checked.UNREADABLE
                yield CheckedFile(path, state, said=error.strerror or str(error))
                continue
            if found is None:
                return
            yield CheckedFile(path, Checked.SAME if found == digest else Checked.DIFFERENT, size)
