"""Flat-out tests: burst, sustained write, read back, and the proof of a drive's capacity."""

from __future__ import annotations

import math
import threading
from collections.abc import Iterator
from dataclasses import dataclass, field

from vastcellar.bench.disturbances import UNDISTURBED, Disturbances
from vastcellar.bench.host_limit import HostLimit, measure_host_limit
from vastcellar.bench.payload import STAMP_EVERY_BYTES
from vastcellar.bench.probe import Shape, Tried, probe_shape
from vastcellar.bench.progress import Progress, stopped
from vastcellar.bench.stream_pass import PassResult, StreamPass
from vastcellar.bench.targets import Target
from vastcellar.bench.watched_run import WatchedRun
from vastcellar.core.checks import require_above_zero
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.protocols.steady import is_steady

DEFAULT_SHAPE = Shape(4 * 2**20, 4)
MOST_BLOCK_BYTES = 8 * 2**20


@dataclass(frozen=True, slots=True)
class FlatPlan:
    """How much is written, and in what blocks.

    ``most_bytes`` always bounds it; ``most_s`` and ``until_steady`` may end it sooner.
    """

    kind: str
    most_bytes: int
    most_s: float = math.inf
    until_steady: bool = False
    round_s: float = 30.0
    shape: Shape | None = DEFAULT_SHAPE
    """None: a short probe chooses. It uses up some of a fast cache, so it isn't the rule."""
    reads_back: bool = False
    fills_up: bool = False
    """Whether meeting the end of the disk is what it is made for."""

    def __post_init__(self) -> None:
        require_above_zero(self.kind, most_bytes=self.most_bytes, round_s=self.round_s)
        if not self.most_s > 0:  # infinity is no limit
            raise BadValueError(f"its time is {self.most_s} s", where=self.kind, mend="Give more")
        if self.shape is not None:
            block = self.shape.block_bytes
            if block % STAMP_EVERY_BYTES or block & (block - 1) or block > MOST_BLOCK_BYTES:
                raise BadValueError(
                    f"a block of {block:,} bytes can't be tested",
                    where="block",
                    mend="Give a power of 2 from 4 KiB to 8 MiB",
                )


@dataclass(frozen=True)
class FlatResult:
    """What a flat-out test measured; a run that ended early is kept and says so."""

    plan: FlatPlan
    is_complete: bool
    is_simulated: bool
    is_direct: bool
    ended_by: str
    """"" for a full run, "cancelled", or the sentence of the error."""
    notes: tuple[str, ...]
    shape: Shape
    tried: tuple[Tried, ...]
    host: HostLimit | None
    write_mode: str
    read_mode: str
    write: PassResult
    read: PassResult | None
    became_steady_s: float | None
    probed_bytes: int = 0
    """Written by the probe, besides the test itself."""
    true_capacity_bytes: int | None = field(default=None)
    """Of a capacity proof: bytes that came back right from the beginning on."""
    disturbances: Disturbances = UNDISTURBED

    @property
    def written_bytes(self) -> int:
        """All bytes that wore the drive."""
        return self.write.moved_bytes + self.probed_bytes


