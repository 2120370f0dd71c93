"""A card to several destinations in one read: hashed once, written to all, read back."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Generator, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from vastcellar.bench.copying.buffers import Pool
from vastcellar.bench.copying.card import Card
from vastcellar.bench.copying.destination import Destination
from vastcellar.bench.copying.ends import ends_buffer
from vastcellar.bench.copying.file_writer import Seen
from vastcellar.bench.copying.last_look import look_again
from vastcellar.bench.copying.leg import Leg
from vastcellar.bench.copying.reading import Reader
from vastcellar.bench.copying.source import SourceFile, SourceTree, hold_source, read_tree
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.errors import BadValueError
from vastcellar.core.roll.copies import (
    CopyOutcome,
    CopyState,
    DestinationOutcome,
    FileOnOne,
    FileOutcome,
)

_TELL_EVERY_S = 0.2
_MOST_ROUNDS = 4
"""A card that still changes then is being recorded on: that is said, and not waited for."""
_SAMPLES, _MOST_ENDS = 32, 2000
"""Of so many files the ends are read once more at the end, evenly drawn; of the larger number where
stamps don't say the rest: a hard disk takes half a minute for it."""


@dataclass(frozen=True, slots=True)
class PlannedDestination:
    """A folder that a card is copied into, and what was found of it."""

    path: Path
    drives: tuple[str, ...] = ()
    """That it lies on."""
    counts_not: str = ""
    """Why a copy there is none for wiping, "" where it is one."""
    shares_drive: bool = False
    """Whether it lies on the card's own drive: reading back waits until the card is read."""
    by_program: bool = False
    """Whether a program stands for its file system, or another computer: only a flush of each
    file reaches the drive there."""
    file_system: str = ""
    """What it shares its room by."""
    needed_bytes: int = 0
    """Of room: what lies there already isn't written again."""
    stamps_last: bool = False
    """Whether inode numbers and change times there tell whether a file was touched."""


