"""A card to several destinations in one read: hashed once, written to all, read back."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from vastcellar.bench.copying.buffers import Pool
from vastcellar.bench.copying.card import Card
from vastcellar.bench.copying.destination import Destination
from vastcellar.bench.copying.leg import Leg
from vastcellar.bench.copying.reading import Reader
from vastcellar.bench.copying.source import SourceTree, hold_source, read_tree
from vastcellar.core.roll.copies import (
    CopyOutcome,
    CopyState,
    DestinationOutcome,
    FileOnOne,
    FileOutcome,
)

_TELL_EVERY_S = 0.2


@dataclass(frozen=True, slots=True)
class CopyPlan:
    """What is copied where."""

    source: Path
    destinations: tuple[Path, ...]
    name: str
    """Of the folder that is made in each destination."""
    drives: tuple[str, ...] = ()
    """Of each destination."""
    counts_not: tuple[str, ...] = ()
    """Why a copy there is none for wiping, "" where it is one, of each destination."""
    shares_drive: tuple[bool, ...] = ()
    """Whether it lies on the card's own drive: reading back waits until the card is read."""
    by_program: tuple[bool, ...] = ()
    """Whether a program stands for its file system, or another computer: only a flush of each
    file reaches the drive there."""
    file_systems: tuple[str, ...] = ()
    """What each destination shares its room by."""
    needed_bytes: tuple[int, ...] = ()
    """Of room in each destination: what lies there already isn't written again."""
    algorithm: str = "xxh128"
    verifies: bool = True


@dataclass(frozen=True, slots=True)
class LegProgress:
    """How far a destination has come."""

    written_bytes: int
    verified_bytes: int
    busy_s: float
    dropped_by: str


@dataclass(frozen=True, slots=True)
class CopyProgress:
    """How far all of it has come."""

    elapsed_s: float
    total_bytes: int
    read_bytes: int
    read_s: float
    hash_s: float
    waited_s: float
    """The reader waited for a free block: some destination holds it up."""
    now: str
    legs: tuple[LegProgress, ...]
    total_files: int
    buffered_bytes: int
    """Read, and not yet on every drive."""
    buffer_bytes: int
    """What may be so at most."""


