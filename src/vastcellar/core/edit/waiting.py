"""What an editor waits for: a first frame after a jump, a project, an ingest, a copy's true end."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from vastcellar.core.checks import require_above_zero, require_not_negative
from vastcellar.core.edit.edit_load import EditLoad
from vastcellar.core.edit.edit_store import EditStore
from vastcellar.core.edit.ladder import rung_of
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import Drive
from vastcellar.core.writing.drive_in_use import NO_LINK_BYTES_PER_S, EventKind
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.write_profile import Phase, write_profile

PROJECT_FILES, PROJECT_FILE_BYTES = 4000, 64 * 1024
"""Opened one after the other: clips' heads, waveforms, thumbnails; typical of a short film."""


@dataclass(frozen=True, slots=True)
class FirstFrame:
    """From a jump to its first frame, part by part."""

    round_trip_s: float
    access_s: float
    disks_s: float
    """The frame off the disks."""
    link_s: float
    """The frame over the narrowest stage; 0 without one."""
    in_flight_s: float
    """What had been asked for before the jump and still comes first, at worst."""

    @property
    def half_s(self) -> float:
        """Half of the jumps take no longer: nothing was in flight."""
        return self.round_trip_s + self.access_s + self.disks_s + self.link_s

    @property
    def most_s(self) -> float:
        """99 of 100 take no longer: a whole read-ahead was in flight. A guess, to be measured."""
        return self.half_s + self.in_flight_s


def first_frame(store: EditStore, load: EditLoad, streams: int) -> FirstFrame:
    """Return how long a jump takes while so many *streams* play. Raises BadValueError for none."""
    array, stream = store.array, load.stream
    read = array.slowest_read_bytes_per_s(store.filled_share)
    narrowest = store.narrowest
    rung = rung_of(store, load, streams)
    given = max(rung.limit.bytes_per_s, 1.0)
    return FirstFrame(
        store.round_trip_s,
        array.access_s,
        stream.frame_bytes / (read * array.touched(stream.frame_bytes)),
        stream.frame_bytes / narrowest.bytes_per_s if narrowest else 0.0,
        stream.ahead_bytes / given,
    )


@dataclass(frozen=True, slots=True)
class Scrub:
    """The playhead is dragged: each place that it stops at is a question of its own."""

    frame_s: float
    """Alone: as a first frame, with nothing of one's own in flight."""
    behind_s: float
    """For what others are being read at that moment, on the average."""
    plays_per_s: float
    """Frames of the stream in a second: no more can be shown."""

    @property
    def shown_per_s(self) -> float:
        """Frames that follow the hand."""
        return min(1 / (self.frame_s + self.behind_s), self.plays_per_s)


def scrub(store: EditStore, load: EditLoad, streams: int) -> Scrub:
    """Return how scrubbing feels in one of so many *streams*, while the others play.

    Who comes at a random moment finds the disks at somebody else's visit for as much of the time as
    the others ask, and waits for half of one on the average.
    Raises BadValueError for no stream.

    References:
        mean rest of a visit of fixed length = half of it (renewal theory).

    """
    rung = rung_of(store, load, streams)
    array, stream = store.array, load.stream
    alone_s = first_frame(store, load, streams).half_s
    disks = rung.given[0].bytes_per_s
    busy = min((streams - 1) * stream.bytes_per_s / disks, 1.0) if disks > 0 else 1.0
    visit_s = array.read_visit_s(stream.visit_bytes, store.filled_share, seeks=streams > 1)
    return Scrub(alone_s, busy * visit_s / 2, stream.frames_per_s)


def opens_in_s(
    store: EditStore, files: int = PROJECT_FILES, file_bytes: float = PROJECT_FILE_BYTES
) -> float:
    """Return how long a project of many small files takes to open, one after the other.

    Each costs a question and its answer, an access, and its bytes.
    """
    require_above_zero("project", files=files, file_bytes=file_bytes)
    array = store.array
    each_s = store.round_trip_s + array.read_visit_s(file_bytes, store.filled_share, seeks=True)
    narrowest = store.narrowest
    each_s += file_bytes / narrowest.bytes_per_s if narrowest else 0.0
    return files * each_s


