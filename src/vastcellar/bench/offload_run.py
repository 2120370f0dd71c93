"""The offload test: clips copied onto the drive, flushed, and read back against the source.

It is the verified copy of a card, watched while it goes: who waits for whom says which of the
two, source or drive, a copy's rate is really the rate of.
"""

from __future__ import annotations

import contextlib
import math
import threading
import time
from collections import deque
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from vastcellar.bench.clip_writer import ClipWriter
from vastcellar.bench.copying.buffers import Pool
from vastcellar.bench.copying.card import Card
from vastcellar.bench.copying.leg import Leg
from vastcellar.bench.copying.reading import Reader
from vastcellar.bench.copying.source import Source, SourceFile, hold_source, read_tree
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.in_flight import Completed
from vastcellar.bench.made_up_clips import MadeUpClips, made_up_file
from vastcellar.bench.progress import Progress, stopped
from vastcellar.bench.stream_pass import PassResult, StreamPass
from vastcellar.bench.watched_run import WatchedRun
from vastcellar.core.checks import require_above_zero
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.roll.copies import CopyState

_BLOCKS_BETWEEN = 6
"""A copy may lag 160 MB behind its source: here that would hide for seconds who is the slower."""
_LOOK_EVERY_S = 0.02
_TELLING = 2.0  # one hand waited this many times longer than the other
_WAITED_SHARE = 0.05


@dataclass(frozen=True, slots=True)
class Clip:
    """One file to copy."""

    name: str
    """Below the source, with /."""
    size_bytes: int


@dataclass(frozen=True)
class OffloadPlan:
    """What is copied, and whether it is read back afterwards."""

    clips: tuple[Clip, ...]
    source: str
    """Where the clips lie, or that they are made up."""
    verifies: bool = True
    folder: Path | None = None
    """What the clips are read from; None where they are made up."""

    def __post_init__(self) -> None:
        if not self.clips:
            raise BadValueError(
                "it has no clip", where=self.source, mend="Choose a folder of clips"
            )
        require_above_zero(self.source, bytes_to_write=self.bytes_to_write)

    @property
    def bytes_to_write(self) -> int:
        """Bytes of all clips."""
        return sum(clip.size_bytes for clip in self.clips)

    @property
    def is_made_up(self) -> bool:
        """Whether no other disk takes part."""
        return self.folder is None


@dataclass(frozen=True, slots=True)
class ClipOutcome:
    """One clip that was copied: until it was flushed, and whether it came back the same."""

    name: str
    size_bytes: int
    copied_s: float
    is_same: bool | None = None
    """None where it wasn't read back."""


@dataclass(frozen=True)
class OffloadResult:
    """What an offload measured."""

    plan: OffloadPlan
    is_complete: bool
    is_simulated: bool
    ended_by: str
    notes: tuple[str, ...]
    write_mode: str
    read_mode: str
    copy: PassResult
    verify: PassResult | None
    clips: tuple[ClipOutcome, ...]
    waited_for_source_s: float
    waited_for_drive_s: float
    source_bytes_per_s: float
    """While it was being read, nothing else counted; nan where the clips are made up."""
    drive_bytes_per_s: float
    """While it was being written or flushed, nothing else counted."""

    @property
    def written_bytes(self) -> int:
        """Bytes that went onto the drive."""
        return self.copy.moved_bytes

    @property
    def limit(self) -> str:
        """What the copy's rate is the rate of: "source", "drive" or "both"."""
        least_s = _WAITED_SHARE * self.copy.elapsed_s
        source_s, drive_s = self.waited_for_source_s, self.waited_for_drive_s
        if source_s > least_s and source_s > _TELLING * drive_s:
            return "source"
        if drive_s > least_s and drive_s > _TELLING * source_s:
            return "drive"
        return "both"

    @property
    def different(self) -> tuple[str, ...]:
        """Names of the clips that did not come back as they were read."""
        return tuple(clip.name for clip in self.clips if clip.is_same is False)


class _Watch:
    """Takes in what the hands of the copy tell, from their threads."""

    def __init__(self, target: FolderTarget) -> None:
        self.now_s = target.now_s
        self.written: deque[Completed] = deque()
        self.read: deque[Completed] = deque()
        self.clips: list[tuple[SourceFile, float]] = []
        """Each that is on the drive, with how long it took."""
        self.flushed_s = 0.0
        self._written_bytes = self._read_bytes = 0

    def wrote(self, size_bytes: int, begin_s: float, end_s: float) -> None:
        self.written.append(Completed(self._written_bytes, size_bytes, begin_s, end_s))
        self._written_bytes += size_bytes

    def copied(self, file: SourceFile, begin_s: float, end_s: float) -> None:
        self.clips.append((file, end_s - begin_s))
        self.flushed_s = end_s

    def read_back(self, size_bytes: int, begin_s: float, end_s: float) -> None:
        self.read.append(Completed(self._read_bytes, size_bytes, begin_s, end_s))
        self._read_bytes += size_bytes