class CopyRun:
    """Runs once; ``stop`` ends it within half a second, with whole files only."""

    def __init__(self, plan: CopyPlan) -> None:
        self.plan = plan
        self.outcome: CopyOutcome | None = None
        self.error: Exception | None = None
        self._stop, self._goes_on = threading.Event(), threading.Event()
        self._goes_on.set()
        self._legs: list[Leg] = []
        self._destinations: list[Destination] = []
        """Of each leg."""

    def stop(self) -> None:
        """End soon: what is whole stays, what is begun goes."""
        self._stop.set()
        self._goes_on.set()

    def pause(self) -> None:
        """Read no further for now; what was read is written."""
        self._goes_on.clear()

    def resume(self) -> None:
        """Go on reading."""
        self._goes_on.set()

    def run(self) -> Iterator[CopyProgress]:
        """Copy; yield how far it has come. Raises OSError, VastCellarError before it begins."""
        begin_s = time.monotonic()
        with contextlib.ExitStack() as stack:
            source = stack.enter_context(hold_source(self.plan.source))
            tree = read_tree(source, str(self.plan.source))
            card = Card(source, self.plan.source)
            stack.callback(card.close)
            destinations = self._destinations
            for number, path in enumerate(self.plan.destinations):
                each = self.plan.by_program[number]
                made = Destination(
                    path, self.plan.name, self.plan.algorithm, flushes_each=each
                )  # fmt: skip
                made.open()
                stack.callback(made.close)
                destinations.append(made)
            self._pool = pool = Pool()
            stack.callback(pool.close)
            self._legs = [
                Leg(number, each, pool, self._stop, verifies=self.plan.verifies,
                    verifies_along=not self.plan.shares_drive[number])
                for number, each in enumerate(destinations)
            ]  # fmt: skip
            for leg in self._legs:
                leg.start()
            reader = self._reader = Reader(
                card, tree.files, self._legs, pool, self.plan.algorithm, self._stop, self._goes_on
            )
            reader.start()
            try:
                yield from self._follow(reader, tree, begin_s)
            finally:
                if reader.is_alive():
                    self.stop()
                reader.join()
                for leg in self._legs:
                    leg.end()
            faults = (reader.error, *(leg.fault for leg in self._legs))
            self.error = next(filter(None, faults), None)
            self._end_folders(tree)
            self.outcome = self._conclude(tree, time.monotonic() - begin_s)
            yield self._progress(tree, begin_s)
        if self.error is not None:
            raise self.error

    def _follow(self, reader: Reader, tree: SourceTree, begin_s: float) -> Iterator[CopyProgress]:
        while reader.is_alive() or any(leg.is_busy for leg in self._legs):
            yield self._progress(tree, begin_s)
            if not reader.is_alive() and not any(leg.is_writing for leg in self._legs):
                for leg in self._legs:  # nothing is read or written any more
                    leg.may_check.set()
            reader.join(_TELL_EVERY_S)
            if not reader.is_alive():
                time.sleep(_TELL_EVERY_S / 4)

    def _progress(self, tree: SourceTree, begin_s: float) -> CopyProgress:
        reader = self._reader
        return CopyProgress(
            elapsed_s=time.monotonic() - begin_s,
            total_bytes=tree.size_bytes,
            read_bytes=reader.read_bytes,
            read_s=reader.read_s,
            hash_s=reader.hash_s,
            waited_s=reader.waited_s,
            now=reader.now,
            legs=tuple(
                LegProgress(leg.written_bytes, leg.verified_bytes, leg.busy_s, leg.dropped_by)
                for leg in self._legs
            ),
            total_files=len(tree.files),
            buffered_bytes=self._pool.taken_bytes,
            buffer_bytes=self._pool.size_bytes,
        )

    # What came of it

    def _end_folders(self, tree: SourceTree) -> None:
        """Folders take the times of the source's last, the deepest first: writing changed them."""
        for leg, destination in zip(self._legs, self._destinations, strict=True):
            if leg.dropped_by or self._stop.is_set():
                continue
            for folder in reversed(tree.folders):
                with contextlib.suppress(OSError):
                    destination.make_folder(folder.path)
                destination.end_folder(folder.path, folder.modified_ns)

    def _conclude(self, tree: SourceTree, elapsed_s: float) -> CopyOutcome:
        reader = self._reader
        files = tuple(
            FileOutcome(
                each.path,
                each.size_bytes,
                "" if each.path in reader.troubles else reader.digests.get(each.path, ""),
                tuple(self._on(leg, each.path) for leg in self._legs),
                reader.troubles.get(each.path, ""),
                each.modified_ns,
            )
            for each in tree.files
        )
        outcome = CopyOutcome(
            source=str(self.plan.source),
            destinations=tuple(
                DestinationOutcome(
                    leg.destination.where,
                    self.plan.drives[number],
                    self.plan.counts_not[number],
                    self.plan.by_program[number],
                    leg.dropped_by,
                    leg.written_bytes,
                    leg.verified_bytes,
                    leg.busy_s,
                )
                for number, leg in enumerate(self._legs)
            ),
            files=files,
            left_out=tree.left_out,
            is_cancelled=self._stop.is_set(),
            elapsed_s=elapsed_s,
            read_s=reader.read_s,
            read_bytes=reader.read_bytes,
            algorithm=self.plan.algorithm,
        )
        for number, destination in enumerate(self._destinations):
            if all(each.on[number].state is CopyState.VERIFIED for each in files):
                destination.journal.remove()
        return outcome

    def _on(self, leg: Leg, path: str) -> FileOnOne:
        found = leg.outcomes.get(path)
        troubles = self._reader.troubles
        if path in troubles:
            # Whatever came of it there, it isn't known to be what the card holds.
            return FileOnOne(CopyState.FAILED, said=troubles[path])
        if found is not None:
            return found
        if leg.dropped_by:
            return FileOnOne(CopyState.FAILED, said=leg.dropped_by)
        return FileOnOne(CopyState.WAITING)
