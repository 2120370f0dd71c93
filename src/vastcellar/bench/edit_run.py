"""The edit test: streams that must have each frame in time, with what else an editor does.

Streams are added until deadlines are missed. Frames are due at fixed moments, so that a late one
isn't forgiven by the reader's own waiting.
"""

from __future__ import annotations

import math
import mmap
import os
import threading
from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.flat_run import DEFAULT_SHAPE
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.payload import STAMP_EVERY_BYTES
from vastcellar.bench.progress import PUBLISH_EVERY_S, Progress, stopped
from vastcellar.bench.reading_threads import ReadingThread, end_all, look_for_answers
from vastcellar.bench.stream_pass import StreamPass
from vastcellar.bench.watched_run import WatchedRun
from vastcellar.core.checks import require_above_zero, require_not_negative
from vastcellar.core.errors import VastCellarError
from vastcellar.core.protocols.latency import LatencyLog, LatencySummary
from vastcellar.core.protocols.read_ahead import ReadAheadLog, is_held

CACHE_FILE_BYTES = 128 * 1024
_CACHES_STANDING = 40
_SCRUB_FRAMES, _SCRUB_STRIDE = 12, 7


@dataclass(frozen=True, slots=True)
class EditPlan:
    """What the editors ask of the storage."""

    stream_bytes_per_s: float
    frames_per_s: float
    streams: int
    """At most; the ramp begins with one."""
    step_s: float = 6.0
    read_ahead_frames: int = 6
    jumps_per_minute: float = 6.0
    """Of each stream; after one, playing begins anew elsewhere."""
    scrubs_per_minute: float = 3.0
    """Of each stream: the playhead is dragged, frames some way apart are asked for at once."""
    render_bytes_per_s: float = 0.0
    """Written beside, as renders are."""
    cache_files_per_s: float = 0.0
    """Small files made beside and removed again, as an editor's caches are."""
    clip_s: float = 6.0
    is_ramp: bool = True
    """False: all streams at once, for one step."""

    def __post_init__(self) -> None:
        require_above_zero(
            "edit",
            stream_bytes_per_s=self.stream_bytes_per_s,
            frames_per_s=self.frames_per_s,
            streams=self.streams,
            step_s=self.step_s,
            clip_s=self.clip_s,
        )
        require_not_negative(
            "edit",
            jumps_per_minute=self.jumps_per_minute,
            scrubs_per_minute=self.scrubs_per_minute,
            cache_files_per_s=self.cache_files_per_s,
            render_bytes_per_s=self.render_bytes_per_s,
            read_ahead_frames=self.read_ahead_frames,
        )

    @property
    def frame_bytes(self) -> int:
        """Bytes of a frame as it is read: whole 4 KiB."""
        exact = self.stream_bytes_per_s / self.frames_per_s
        return max(math.ceil(exact / STAMP_EVERY_BYTES), 1) * STAMP_EVERY_BYTES

    @property
    def clip_frames(self) -> int:
        """Frames of the clip that each stream plays, over and over."""
        return max(round(self.clip_s * self.frames_per_s), 2)

    @property
    def clip_bytes(self) -> int:
        """Bytes of a stream's clip."""
        return self.clip_frames * self.frame_bytes

    @property
    def steps(self) -> tuple[int, ...]:
        """How many streams play in each step."""
        return tuple(range(1, self.streams + 1)) if self.is_ramp else (self.streams,)

    @property
    def step_cache_files(self) -> int:
        """Cache files made in a step, at most."""
        return round(self.cache_files_per_s * self.step_s)

    @property
    def bytes_to_write(self) -> int:
        """Clips, and what is rendered and cached beside."""
        rendered = math.ceil(self.render_bytes_per_s * self.step_s)
        beside = rendered + self.step_cache_files * CACHE_FILE_BYTES
        return self.streams * self.clip_bytes + beside * len(self.steps)