class OffloadRun(WatchedRun):
    """Copies, flushes each clip, and reads it back, in files of its own that it removes."""

    def __init__(self, plan: OffloadPlan, target: FolderTarget) -> None:
        super().__init__(target)
        self.plan = plan
        self._folder = target
        self._watch = _Watch(target)
        self._reader: Reader | None = None
        self._leg: Leg | None = None
        self._copy: StreamPass | None = None
        self._verify: StreamPass | None = None
        self.result: OffloadResult | None = None

    def _has_something(self) -> bool:
        return self._copy is not None and self._copy.moved_bytes > 0

    def _measure(self) -> Iterator[Progress]:
        self._folder.open()
        goes_on = threading.Event()
        goes_on.set()
        with contextlib.ExitStack() as stack:
            source, files = self._source(stack)
            pool = Pool(_BLOCKS_BETWEEN)
            stack.callback(pool.close)
            writer = ClipWriter(self._folder)
            leg = self._leg = Leg(
                0, writer, pool, self._stop, verifies=self.plan.verifies,
                verifies_along=False, watch=self._watch,
            )  # fmt: skip
            reader = self._reader = Reader(
                source, files, (leg,), pool, writer.algorithm, self._stop, goes_on,
                ends_at_trouble=True, now_s=self._folder.now_s,
            )  # fmt: skip
            leg.start()
            reader.start()
            try:
                yield from self._follow(reader, leg)
            finally:
                if leg.is_busy or reader.is_alive():
                    self._stop.set()
                reader.join()
                leg.end()

    def _source(self, stack: contextlib.ExitStack) -> tuple[Source, Sequence[SourceFile]]:
        """Return where the clips come from, and they themselves as they lie there now."""
        folder, clips = self.plan.folder, self.plan.clips
        if folder is None:
            number = int(self._folder.own_folder.run_id, 16) >> 1
            return MadeUpClips(number), [made_up_file(each.name, each.size_bytes) for each in clips]
        try:
            held = stack.enter_context(hold_source(folder))
            tree = read_tree(held, str(folder), is_lasting=False)  # told by size and time
        except OSError as error:
            raise _of_source(as_disk_error(error, str(folder))) from error
        found = {each.path: each for each in tree.files}
        for each in clips:
            if each.name not in found or found[each.name].size_bytes != each.size_bytes:
                raise DiskError(
                    "source: it isn't there any more as it was chosen",
                    where=str(folder / each.name),
                    mend="Choose the clips once more",
                )
        card = Card(held, folder, past_memory=True)
        stack.callback(card.close)
        return card, [found[each.name] for each in clips]

    def _follow(self, reader: Reader, leg: Leg) -> Iterator[Progress]:
        copying = StreamPass("copying", self._folder, self.plan.bytes_to_write, math.inf)
        self._copy = copying
        share = 0.6 if self.plan.verifies else 1.0
        while leg.is_writing:
            self._take_in(copying, self._watch.written)
            if copying.is_due:
                yield copying.progress(0.0, share)
            time.sleep(_LOOK_EVERY_S)
        self._take_in(copying, self._watch.written)
        copying.flushed(self._watch.flushed_s)
        self._raise_what_ended_it(reader, leg)
        yield copying.progress(0.0, share)
        if not self.plan.verifies:
            return
        checking = StreamPass("reading back", self._folder, self.plan.bytes_to_write, math.inf)
        self._verify = checking
        leg.may_check.set()
        while leg.is_busy:
            self._take_in(checking, self._watch.read)
            if checking.is_due:
                yield checking.progress(0.6, 0.4)
            time.sleep(_LOOK_EVERY_S)
        self._take_in(checking, self._watch.read)
        self._raise_what_ended_it(reader, leg)
        yield checking.progress(0.6, 0.4)

    @staticmethod
    def _take_in(into: StreamPass, told: deque[Completed]) -> None:
        into.add([told.popleft() for _ in range(len(told))])

    def _raise_what_ended_it(self, reader: Reader, leg: Leg) -> None:
        """A copy goes on where one file can't be read or held: what is measured here does not."""
        if reader.disk_error is not None:
            where = str(self.plan.folder / reader.now) if self.plan.folder else reader.now
            raise _of_source(as_disk_error(reader.disk_error, where)) from reader.disk_error
        if isinstance(leg.left_by, OSError):
            raise leg.destination.sentence(leg.left_by) from leg.left_by
        if (error := reader.error or leg.left_by) is not None:
            raise error
        stopped(self._stop)
        for path, said in reader.troubles.items():
            raise DiskError(
                f"source: {said}",
                where=str(self.plan.folder / path) if self.plan.folder else path,
                mend="Copy clips that nothing else is writing to",
            )

    def _conclude(self) -> None:
        assert self._copy is not None, "something was copied"
        assert self._reader is not None and self._leg is not None, "by these two"
        reader, leg = self._reader, self._leg
        is_read = reader.read_s > 0 and not self.plan.is_made_up
        self.result = OffloadResult(
            plan=self.plan,
            is_complete=self._ended_by == "",
            is_simulated=self._target.is_simulated,
            ended_by=self._ended_by,
            notes=tuple(self._notes),
            write_mode=self._target.write_mode,
            read_mode=self._target.read_mode,
            copy=self._copy.result(),
            verify=self._verify.result() if self._verify else None,
            clips=tuple(
                ClipOutcome(each.path, each.size_bytes, copied_s, self._is_same(leg, each))
                for each, copied_s in self._watch.clips
            ),
            waited_for_source_s=leg.waited_s,
            waited_for_drive_s=reader.waited_s,
            source_bytes_per_s=reader.read_bytes / reader.read_s if is_read else math.nan,
            drive_bytes_per_s=self._copy.moved_bytes / leg.busy_s if leg.busy_s else 0.0,
        )

    @staticmethod
    def _is_same(leg: Leg, file: SourceFile) -> bool | None:
        found = leg.outcomes.get(file.path)
        states = {CopyState.VERIFIED: True, CopyState.DIFFERENT: False}
        return states.get(found.state) if found else None


def _of_source(error: DiskError) -> DiskError:
    return DiskError(f"source: {error.what}", where=error.where, mend=error.mend)
