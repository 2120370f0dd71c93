"""A timeline in OpenTimelineIO's own JSON: which media is read from when to when.

Compositions inside compositions are walked through, each with its own trim and speed. A transition
reads both of its clips. A clip of double speed reads its media twice as fast; one that stands
still reads nothing but its frame.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlparse

from vastcellar.core.errors import BadFileError
from vastcellar.store.reading import as_sentence, read_json

TIMELINE_SUFFIX = ".otio"
MOST_CLIPS = 100_000
_MOST_SECONDS = 7 * 24 * 3600.0
_OURS = "vast-cellar"
"""In a clip's metadata, for a rate that its maker knows: {"vast-cellar": {"bytes_per_s": …}}."""


@dataclass(frozen=True, slots=True)
class TimelineClip:
    """A clip as the timeline has it, before anybody knows its rate."""

    name: str
    start_s: float
    end_s: float
    speed: float
    """Of its media beside the timeline; never below 0."""
    frames_per_s: float
    track: str
    is_audio: bool = False
    media: Path | None = None
    """None where it is missing, made up, or not on this computer."""
    bytes_per_s: float = 0.0
    """As its own metadata has it; 0 where it has none."""


@dataclass(frozen=True)
class Timeline:
    """A whole cut."""

    name: str
    clips: tuple[TimelineClip, ...]
    left_out: tuple[str, ...] = ()
    """What isn't read: disabled, of no length, standing still."""


def read_timeline(path: Path) -> Timeline:
    """Return the timeline in *path*. Raises BadFileError: none, broken, without a clip."""
    import json

    import opentimelineio as otio

    # Ours first: its depth and size are bounded here, and the library's reader trusts its file.
    content = read_json(path)
    with as_sentence(path, "timeline"):
        try:
            read = otio.adapters.read_from_string(json.dumps(content), "otio_json")
        except otio.exceptions.OTIOError as error:
            raise BadFileError(
                f"it is no timeline ({str(error).splitlines()[0][:100]})",
                where=path.name,
                mend="Export it as OpenTimelineIO once more",
            ) from error
        if isinstance(read, otio.schema.Timeline):
            stack = read.tracks
        elif isinstance(read, otio.schema.Stack | otio.schema.Track):
            stack = read
        else:
            raise BadFileError(
                f"it holds a {type(read).__name__.lower()} and no timeline",
                where=path.name,
                mend="Export the whole cut as OpenTimelineIO",
            )
        walk = _Walk(path, otio)
        span = stack.trimmed_range()
        clips = tuple(walk.through(stack, 0.0, _seconds(span.start_time, path, "timeline"),
                                   _seconds(span.duration, path, "timeline"), 1.0, ""))  # fmt: skip
        if not clips:
            raise BadFileError(
                "it has no clip that is read", where=path.name, mend="Export a cut with clips"
            )
        name = str(getattr(read, "name", "") or path.stem)
        return Timeline(name, clips, tuple(walk.left_out))


def _seconds(time: Any, path: Path, name: str) -> float:
    """Return a rational time in seconds. Raises BadFileError for one that is none."""
    seconds = time.value / time.rate if time.rate else math.nan
    if not math.isfinite(seconds) or abs(seconds) > _MOST_SECONDS or time.rate < 0:
        raise BadFileError(
            f"a time of {name!r} is {time.value:g} at {time.rate:g} a second",
            where=path.name,
            mend="Correct it, or export the cut once more",
        )
    return float(seconds)