@dataclass(frozen=True, slots=True)
class CopyPlan:
    """What is copied where."""

    source: Path
    destinations: tuple[PlannedDestination, ...]
    name: str
    """Of the folder that is made in each destination."""
    algorithm: str = "xxh128"
    verifies: bool = True
    card_id: str = ""
    """What the card's file system calls itself, "" where that isn't known."""
    card_stamps_last: bool = False

    @property
    def paths(self) -> tuple[Path, ...]:
        """Of the destinations."""
        return tuple(each.path for each in self.destinations)


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
        self.at_end: Callable[[CopyOutcome, Sequence[Destination]], None] | None = None
        """Told what came of it while all destinations are still held."""
        self.drives_of: Callable[[int], tuple[str, ...]] | None = None
        """Of an open folder: asked at the end whether it lies on the drives that were planned."""
        self._stop, self._goes_on = threading.Event(), threading.Event()
        self._goes_on.set()
        self._rounds: list[_Round] = []
        self._destinations: list[Destination] = []
        self._begin_s, self._begin_at_s = 0.0, 0.0
        self._seen_s = self._seen_again_s = self._read_back_s = 0.0
        self._changes: tuple[str, ...] = ()
        self._spoiled: dict[tuple[int, str], str] = {}
        """What became of a verified file since, by destination and path."""
        self._gone: dict[int, str] = {}
        """Why a destination isn't at its place any more."""

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
        plan = self.plan
        self._begin_s, self._begin_at_s = _boot_s(), time.time()
        with contextlib.ExitStack() as stack:
            source = stack.enter_context(hold_source(plan.source))
            tree = self._look(source)
            card = Card(source, plan.source)
            stack.callback(card.close)
            own_folders = frozenset(each.identity for each in tree.folders) | {source.identity}
            for each in plan.destinations:
                made = Destination(
                    each.path, plan.name, plan.algorithm, flushes_each=each.by_program,
                    card_id=plan.card_id, card_folders=own_folders, stamps_last=each.stamps_last,
                )  # fmt: skip
                made.open()
                stack.callback(made.close)
                self._destinations.append(made)
            self._pool = pool = Pool()
            stack.callback(pool.close)
            tree = yield from self._copy_until_still(source, card, tree)
            self._end_folders(tree)
            if not self._stop.is_set():
                self._look_at_copies(tree)
            self.outcome = self._conclude(tree)
            if self.at_end is not None:
                self.at_end(self.outcome, self._destinations)
            self._end_journals(self.outcome)
            yield self._progress()
        if self.error is not None:
            raise self.error

    def _look(self, source: HeldFolder) -> SourceTree:
        self._seen_s = self._now_s()
        where = str(self.plan.source)
        return read_tree(source, where, is_lasting=self.plan.card_stamps_last)

    def _now_s(self) -> float:
        """Return the time since 1970 by a clock that nobody sets while a copy runs."""
        return self._begin_at_s + _boot_s() - self._begin_s

    def _copy_until_still(
        self, source: HeldFolder, card: Card, tree: SourceTree
    ) -> Generator[CopyProgress, None, SourceTree]:
        """Copy *tree*, then what came and changed meanwhile; return the tree that was copied."""
        to_copy = tree.files
        while True:
            yield from self._copy(card, to_copy)
            if self._stop.is_set() or self.error is not None:
                return tree
            self._read_back_s = self._now_s()
            begun_s = self._read_back_s
            try:
                looked = look_again(
                    source, self.plan.source, tree, self._merged().ends,
                    is_lasting=self.plan.card_stamps_last,
                )  # fmt: skip
            except (OSError, BadValueError) as error:
                what = getattr(error, "strerror", None) or str(error)
                self._changes += (f"the card can't be looked at again ({what})",)
                return tree
            self._changes += looked.losses
            if not looked.to_copy:
                self._seen_again_s = 0.0 if self._changes else self._now_s()
                return tree
            if len(self._rounds) >= _MOST_ROUNDS:
                self._changes += looked.changes
                return tree
            # What went was copied before it went; what came and changed is copied now.
            tree, to_copy, self._seen_s = looked.tree, looked.to_copy, begun_s

    def _copy(self, card: Card, files: Sequence[SourceFile]) -> Iterator[CopyProgress]:
        plan = self.plan
        before = self._rounds[-1].legs if self._rounds else ()
        legs = [
            Leg(number, each, self._pool, self._stop, verifies=plan.verifies,
                verifies_along=not plan.destinations[number].shares_drive)
            for number, each in enumerate(self._destinations)
        ]  # fmt: skip
        for leg, old in zip(legs, before, strict=False):
            leg.dropped_by = old.dropped_by
        reader = Reader(card, files, legs, self._pool, plan.algorithm, self._stop, self._goes_on)
        size_bytes = sum(each.size_bytes for each in files)
        self._rounds.append(_Round(tuple(files), size_bytes, reader, tuple(legs)))
        for leg in legs:
            leg.start()
        reader.start()
        try:
            yield from self._follow(reader, legs)
        finally:
            if reader.is_alive():
                self.stop()
            reader.join()
            for leg in legs:
                leg.end()
        faults = (reader.error, *(leg.fault for leg in legs))
        self.error = self.error or next(filter(None, faults), None)

    def _follow(self, reader: Reader, legs: Sequence[Leg]) -> Iterator[CopyProgress]:
        while reader.is_alive() or any(leg.is_busy for leg in legs):
            yield self._progress()
            if not reader.is_alive() and not any(leg.is_writing for leg in legs):
                for leg in legs:  # nothing is read or written any more
                    leg.may_check.set()
            reader.join(_TELL_EVERY_S)
            if not reader.is_alive():
                time.sleep(_TELL_EVERY_S / 4)

    def _progress(self) -> CopyProgress:
        readers = [each.reader for each in self._rounds]
        numbers = range(len(self._destinations))
        return CopyProgress(
            elapsed_s=_boot_s() - self._begin_s,
            total_bytes=sum(each.size_bytes for each in self._rounds),
            read_bytes=sum(each.read_bytes for each in readers),
            read_s=sum(each.read_s for each in readers),
            hash_s=sum(each.hash_s for each in readers),
            waited_s=sum(each.waited_s for each in readers),
            now=readers[-1].now,
            legs=tuple(self._leg_progress(number) for number in numbers),
            total_files=sum(len(each.files) for each in self._rounds),
            buffered_bytes=self._pool.taken_bytes,
            buffer_bytes=self._pool.size_bytes,
        )

    def _leg_progress(self, number: int) -> LegProgress:
        legs = [each.legs[number] for each in self._rounds]
        return LegProgress(
            sum(each.written_bytes for each in legs),
            sum(each.verified_bytes for each in legs),
            sum(each.busy_s for each in legs),
            legs[-1].dropped_by,
        )

    # What came of it

    def _end_folders(self, tree: SourceTree) -> None:
        """Folders take the times of the source's last, the deepest first: writing changed them."""
        for leg, destination in zip(self._rounds[-1].legs, self._destinations, strict=True):
            if leg.dropped_by or self._stop.is_set():
                continue
            for folder in reversed(tree.folders):
                with contextlib.suppress(OSError):
                    destination.make_folder(folder.path)
                destination.end_folder(folder.path, folder.modified_ns)

    def _look_at_copies(self, tree: SourceTree) -> None:
        """Look at every verified file once more, and read the ends of some: it may be gone."""
        merged = self._merged()
        count_of = {True: _SAMPLES, False: _MOST_ENDS}
        with contextlib.closing(ends_buffer()) as buffer:
            for number, destination in enumerate(self._destinations):
                if self._rounds[-1].legs[number].dropped_by:
                    continue
                why = destination.why_not_in_place()
                planned = self.plan.destinations[number].drives
                if (
                    not why
                    and self.drives_of
                    and self.drives_of(destination.root.handle) != planned
                ):
                    why = "it lies on another drive than when it was asked for"
                if why:
                    self._gone[number] = why
                    continue
                every = -(-len(tree.files) // count_of[destination.stamps_last])
                for count, file in enumerate(tree.files):
                    seen = merged.seen[number].get(file.path)
                    if seen is None or merged.on[number][file.path].state is not CopyState.VERIFIED:
                        continue
                    why = destination.why_not_as_read(
                        file, seen, merged.ends.get(file.path, ""), buffer,
                        reads=count % every == 0,
                    )  # fmt: skip
                    if why:
                        self._spoiled[number, file.path] = why

    def _merged(self) -> _Merged:
        """Return what is known of each file, as the last round that had it left it."""
        merged = _Merged(len(self._destinations))
        for each in self._rounds:
            merged.take(each)
        return merged

    def _conclude(self, tree: SourceTree) -> CopyOutcome:
        merged = self._merged()
        readers = [each.reader for each in self._rounds]
        dropped = self._leg_progress
        return CopyOutcome(
            source=str(self.plan.source),
            destinations=tuple(
                DestinationOutcome(
                    str(each.path), each.drives, each.counts_not, each.by_program,
                    self._gone.get(number, "") or dropped(number).dropped_by,
                    dropped(number).written_bytes, dropped(number).verified_bytes,
                    dropped(number).busy_s,
                )
                for number, each in enumerate(self.plan.destinations)
            ),
            files=tuple(self._file_outcome(file, merged) for file in tree.files),
            left_out=tree.left_out,
            is_cancelled=self._stop.is_set(),
            elapsed_s=_boot_s() - self._begin_s,
            read_s=sum(each.read_s for each in readers),
            read_bytes=sum(each.read_bytes for each in readers),
            algorithm=self.plan.algorithm,
            card_id=self.plan.card_id,
            card_seen_s=self._seen_s,
            card_seen_again_s=self._seen_again_s,
            read_back_s=self._read_back_s if self.plan.verifies else 0.0,
            card_changes=self._changes,
        )  # fmt: skip

    def _file_outcome(self, file: SourceFile, merged: _Merged) -> FileOutcome:
        path = file.path
        trouble = merged.troubles.get(path, "")
        return FileOutcome(
            path,
            file.size_bytes,
            "" if trouble else merged.digests.get(path, ""),
            tuple(self._on(number, path, merged) for number in range(len(self._destinations))),
            trouble,
            file.modified_ns,
            merged.ends.get(path, ""),
        )

    def _on(self, number: int, path: str, merged: _Merged) -> FileOnOne:
        if path in merged.troubles:
            # Whatever came of it there, it isn't known to be what the card holds.
            return FileOnOne(CopyState.FAILED, said=merged.troubles[path])
        found = merged.on[number].get(path)
        if found is not None:
            if why := self._gone.get(number):
                return replace(found, state=CopyState.FAILED, said=why)
            if why := self._spoiled.get((number, path)):
                return replace(found, state=CopyState.DIFFERENT, said=why)
            return found
        if dropped_by := self._leg_progress(number).dropped_by:
            return FileOnOne(CopyState.FAILED, said=dropped_by)
        return FileOnOne(CopyState.WAITING)

    def _end_journals(self, outcome: CopyOutcome) -> None:
        for number, destination in enumerate(self._destinations):
            states = (each.on[number].state for each in outcome.files)
            if all(state is CopyState.VERIFIED for state in states):
                destination.journal.remove()


@dataclass(frozen=True, slots=True)
class _Round:
    """One going over the card, or over what came and changed since the one before."""

    files: tuple[SourceFile, ...]
    size_bytes: int
    """Of all of them."""
    reader: Reader
    legs: tuple[Leg, ...]


class _Merged:
    """What is known of each file after all rounds, by its path."""

    def __init__(self, destinations: int) -> None:
        self.digests: dict[str, str] = {}
        self.ends: dict[str, str] = {}
        self.troubles: dict[str, str] = {}
        self.on: list[dict[str, FileOnOne]] = [{} for _ in range(destinations)]
        self.seen: list[dict[str, Seen]] = [{} for _ in range(destinations)]

    def take(self, one: _Round) -> None:
        """Let a later round stand for all files that it had."""
        reader = one.reader
        pairs = [(self.digests, reader.digests), (self.ends, reader.ends)]
        pairs.append((self.troubles, reader.troubles))
        known: list[tuple[dict[str, Any], dict[str, Any]]] = [*pairs]
        for number, leg in enumerate(one.legs):
            known += [(self.on[number], leg.outcomes), (self.seen[number], leg.seen)]
        for mine, theirs in known:
            for file in one.files:
                mine.pop(file.path, None)
            mine.update(theirs)


def _boot_s() -> float:
    """Return a time that goes on while the computer sleeps, and that nobody sets."""
    return time.clock_gettime(time.CLOCK_BOOTTIME)
