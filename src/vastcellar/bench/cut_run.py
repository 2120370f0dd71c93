"""A cut played from a real folder: every clip read when the timeline has it, frame by frame.

The clips are made up, as many as are read at once, and played over and over: what a disk has to do
is the same, and a cut of hours needs no room for all of its media. A player that falls behind gives
up the frames whose time is over and goes on with the next, as the reckoned one does.
"""

from __future__ import annotations

import math
import mmap
import threading
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from vastcellar.bench.flat_run import DEFAULT_SHAPE
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.payload import STAMP_EVERY_BYTES
from vastcellar.bench.progress import PUBLISH_EVERY_S, Progress, stopped
from vastcellar.bench.reading_threads import ReadingThread, end_all, look_for_answers
from vastcellar.bench.stream_pass import StreamPass
from vastcellar.bench.watched_run import WatchedRun
from vastcellar.core.checks import require_above_zero, require_between
from vastcellar.core.edit.demand import ClipUse
from vastcellar.core.errors import BadValueError, VastCellarError

_LANE_S = 6.0
"""Of the heaviest clip; a lane's file is played over and over."""
_MOST_LANES = 64
_WRITING_SHARE = 0.25


@dataclass(frozen=True)
class CutPlan:
    """The part of a cut that is played; times count from its own beginning."""

    name: str
    clips: tuple[ClipUse, ...]
    from_s: float
    """Where in the whole cut it begins."""
    duration_s: float
    read_ahead_s: float = 0.5

    def __post_init__(self) -> None:
        require_above_zero("cut", duration_s=self.duration_s, read_ahead_s=self.read_ahead_s)
        require_between("cut", 0.0, 60.0, read_ahead_s=self.read_ahead_s)
        if not self.clips:
            raise BadValueError(
                "nothing is read in that part of it", where=f"cut {self.name!r}",
                mend="Choose another part",
            )  # fmt: skip
        require_between(f"cut {self.name!r}", 1, _MOST_LANES, clips_at_once=len(self.lanes))

    @property
    def lanes(self) -> tuple[tuple[ClipUse, ...], ...]:
        """The clips in rows, none over another: each row is a player of its own."""
        rows: list[list[ClipUse]] = []
        for clip in sorted(self.clips, key=lambda each: each.start_s):
            free = next((row for row in rows if row[-1].end_s <= clip.start_s + 1e-9), None)
            if free is None:
                rows.append([clip])
            else:
                free.append(clip)
        return tuple(tuple(row) for row in rows)

    @property
    def lane_bytes(self) -> int:
        """Of a lane's file."""
        most = max(frame_bytes(each) * math.ceil(_LANE_S * each.frames_per_s)
                   for each in self.clips)  # fmt: skip
        return most

    @property
    def bytes_to_write(self) -> int:
        """Of all lanes."""
        return self.lane_bytes * len(self.lanes)


def frame_bytes(clip: ClipUse) -> int:
    """Return the bytes of a frame as it is read: whole 4 KiB."""
    exact = clip.bytes_per_s / clip.frames_per_s
    return max(math.ceil(exact / STAMP_EVERY_BYTES), 1) * STAMP_EVERY_BYTES


def part_of(
    name: str, clips: Sequence[ClipUse], from_s: float, duration_s: float, read_ahead_s: float
) -> CutPlan:
    """Return the part of a cut from *from_s* on. Raises BadValueError where nothing is read."""
    to_s = from_s + duration_s
    part = tuple(
        ClipUse(each.name, max(each.start_s, from_s) - from_s, min(each.end_s, to_s) - from_s,
                each.bytes_per_s, each.frames_per_s, each.track)
        for each in clips
        if each.start_s < to_s and each.end_s > from_s and each.bytes_per_s > 0
    )  # fmt: skip
    return CutPlan(name, part, from_s, duration_s, read_ahead_s)


@dataclass(frozen=True, slots=True)
class LateSecond:
    """A second of the cut in which frames were late."""

    at_s: int
    """In the whole cut."""
    frames: int
    clips: tuple[str, ...]
    """Whose frames were late, most first."""


@dataclass(frozen=True)
class CutResult:
    """What playing a cut measured."""

    plan: CutPlan
    is_complete: bool
    ended_by: str
    notes: tuple[str, ...]
    read_mode: str
    frames: int
    late_frames: int
    worst_late_s: float
    late_seconds: tuple[LateSecond, ...]
    read_bytes_per_s: float
    written_bytes: int

    @property
    def worst(self) -> LateSecond | None:
        """The second with most late frames; None where all were in time."""
        return max(self.late_seconds, key=lambda each: each.frames, default=None)


@dataclass
class _Tally:
    """What the players saw; each writes its own."""

    frames: int = 0
    worst_late_s: float = 0.0
    late: Counter[tuple[int, str]] = field(default_factory=Counter)


