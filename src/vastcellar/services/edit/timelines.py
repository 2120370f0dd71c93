"""A timeline with the rate of each clip: by its own metadata, its media, or a format named."""

from __future__ import annotations

import stat
from collections import Counter
from dataclasses import dataclass
from pathlib import Path

from vastcellar.core.edit.demand import ClipUse, Demand, demand_of
from vastcellar.core.edit.editors import TRACK_BYTES_PER_S
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.store.clip_files import read_header
from vastcellar.store.timeline_files import Timeline, TimelineClip, read_timeline

SOUND_BYTES_PER_S = 2 * TRACK_BYTES_PER_S
"""Two channels: what a sound clip without media of its own is taken for."""

BY_ITSELF, BY_MEDIA, ASSUMED, SOUND = "its metadata", "its media", "the format named", "sound"


@dataclass(frozen=True)
class TimelineDemand:
    """What a cut asks for, and how well that is known."""

    name: str
    demand: Demand
    known_by: tuple[tuple[str, int], ...]
    """How many clips have their rate from where, most first."""
    missing_media: int
    """Clips whose media isn't on this computer."""
    left_out: tuple[str, ...]


def timeline_demand(
    path: Path, assumed_bytes_per_s: float = 0.0, *, with_sound: bool = True
) -> TimelineDemand:
    """Return what the timeline in *path* asks for.

    Args:
        path: of an OpenTimelineIO file.
        assumed_bytes_per_s: of a picture whose rate is known by neither its metadata nor its
            media, at its own speed; 0 to refuse such a timeline.
        with_sound: whether sound clips are read as well.

    Raises:
        BadFileError: no timeline, or a broken one.
        BadValueError: clips of no known rate.

    """
    return _demand(read_timeline(path), path.name, _Rates(assumed_bytes_per_s), with_sound)


def _demand(
    timeline: Timeline, name: str, rates: _Rates, with_sound: bool = True
) -> TimelineDemand:
    pictures = _pictures_by_media(timeline)
    uses, unknown = [], []
    for clip in timeline.clips:
        if clip.is_audio and (not with_sound or _is_read_with_its_picture(clip, pictures)):
            continue
        rate = rates.of(clip)
        if rate <= 0:
            unknown.append(clip.name)
            continue
        uses.append(
            ClipUse(clip.name, clip.start_s, clip.end_s, rate * clip.speed,
                    clip.frames_per_s, clip.track)
        )  # fmt: skip
    if unknown:
        shown = ", ".join(dict.fromkeys(unknown[:3]))
        raise BadValueError(
            f"{len(unknown)} of {len(timeline.clips)} clips have neither media here nor a rate: "
            f"{shown}{' …' if len(unknown) > 3 else ''}",
            where=name,
            mend="Name the rate that they are taken for",
        )
    return TimelineDemand(
        timeline.name, demand_of(uses), tuple(rates.counts.most_common()), rates.missing,
        timeline.left_out,
    )  # fmt: skip


class CutReader:
    """Keeps the cut that was read last: it is asked for at every change of the plan."""

    def __init__(self) -> None:
        self._key: tuple[object, ...] = ()
        self._found: Timeline | VastCellarError | None = None
        self._media: dict[Path, float] = {}
        """Rates of its media, asked for once."""
        self._demands: dict[float, TimelineDemand] = {}
        """By the rate that clips of no known one are taken for."""

    def is_known(self, path: Path) -> bool:
        """Whether it needn't be read: a cut of thousands of clips takes seconds."""
        key = _key_of(path)
        return not key or (self._found is not None and key == self._key)

    def read(self, path: Path, assumed_bytes_per_s: float = 0.0) -> TimelineDemand:
        """Return what the timeline in *path* asks for, read anew where it changed.

        Raises as ``timeline_demand`` does, each time.
        """
        key = _key_of(path)
        if not key or key != self._key or self._found is None:
            try:
                found: Timeline | VastCellarError = read_timeline(path)
            except VastCellarError as error:
                found = error
            self._media, self._demands = {}, {}
            self._found, self._key = found, key
        if isinstance(self._found, VastCellarError):
            raise self._found
        if assumed_bytes_per_s not in self._demands:
            rates = _Rates(assumed_bytes_per_s, self._media)
            self._demands = {assumed_bytes_per_s: _demand(self._found, path.name, rates)}
        return self._demands[assumed_bytes_per_s]


def _key_of(path: Path) -> tuple[object, ...]:
    """Return what a cut that was read is known again by; () where there is none."""
    try:
        status = path.stat()
    except (OSError, ValueError):
        return ()
    return path, status.st_mtime_ns, status.st_size


def cut_path(name: str, beside: Path | None) -> Path:
    """Return where a cut lies whose path counts from the folder of the plan's own file."""
    return (beside or Path()) / name


def _pictures_by_media(timeline: Timeline) -> dict[Path, list[TimelineClip]]:
    found: dict[Path, list[TimelineClip]] = {}
    for each in timeline.clips:
        if each.media is not None and not each.is_audio:
            found.setdefault(each.media, []).append(each)
    return found


def _is_read_with_its_picture(clip: TimelineClip, pictures: dict[Path, list[TimelineClip]]) -> bool:
    """Whether the sound lies in the same file as a picture that is read at the same time."""
    same = pictures.get(clip.media, []) if clip.media is not None else []
    return any(other.start_s < clip.end_s and other.end_s > clip.start_s for other in same)


class _Rates:
    """Rates of media, each asked for once."""

    def __init__(self, assumed_bytes_per_s: float, known: dict[Path, float] | None = None) -> None:
        self._assumed = assumed_bytes_per_s
        self._known: dict[Path, float] = {} if known is None else known
        self.counts: Counter[str] = Counter()
        self.missing = 0

    def of(self, clip: TimelineClip) -> float:
        """Return the rate at which a clip's media is read at its own speed; 0 for not known."""
        if clip.bytes_per_s > 0:
            self.counts[BY_ITSELF] += 1
            return clip.bytes_per_s
        rate = self._of_media(clip.media) if clip.media else 0.0
        if rate > 0:
            self.counts[BY_MEDIA] += 1
            return rate
        self.missing += 1
        if clip.is_audio:
            self.counts[SOUND] += 1
            return SOUND_BYTES_PER_S
        if self._assumed > 0:
            self.counts[ASSUMED] += 1
        return self._assumed

    def _of_media(self, path: Path) -> float:
        if path not in self._known:
            self._known[path] = _average_rate(path)
        return self._known[path]


def _average_rate(path: Path) -> float:
    """Return size over duration of a clip, by its head alone; 0 for what is none."""
    try:
        status = path.stat()
    except (OSError, ValueError):
        return 0.0
    if not stat.S_ISREG(status.st_mode):
        return 0.0  # a pipe in its place would hold us up for ever
    header = read_header(path, path.name)
    return status.st_size / header.duration_s if header and header.duration_s > 0 else 0.0