@dataclass
class _Walk:
    path: Path
    otio: Any
    left_out: list[str] = field(default_factory=list)
    count: int = 0

    def through(
        self, part: Any, at_s: float, from_s: float, span_s: float, speed: float, track: str
    ) -> Iterator[TimelineClip]:
        """Yield the clips of the composition *part*.

        Args:
            part: a stack or a track.
            at_s: where on the timeline it begins.
            from_s: where in its own time that is.
            span_s: how much of the timeline it takes.
            speed: of its own time beside the timeline's.
            track: that it lies on, "" for the outermost.

        """
        schema = self.otio.schema
        for number, child in enumerate(part):
            if isinstance(child, schema.Gap | schema.Transition):
                continue
            whole = part.range_of_child_at_index(number)
            begin_s = _seconds(whole.start_time, self.path, child.name)
            end_s = begin_s + _seconds(whole.duration, self.path, child.name)
            if isinstance(part, schema.Track):
                before, after = self._transitions(part, number)
                begin_s, end_s = begin_s - before, end_s + after
            start_s = at_s + max(begin_s - from_s, 0.0) / speed
            stop_s = min(at_s + (end_s - from_s) / speed, at_s + span_s)
            own = track
            if isinstance(child, schema.Track):
                own = str(child.name or f"{'A' if child.kind == 'Audio' else 'V'}{number + 1}")
            yield from self._child(child, start_s, stop_s, begin_s, from_s, speed, own)

    def _child(
        self, child: Any, start_s: float, stop_s: float, begin_s: float, from_s: float,
        speed: float, track: str,
    ) -> Iterator[TimelineClip]:  # fmt: skip
        name = str(child.name or "a clip without a name")
        own_speed = speed * self._speed(child)
        if not getattr(child, "enabled", True) or stop_s - start_s <= 1e-9 or own_speed <= 0:
            self.left_out.append(name)
            return
        if not isinstance(child, self.otio.schema.Clip):
            trim = child.trimmed_range()
            into_s = max(from_s - begin_s, 0.0)
            inner_s = _seconds(trim.start_time, self.path, name) + into_s * own_speed / speed
            yield from self.through(child, start_s, inner_s, stop_s - start_s, own_speed, track)
            return
        self.count += 1
        if self.count > MOST_CLIPS:
            raise BadFileError(
                f"it has more than {MOST_CLIPS:,} clips", where=self.path.name,
                mend="Export a part of the cut",
            )  # fmt: skip
        span = child.trimmed_range()
        rate = float(span.duration.rate or span.start_time.rate)
        kind = _track_kind(child)
        yield TimelineClip(
            name, start_s, stop_s, own_speed, rate if math.isfinite(rate) and rate > 0 else 25.0,
            track, kind == "Audio", self._media(child), _own_rate(child),
        )  # fmt: skip

    def _transitions(self, track: Any, number: int) -> tuple[float, float]:
        """Return how much earlier and later a clip is read because of what stands beside it."""
        transition = self.otio.schema.Transition
        before = track[number - 1] if number else None
        after = track[number + 1] if number + 1 < len(track) else None
        early = late = 0.0
        if isinstance(before, transition):
            early = _seconds(before.in_offset, self.path, before.name)
        if isinstance(after, transition):
            late = _seconds(after.out_offset, self.path, after.name)
        return max(early, 0.0), max(late, 0.0)

    def _speed(self, child: Any) -> float:
        """Return how fast a child's own time runs, either way; 0 where it stands still."""
        speed = 1.0
        for effect in getattr(child, "effects", ()):
            if isinstance(effect, self.otio.schema.LinearTimeWarp):  # a freeze frame is one too
                speed *= abs(float(effect.time_scalar))
        if not math.isfinite(speed) or speed > 1000:
            raise BadFileError(
                f"{child.name!r} is played {speed:g} times as fast", where=self.path.name,
                mend="Correct its speed",
            )  # fmt: skip
        return speed

    def _media(self, clip: Any) -> Path | None:
        """Return where its media lies on this computer, if the timeline says so."""
        reference = clip.media_reference
        if not isinstance(reference, self.otio.schema.ExternalReference):
            return None
        url = urlparse(str(reference.target_url or ""))
        if url.scheme not in ("", "file") or not url.path or "\0" in unquote(url.path):
            return None
        return self.path.parent / unquote(url.path)


def _track_kind(clip: Any) -> str:
    """Return the kind of the innermost track that a clip lies on."""
    part = clip.parent()
    while part is not None:
        kind = getattr(part, "kind", "")
        if kind:
            return str(kind)
        part = part.parent()
    return ""


def _own_rate(clip: Any) -> float:
    """Return the rate in a clip's own metadata, or its media's; 0 where there is none."""
    for part in (clip, clip.media_reference):
        own = part.metadata.get(_OURS) if part is not None else None
        rate = own.get("bytes_per_s") if own is not None and hasattr(own, "get") else None
        if isinstance(rate, int | float) and math.isfinite(rate) and 0 < rate < 1e12:
            return float(rate)
    return 0.0
