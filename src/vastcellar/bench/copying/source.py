"""The card: what lies on it, found and read by descriptors, never written to."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

from vastcellar.bench.held_folder import HeldFolder, Identity
from vastcellar.core.errors import BadValueError

Attributes = tuple[tuple[str, bytes], ...]
MOST_FILES = 2_000_000
_DEEPEST = 64
_LASTING = frozenset({"ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "zfs", "bcachefs", "tmpfs"})
"""Local file systems that keep inode numbers and change times. Others make them up while a file is
remembered, or hand on what another computer says: a clip that nobody touched may seem changed."""
_BLOCK_BYTES = 512
"""What the system counts the room of a file in, whatever the file system's own blocks are."""


@dataclass(frozen=True, slots=True)
class SourceFile:
    """One regular file below the source."""

    folder: tuple[str, ...]
    name: str
    size_bytes: int
    modified_ns: int
    mode: int
    identity: Identity
    taken_bytes: int
    """What it takes up: less than its size where it has holes."""
    changed_ns: int = 0
    """The file system's own time of its last change, which nobody sets."""
    is_lasting: bool = True
    """Whether its inode number and change time are evidence: see ``stamps_last``."""
    path: str = field(init=False)
    """Below the source, with /."""

    def __post_init__(self) -> None:
        # Asked for several times on the way of each file: putting it together would be a cost.
        object.__setattr__(self, "path", "/".join((*self.folder, self.name)))

    def is_as(self, status: os.stat_result) -> bool:
        """Whether *status* is still that of this very file, unchanged."""
        if (status.st_size, status.st_mtime_ns) != (self.size_bytes, self.modified_ns):
            return False
        return not self.is_lasting or (
            Identity.of(status) == self.identity and status.st_ctime_ns == self.changed_ns
        )

    def is_like(self, other: SourceFile) -> bool:
        """Whether *other*, of a later look, is this very file, unchanged as far as that tells."""
        if (other.size_bytes, other.modified_ns) != (self.size_bytes, self.modified_ns):
            return False
        return not self.is_lasting or (
            (other.identity, other.changed_ns) == (self.identity, self.changed_ns)
        )


@dataclass(frozen=True, slots=True)
class SourceFolder:
    """A folder below the source, empty or not."""

    path: tuple[str, ...]
    modified_ns: int
    identity: Identity


@dataclass(frozen=True, slots=True)
class SourceTree:
    """All that lies on the card, folder by folder."""

    files: tuple[SourceFile, ...]
    folders: tuple[SourceFolder, ...]
    left_out: tuple[str, ...]
    """Links, pipes, devices, and folders that can't be read."""

    @property
    def size_bytes(self) -> int:
        """Of all files."""
        return sum(each.size_bytes for each in self.files)

    @property
    def taken_bytes(self) -> int:
        """What all files take up: less where they have holes."""
        return sum(each.taken_bytes for each in self.files)


class OpenFile(Protocol):
    """A file of a source while it is read; all but ``close`` may raise OSError."""

    was_as_before: bool
    """Whether it was as it had been looked at when it was opened."""

    def ranges(self) -> Iterator[tuple[int, int, bool]]:
        """Yield (start, end, is_hole) over the whole file."""

    def read(self, view: memoryview, at_bytes: int, wanted: int) -> int:
        """Read at least *wanted* bytes into *view*, as far as the file goes.

        Returns how much came: more than *wanted*, where it comes in pages and the view has room.
        """

    def is_as_before(self) -> bool:
        """Whether it still is as it had been looked at."""

    def attributes(self) -> Attributes:
        """Return what the user has noted at it."""

    def forget(self, at_bytes: int, count: int) -> None:
        """Say that this part isn't read again."""

    def close(self) -> None:
        """Close it."""


class Source(Protocol):
    """What a copy reads from."""

    where: str
    """For sentences."""

    def open(self, file: SourceFile) -> OpenFile:
        """Open *file*. Raises OSError."""

    def is_gone(self) -> bool:
        """Whether nothing stands at its place any more."""


def stamps_last(file_system: str) -> bool:
    """Whether inode numbers and change times of *file_system* tell whether a file was touched."""
    return file_system in _LASTING