@dataclass(frozen=True, slots=True)
class WriteTime:
    """A copy onto the store: when the program says that it is done, and when it is."""

    program_s: float
    """The last bytes are in the memory of the computer or of the store."""
    flushed_s: float
    """They are on the disks."""
    throttles_after_s: float = math.inf
    """When its disks first grow so hot that they slow down; infinite where they don't."""


def written_in(
    store: EditStore,
    size_bytes: float,
    *,
    source_bytes_per_s: float = math.inf,
    memory_bytes: float = 0.0,
    beside_bytes_per_s: float = 0.0,
) -> WriteTime:
    """Return how long *size_bytes* take onto the store.

    Args:
        store: that is written to; its disks' fast caches are taken as empty.
        size_bytes: in one go, above 0.
        source_bytes_per_s: what brings them.
        memory_bytes: what may wait in memory on the way, so that a program ends before its bytes
            are on the disks.
        beside_bytes_per_s: what of each link is in use already.

    """
    require_above_zero("copy", size_bytes=size_bytes)
    require_not_negative("copy", memory_bytes=memory_bytes, beside_bytes_per_s=beside_bytes_per_s)
    if not source_bytes_per_s > 0:
        raise BadValueError("its source brings nothing", where="copy", mend="Name another source")
    link = min((stage.bytes_per_s for stage in store.stages), default=math.inf)
    comes = min(source_bytes_per_s, max(link - beside_bytes_per_s, 1.0))
    fast, room = store.array.cached_write_bytes_per_s(store.filled_share)
    lasting = store.array.write_bytes_per_s(store.filled_share)
    in_cache = min(room, size_bytes) if room else 0.0
    flushed_s = (size_bytes - in_cache) / min(lasting, comes)
    flushed_s += in_cache / min(fast, comes) if in_cache else 0.0
    return _with_memory(size_bytes, flushed_s, comes, min(lasting, comes), memory_bytes)


def written_warm_in(
    drive: Drive,
    path: HeatPath,
    size_bytes: float,
    *,
    filled_share: float,
    link_bytes_per_s: float = math.inf,
    memory_bytes: float = 0.0,
) -> WriteTime:
    """Return how long *size_bytes* take onto a store that warms while it is written to.

    Args:
        drive: the store as the one drive that copies see, its cache as empty as it can be.
        path: on which its heat leaves.
        size_bytes: in one go, above 0; no more than there is room for.
        filled_share: of it, before.
        link_bytes_per_s: what its links bring.
        memory_bytes: what may wait in memory on the way.

    Raises:
        BadValueError: for nothing to write, or more than there is room for.

    """
    require_above_zero("copy", size_bytes=size_bytes)
    free = drive.capacity_bytes * (1 - filled_share)
    if size_bytes > free:
        raise BadValueError(
            "there is no room for it", where="copy", mend="Write less, or to a larger store"
        )
    goes = write_profile(
        drive.writes, path, min(link_bytes_per_s, NO_LINK_BYTES_PER_S),
        (Phase(math.inf, math.inf, size_bytes),),
        free_bytes=free, capacity_bytes=drive.capacity_bytes,
    )  # fmt: skip
    last = goes.intervals[-1].written_bytes_per_s
    told = _with_memory(size_bytes, goes.duration_s, link_bytes_per_s, last, memory_bytes)
    hot = goes.first(EventKind.THROTTLE)
    return replace(told, throttles_after_s=hot.at_s) if hot is not None else told


def _with_memory(
    size_bytes: float, flushed_s: float, comes: float, last: float, memory_bytes: float
) -> WriteTime:
    """What stays in memory needn't be written before the program ends, at the *last* rate."""
    kept = min(memory_bytes, size_bytes)
    program_s = max(size_bytes / comes, flushed_s - kept / last)
    return WriteTime(min(program_s, flushed_s), flushed_s)