class _Player(ReadingThread):
    """Plays one lane: each frame as far ahead as the plan says, never later than it is due."""

    def __init__(
        self, target: FolderTarget, plan: CutPlan, lane: Sequence[ClipUse], number: int,
        begin_s: float, stop: threading.Event,
    ) -> None:  # fmt: skip
        super().__init__(target, f"cut lane {number}")
        self._plan, self._lane = plan, lane
        self._first_byte = number * plan.lane_bytes
        self._begin_s, self._stop_event = begin_s, stop
        self._buffer = mmap.mmap(-1, max(frame_bytes(each) for each in lane))
        self.tally = _Tally()
        self.error: VastCellarError | None = None

    def run(self) -> None:
        try:
            with memoryview(self._buffer) as view:
                for clip in self._lane:
                    self._play(clip, view)
        except VastCellarError as error:
            self.error = error
        self._buffer.close()

    def _play(self, clip: ClipUse, view: memoryview) -> None:
        target, tally, size = self._target, self.tally, frame_bytes(clip)
        self.begin_others()
        for number in range(max(round((clip.end_s - clip.start_s) * clip.frames_per_s), 1)):
            if self._stop_event.is_set():
                return
            at_s = clip.start_s + number / clip.frames_per_s
            due_s = self._begin_s + at_s
            target.wait_until(due_s - self._plan.read_ahead_s, self._stop_event)
            tally.frames += 1
            place = number * size % (self._plan.lane_bytes - size + STAMP_EVERY_BYTES)
            place -= place % STAMP_EVERY_BYTES
            late_s = self.read_in_time(self._first_byte + place, view[:size], due_s)
            if late_s > 0:
                tally.worst_late_s = max(tally.worst_late_s, late_s)
                tally.late[int(self._plan.from_s + at_s), clip.name] += 1


class CutRun(WatchedRun):
    """Writes a file a lane, then plays the cut in its own time."""

    def __init__(self, plan: CutPlan, target: FolderTarget) -> None:
        super().__init__(target)
        self.plan = plan
        self._folder = target
        self._players: list[_Player] = []
        self._written_bytes = 0
        self._took_s = 0.0
        self.result: CutResult | None = None

    def _has_something(self) -> bool:
        return any(each.tally.frames for each in self._players)

    def _measure(self) -> Iterator[Progress]:
        plan, target = self.plan, self._folder
        target.open()
        writing = StreamPass("writing clips", target, plan.bytes_to_write, math.inf)
        shape = DEFAULT_SHAPE
        blocks = target.write_stream(
            plan.bytes_to_write, shape.block_bytes, shape.depth, self._stop
        )
        for some in blocks:
            writing.add(some)
            self._written_bytes = writing.moved_bytes
            if writing.is_due:
                yield writing.progress(0.0, _WRITING_SHARE)
        stopped(self._stop)
        target.flush()
        yield from self._play()

    def _play(self) -> Iterator[Progress]:
        plan, target, over = self.plan, self._folder, threading.Event()
        # The read-ahead is read before the first frame is due, as an editor's is.
        start_s = target.now_s()
        begin_s = start_s + plan.read_ahead_s
        self._players = [
            _Player(target, plan, lane, number, begin_s, self._stop)
            for number, lane in enumerate(plan.lanes)
        ]
        for player in self._players:
            player.start()
        try:
            while any(player.is_alive() for player in self._players):
                look_for_answers(self._players, target)
                over.wait(PUBLISH_EVERY_S)
                elapsed_s = max(target.now_s() - begin_s, 1e-9)
                late = sum(sum(each.tally.late.values()) for each in self._players)
                read = sum(each.read_bytes for each in self._players)
                share = min(elapsed_s / plan.duration_s, 1.0)
                yield Progress(
                    phase=f"playing {plan.name}",
                    elapsed_s=target.now_s(),
                    done_share=_WRITING_SHARE + (1 - _WRITING_SHARE) * share,
                    moved_bytes=read,
                    bytes_per_s=read / max(target.now_s() - start_s, 1e-9),
                    temperature_c=target.temperature_c(),
                    detail=f"{late} frames late",
                )
        finally:
            if any(player.is_alive() for player in self._players):
                self._stop.set()
            end_all(self._players, target)
            self._took_s = max(target.now_s() - start_s, 1e-9)
        for player in self._players:
            if player.error is not None:
                raise player.error
        stopped(self._stop)

    def _conclude(self) -> None:
        late: Counter[tuple[int, str]] = Counter()
        for player in self._players:
            late.update(player.tally.late)
        seconds: dict[int, Counter[str]] = {}
        for (at_s, name), count in late.items():
            seconds.setdefault(at_s, Counter())[name] += count
        self.result = CutResult(
            plan=self.plan,
            is_complete=self._ended_by == "",
            ended_by=self._ended_by,
            notes=tuple(self._notes),
            read_mode=self._target.read_mode,
            frames=sum(each.tally.frames for each in self._players),
            late_frames=sum(late.values()),
            worst_late_s=max((each.tally.worst_late_s for each in self._players), default=0.0),
            late_seconds=tuple(
                LateSecond(at_s, sum(names.values()), tuple(n for n, _c in names.most_common()))
                for at_s, names in sorted(seconds.items())
            ),
            read_bytes_per_s=sum(p.read_bytes for p in self._players) / self._took_s,
            written_bytes=self._written_bytes,
        )