def read_tree(root: HeldFolder, where: str, *, is_lasting: bool = True) -> SourceTree:
    """Return what lies below *root*, on a file system whose stamps last or don't.

    Raises BadValueError for more than can be a card.
    """
    files: list[SourceFile] = []
    folders: list[SourceFolder] = []
    left_out: list[str] = []
    waiting: list[tuple[str, ...]] = [()]
    while waiting:
        path = waiting.pop()
        try:
            with folder_below(root, path) as folder:
                found = _entries(folder)
        except OSError:
            if not path:
                raise
            left_out.append("/".join(path))
            continue
        below = []
        for name, status in found:
            here = (*path, name)
            if stat.S_ISDIR(status.st_mode) and len(here) < _DEEPEST:
                below.append(here)
                folders.append(SourceFolder(here, status.st_mtime_ns, Identity.of(status)))
            elif stat.S_ISREG(status.st_mode):
                files.append(
                    SourceFile(path, name, status.st_size, status.st_mtime_ns,
                               stat.S_IMODE(status.st_mode), Identity.of(status),
                               min(status.st_blocks * _BLOCK_BYTES, status.st_size),
                               status.st_ctime_ns, is_lasting)
                )  # fmt: skip
            else:
                left_out.append("/".join(here))
        waiting += reversed(below)
        if len(files) > MOST_FILES:
            raise BadValueError(
                f"more than {MOST_FILES:,} files lie there",
                where=where,
                mend="Choose the card's own folder",
            )
    return SourceTree(tuple(files), tuple(folders), tuple(left_out))


def _entries(folder: HeldFolder) -> list[tuple[str, os.stat_result]]:
    with os.scandir(folder.handle) as entries:
        found = [(each.name, each.stat(follow_symlinks=False)) for each in entries]
    return sorted(found, key=lambda each: each[0])


@contextlib.contextmanager
def folder_below(root: HeldFolder, path: tuple[str, ...]) -> Iterator[HeldFolder]:
    """Hold the folder at *path* below *root*, step by step: a link on the way is refused."""
    held = HeldFolder(os.dup(root.handle))
    try:
        for name in path:
            next_one = held.open_folder(name)
            held.close()
            held = next_one
        yield held
    finally:
        held.close()


def open_source(folder: HeldFolder, file: SourceFile) -> tuple[int, os.stat_result]:
    """Open *file* for reading, without leaving a trace of it where that is allowed.

    Returns its descriptor and its status. Raises OSError.
    """
    try:
        return folder.open_regular(file.name, os.O_RDONLY | os.O_NOATIME)
    except PermissionError:
        return folder.open_regular(file.name)


def data_ranges(handle: int, status: os.stat_result) -> Iterator[tuple[int, int, bool]]:
    """Yield (start, end, is_hole) over the whole file; all data where holes can't be told."""
    at, size_bytes = 0, status.st_size
    if status.st_blocks * _BLOCK_BYTES >= size_bytes > 0:
        yield 0, size_bytes, False  # as much is taken up as it is long: it has no holes
        return
    while at < size_bytes:
        try:
            data = os.lseek(handle, at, os.SEEK_DATA)
        except OSError as error:
            if error.errno == errno.ENXIO:  # nothing but a hole from here on
                yield at, size_bytes, True
            else:
                yield at, size_bytes, False
            return
        data = min(data, size_bytes)
        if data > at:
            yield at, data, True
        try:
            hole = min(os.lseek(handle, data, os.SEEK_HOLE), size_bytes)
        except OSError:
            hole = size_bytes
        if hole > data:
            yield data, hole, False
        at = max(hole, data + 1)


def user_attributes(handle: int) -> Attributes:
    """Return the user's extended attributes of an open file; none where there are no such."""
    try:
        names = [name for name in os.listxattr(handle) if name.startswith("user.")]
        return tuple((name, os.getxattr(handle, name)) for name in names)
    except OSError:
        return ()


def hold_source(path: Path) -> HeldFolder:
    """Hold the card's folder. Raises OSError where there is none."""
    return HeldFolder.open(path)