@dataclass(frozen=True, slots=True)
class EditStep:
    """How so many streams played."""

    streams: int
    frames: int
    missed: int
    worst_late_s: float
    jumps: int
    first_frame: LatencySummary
    """Time from a jump to its first frame."""
    scrubs: int
    scrub_frame: LatencySummary
    """Time to each frame while scrubbing."""
    cache_files: int
    """Made and removed beside."""
    read_bytes_per_s: float
    read_ahead_loss_s_per_s: float = 0.0
    """How much of what they had read ahead the streams lost each second, in the mean: that share
    of their frames couldn't have been in time for long."""

    @property
    def is_held(self) -> bool:
        """Whether each frame was in time, and would have been for as long as one likes."""
        return is_held(self.missed, self.read_ahead_loss_s_per_s)


@dataclass(frozen=True)
class EditResult:
    """What an edit test measured."""

    plan: EditPlan
    is_complete: bool
    ended_by: str
    notes: tuple[str, ...]
    read_mode: str
    write_mode: str
    steps: tuple[EditStep, ...]
    most_streams: int
    """Streams that were held; 0 for none."""
    written_bytes: int


class _Player(ReadingThread):
    """Plays one stream: reads each frame once it may, and notes whether it was in time."""

    def __init__(
        self, target: FolderTarget, plan: EditPlan, number: int, stop: threading.Event
    ) -> None:
        super().__init__(target, f"stream {number}")
        self._plan, self._number, self._stop_event = plan, number, stop
        self._random = np.random.default_rng(number)
        self._buffer = mmap.mmap(-1, plan.frame_bytes)
        self.frames = self.missed = self.jumps = self.scrubs = 0
        self.worst_late_s = 0.0
        self.first_frame, self.scrub_frame = LatencyLog(), LatencyLog()
        self.read_ahead = ReadAheadLog()
        self.error: VastCellarError | None = None

    def run(self) -> None:
        try:
            with memoryview(self._buffer) as view:
                self._play(view)
        except VastCellarError as error:
            self.error = error
        self._buffer.close()

    def _play(self, view: memoryview) -> None:
        plan, target = self._plan, self._target
        frame_s = 1 / plan.frames_per_s
        position = int(self._random.integers(plan.clip_frames))
        start_s, played = self._jump(view, position, is_jump=False)
        jump_s = self._next(plan.jumps_per_minute, start_s)
        scrub_s = self._next(plan.scrubs_per_minute, start_s)
        # Playing is what counts: where reading ahead alone outlasts the step, a stream would else
        # be held that never played.
        end_s, is_late = start_s + plan.step_s, False
        while target.now_s() < end_s and not self._stop_event.is_set():
            now_s = target.now_s()
            if now_s >= min(jump_s, scrub_s):
                is_jump = jump_s <= scrub_s
                if is_jump:
                    position = int(self._random.integers(plan.clip_frames))
                else:
                    position = self._scrub(view, position + played)
                start_s, played = self._jump(view, position, is_jump=is_jump)
                is_late = False
                if is_jump:
                    jump_s = self._next(plan.jumps_per_minute, start_s)
                else:
                    scrub_s = self._next(plan.scrubs_per_minute, start_s)
                end_s += start_s - now_s
                continue
            due_s = start_s + played * frame_s
            whole_s = due_s - plan.read_ahead_frames * frame_s
            target.wait_until(whole_s, self._stop_event)
            asked_s = max(target.now_s(), whole_s)
            if not is_late:  # what was ahead is used up: from there on frames are given up
                self.read_ahead.asked(asked_s, due_s - asked_s, is_whole=now_s <= whole_s)
            late_s = self.read_in_time(self._place(position + played), view, due_s)
            is_late = is_late or late_s > 0
            self.frames += 1
            self.missed += late_s > 0
            self.worst_late_s = max(self.worst_late_s, late_s)
            played += 1
        self.read_ahead.end()

    def _jump(self, view: memoryview, position: int, *, is_jump: bool) -> tuple[float, int]:
        """Read the frame at *position* at once, and what is to be read ahead.

        Returns when playing begins, and how many frames are read by then.
        """
        begin_s = self._target.now_s()
        self._read(view, position)
        end_s = self._target.now_s()
        self.frames += 1
        if is_jump:
            self.jumps += 1
            self.first_frame.add(begin_s, end_s)
        ahead = self._plan.read_ahead_frames
        for number in range(1, ahead + 1):
            if self._stop_event.is_set():
                break
            self._read(view, position + number)
            self.frames += 1
        start_s = self._target.now_s()
        self.read_ahead.begin(start_s)
        return start_s, 1 + ahead

    def _scrub(self, view: memoryview, position: int) -> int:
        """Drag the playhead back and forth from *position*; return where it is let go."""
        self.scrubs += 1
        for _ in range(_SCRUB_FRAMES):
            position += int(self._random.choice((-1, 1))) * _SCRUB_STRIDE
            begin_s = self._target.now_s()
            self._read(view, position)
            self.scrub_frame.add(begin_s, self._target.now_s())
            self.frames += 1
        return position

    def _next(self, rate: float, now_s: float) -> float:
        return now_s + float(self._random.exponential(60 / rate)) if rate > 0 else math.inf

    def _place(self, frame: int) -> int:
        plan = self._plan
        return self._number * plan.clip_bytes + frame % plan.clip_frames * plan.frame_bytes

    def _read(self, view: memoryview, frame: int) -> None:
        self.read_at(self._place(frame), view)


