"""Where the offload test writes its clips: files of its own test folder, which it removes."""

from __future__ import annotations

from vastcellar.bench.copying.buffers import Block
from vastcellar.bench.copying.file_writer import FileWriter, Written
from vastcellar.bench.copying.source import SourceFile
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.held_folder import HeldFolder


class ClipWriter(FileWriter):
    """Writes past the host's memory whatever the size, and flushes each clip by itself.

    So each one's time is its own. What no drive of a copy would end, a name that it can't hold,
    ends a test: its figures are those of all clips.
    """

    algorithm = "xxh128"
    batches = False
    of_one_file = frozenset[int]()

    def __init__(self, target: FolderTarget) -> None:
        self._target = target
        self.where = str(target.folder)

    def place_of(self, file: SourceFile, number: int) -> tuple[HeldFolder, str, str]:
        """Return the test's folder and names of its own. Raises DiskError where it was taken."""
        self._target.look_after()
        folder, stem = self._target.own_folder, f"clip-{number:04d}-0001"
        return folder.held, folder.name_of(stem, ".new"), folder.name_of(stem)

    def let_go(self, file: SourceFile) -> None:
        """The test's folder is held as long as the test runs."""

    def is_direct(self, file: SourceFile) -> bool:
        """Whether the host's memory has no part in this test."""
        return self._target.is_direct

    def write(self, written: Written, block: Block) -> None:
        """Write one block. Raises OSError, DiskError where somebody took the folder."""
        self._target.look_after()
        super().write(written, block)

    def leave_direct(self, written: Written) -> None:
        """Let the test say that the host's memory has a part in it from here on."""
        super().leave_direct(written)
        self._target.leave_direct()

    def keep_up(self, written: Written, at_bytes: int, fresh_bytes: int) -> None:
        """Push each block out and wait for it: else the host's memory would be measured."""
        self._target.push_out(written.handle, at_bytes, fresh_bytes)