class FlatRun(WatchedRun):
    """One flat-out test."""

    def __init__(self, plan: FlatPlan, target: Target) -> None:
        super().__init__(target)
        self.plan = plan
        self._shape = plan.shape or DEFAULT_SHAPE
        self._tried: tuple[Tried, ...] = ()
        self._probed_bytes = 0
        self._host: HostLimit | None = None
        self._write: StreamPass | None = None
        self._read: StreamPass | None = None
        self._rounds: list[float] = []
        self._became_steady_s: float | None = None
        self._became_full: DiskError | None = None
        self.result: FlatResult | None = None

    def _has_something(self) -> bool:
        return self._write is not None and self._write.moved_bytes > 0

    def _conclude(self) -> None:
        self.result = self._make_result()

    def _measure(self) -> Iterator[Progress]:
        if not self._target.is_simulated:
            self._host = measure_host_limit()
        self._target.open()
        if self.plan.shape is None:
            yield Progress("probing block and depth", 0.0, 0.0, 0, 0.0, math.nan)
            found = probe_shape(self._target, self._stop, self.plan.most_bytes)
            self._shape, self._tried, self._probed_bytes = found
            stopped(self._stop)
        yield from self._write_all()
        if self.plan.reads_back:
            yield from self._read_all()
        if self._became_full is not None:
            # Others filled it meanwhile. What was read back is kept, and proves no capacity.
            raise self._became_full

    def _write_all(self) -> Iterator[Progress]:
        plan, target = self.plan, self._target
        total = plan.most_bytes - plan.most_bytes % STAMP_EVERY_BYTES
        target.start_clock()
        self._write = writing = StreamPass("writing", target, total, plan.most_s)
        share = 0.5 if plan.reads_back else 1.0
        enough = threading.Event()
        stream = target.write_stream(
            total, self._shape.block_bytes, self._shape.depth, _Either(self._stop, enough)
        )
        try:
            for blocks in stream:
                writing.add(blocks)
                if self._is_enough(writing):
                    enough.set()
                if writing.is_due:
                    yield writing.progress(0.0, share)
        except DiskError as error:
            if not (plan.fills_up and error.is_full and writing.whole_bytes):
                raise
            self._became_full = DiskError(
                "the disk became full before the test had written what was free",
                where=error.where,
                mend="Let nothing else write to it meanwhile, then prove it again",
            )
        stopped(self._stop)  # whoever cancels does not wait for a slow drive's flush
        target.flush()
        writing.flushed()
        yield writing.progress(0.0, share)

    def _is_enough(self, writing: StreamPass) -> bool:
        plan = self.plan
        if writing.elapsed_s >= plan.most_s:
            return True
        if not plan.until_steady:
            return False
        done = len(self._rounds)
        while writing.elapsed_s >= (done + 1) * plan.round_s:
            self._rounds.append(writing.moved_bytes - sum(self._rounds))
            done += 1
            if is_steady([count / plan.round_s for count in self._rounds]):
                self._became_steady_s = writing.elapsed_s
                return True
        return False

    def _read_all(self) -> Iterator[Progress]:
        assert self._write is not None
        # Only what came back as written, without a gap, and was synced since can accuse a drive.
        target, total = self._target, self._write.whole_bytes
        self._read = reading = StreamPass("reading back", target, total, math.inf)
        stream = target.read_stream(total, self._shape.block_bytes, self._shape.depth, self._stop)
        for blocks in stream:
            reading.add(blocks)
            if reading.is_due:
                yield reading.progress(0.5, 0.5)
        stopped(self._stop)
        yield reading.progress(0.5, 0.5)

    def _true_capacity(self, read: PassResult | None) -> int | None:
        """Return where the first block was lost, or all that was written if none was.

        None where neither is known: a test that ended early, with every block right so far.
        """
        if read is None:
            return None
        if read.first_wrong_at is not None:
            return read.first_wrong_at
        return None if self._ended_by else read.moved_bytes

    def _make_result(self) -> FlatResult:
        assert self._write is not None
        write = self._write.result()
        read = self._read.result() if self._read is not None else None
        notes = list(self._notes)
        if self._host is not None:
            notes += [note for note in (self._host.note(write.bytes_per_s),) if note]
            if read is not None:
                note = self._host.note(read.bytes_per_s, checked=True)
                notes += [note] if note and note not in notes else []
        if self.plan.until_steady and self._became_steady_s is None and not self._ended_by:
            notes.append("it did not become steady before the most bytes or time were used up")
        if not self._target.is_direct and not self._target.is_simulated:
            notes.append("direct I/O was refused here, so the host's memory took part")
        return FlatResult(
            plan=self.plan,
            is_complete=self._ended_by == "",
            is_simulated=self._target.is_simulated,
            is_direct=self._target.is_direct,
            ended_by=self._ended_by,
            notes=tuple(notes),
            shape=self._shape,
            tried=self._tried,
            host=self._host,
            write_mode=self._target.write_mode,
            read_mode=self._target.read_mode,
            write=write,
            read=read,
            became_steady_s=self._became_steady_s,
            probed_bytes=self._probed_bytes,
            true_capacity_bytes=self._true_capacity(read) if self.plan.fills_up else None,
            disturbances=self._disturbances,
        )


class _Either(threading.Event):
    """Set where one of two events is."""

    def __init__(self, one: threading.Event, other: threading.Event) -> None:
        super().__init__()
        self._one, self._other = one, other

    def is_set(self) -> bool:
        return self._one.is_set() or self._other.is_set()