class _Caches(threading.Thread):
    """Makes a step's small files, each at its intended moment, and removes the oldest.

    It never makes more than the plan says, however long the step's last frames take: what was
    announced as bytes to be written is kept to.
    """

    def __init__(self, target: FolderTarget, plan: EditPlan, begin_s: float) -> None:
        super().__init__(name="caches", daemon=True)
        self._target, self._begin_s = target, begin_s
        self._every_s, self._most = 1 / plan.cache_files_per_s, plan.step_cache_files
        self._over = threading.Event()
        self._content = np.random.default_rng(3).bytes(CACHE_FILE_BYTES)
        self._standing: deque[str] = deque()
        self.made = 0
        self.error: VastCellarError | None = None

    def run(self) -> None:
        held = self._target.own_folder.held
        try:
            while not self._over.wait(self._wait_s()):
                self._standing.append(self._make())
                self.made += 1
                if len(self._standing) > _CACHES_STANDING:
                    held.remove(self._standing.popleft())
            for name in self._standing:
                held.remove(name)
        except OSError as error:
            self.error = as_disk_error(error, str(self._target.folder))

    def _make(self) -> str:
        own = self._target.own_folder
        # Several steps make files, each with numbers from 0: none stands when the next begins.
        name = own.name_of(f"item-{self.made:06d}")
        handle = own.held.create(name, os.O_WRONLY)
        try:
            os.write(handle, self._content)
        finally:
            os.close(handle)
        return name

    def _wait_s(self) -> float | None:
        """Until the next file is due; None when there is no more to make."""
        if self.made >= self._most:
            return None
        due_s = self._begin_s + (self.made + 1) * self._every_s
        return max(due_s - self._target.now_s(), 0.0)

    def end_soon(self) -> None:
        """Let it remove what stands, and end."""
        self._over.set()


class EditRun(WatchedRun):
    """Writes a clip a stream, then plays more and more of them."""

    def __init__(self, plan: EditPlan, target: FolderTarget) -> None:
        super().__init__(target)
        self.plan = plan
        self._folder = target
        self._steps: list[EditStep] = []
        self._written_bytes = 0
        self.result: EditResult | None = None

    def _has_something(self) -> bool:
        return bool(self._steps)

    def _measure(self) -> Iterator[Progress]:
        yield from self._prepare()
        steps = self.plan.steps
        for index, streams in enumerate(steps):
            yield from self._step(streams, 0.25 + 0.75 * index / len(steps), 0.75 / len(steps))
            if not self._steps[-1].is_held:
                break

    def _prepare(self) -> Iterator[Progress]:
        """Write the clips, a stream's each."""
        plan, target = self.plan, self._folder
        target.open()
        total = plan.streams * plan.clip_bytes
        writing = StreamPass("writing clips", target, total, math.inf)
        shape = DEFAULT_SHAPE
        for blocks in target.write_stream(total, shape.block_bytes, shape.depth, self._stop):
            writing.add(blocks)
            self._written_bytes = writing.moved_bytes
            if writing.is_due:
                yield writing.progress(0.0, 0.25)
        stopped(self._stop)
        target.flush()

    def _step(self, streams: int, before: float, share: float) -> Iterator[Progress]:
        plan, target = self.plan, self._folder
        begin_s, over = target.now_s(), threading.Event()
        players = [_Player(target, plan, number, self._stop) for number in range(streams)]
        for player in players:
            player.start()
        rendered = 0
        caches = _Caches(target, plan, begin_s) if plan.step_cache_files else None
        if caches is not None:
            caches.start()
        try:
            while any(player.is_alive() for player in players):
                look_for_answers(players, target)
                rendered = self._render(begin_s, rendered)
                over.wait(PUBLISH_EVERY_S)
                elapsed_s = target.now_s() - begin_s
                read = sum(player.read_bytes for player in players)
                missed = sum(player.missed for player in players)
                yield Progress(
                    phase=f"{streams} streams" if streams > 1 else "1 stream",
                    elapsed_s=target.now_s(),
                    done_share=min(before + share * elapsed_s / plan.step_s, 1.0),
                    moved_bytes=read,
                    bytes_per_s=read / max(elapsed_s, 1e-9),
                    temperature_c=target.temperature_c(),
                    detail=f"{missed} frames missed",
                )
        finally:
            if any(player.is_alive() for player in players):
                self._stop.set()
            if caches is not None:
                caches.end_soon()
            end_all((*players, *([caches] if caches else [])), target)
        for worker in (*players, caches):
            if worker is not None and worker.error is not None:
                raise worker.error
        stopped(self._stop)
        made = caches.made if caches else 0
        self._written_bytes += made * CACHE_FILE_BYTES
        self._steps.append(self._sum_up(streams, players, made, target.now_s() - begin_s))

    def _render(self, begin_s: float, rendered: int) -> int:
        """Write what should have been rendered by now."""
        plan = self.plan
        wanted = int(plan.render_bytes_per_s * min(self._folder.now_s() - begin_s, plan.step_s))
        size = (wanted - rendered) // STAMP_EVERY_BYTES * STAMP_EVERY_BYTES
        size = min(size, DEFAULT_SHAPE.block_bytes)
        if size <= 0:
            return rendered
        self._folder.append_beside(self.plan.streams * self.plan.clip_bytes, size)
        self._written_bytes += size
        return rendered + size

    def _sum_up(
        self, streams: int, players: list[_Player], cache_files: int, took_s: float
    ) -> EditStep:
        jumps, scrubbed = LatencyLog(), LatencyLog()
        for player in players:
            jumps.join(player.first_frame)
            scrubbed.join(player.scrub_frame)
        return EditStep(
            streams=streams,
            frames=sum(player.frames for player in players),
            missed=sum(player.missed for player in players),
            worst_late_s=max(player.worst_late_s for player in players),
            jumps=sum(player.jumps for player in players),
            first_frame=jumps.summary(),
            scrubs=sum(player.scrubs for player in players),
            scrub_frame=scrubbed.summary(),
            cache_files=cache_files,
            read_bytes_per_s=sum(player.read_bytes for player in players) / took_s,
            read_ahead_loss_s_per_s=sum(p.read_ahead.loss_s_per_s for p in players) / streams,
        )

    def _conclude(self) -> None:
        clean = [step.streams for step in self._steps if step.is_held]
        self.result = EditResult(
            plan=self.plan,
            is_complete=self._ended_by == "",
            ended_by=self._ended_by,
            notes=tuple(self._notes),
            read_mode=self._target.read_mode,
            write_mode=self._target.write_mode,
            steps=tuple(self._steps),
            most_streams=max(clean, default=0),
            written_bytes=self._written_bytes,
        )
