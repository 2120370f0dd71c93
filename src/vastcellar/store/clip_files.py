"""Clips of a camera as evidence: sizes and times of packets, read without decoding a picture."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.roll.copy_log import ClipHeader
from vastcellar.core.shoot.measured_rate import ClipRate

CLIP_SUFFIXES = frozenset({".mov", ".mp4", ".m4v", ".mxf", ".mkv", ".avi", ".mts", ".m2ts", ".ts"})
MOST_CLIPS = 2000


def read_clip(path: Path) -> ClipRate:
    """Return the rate of the clip in *path*.

    Average: size of the file over duration. Worst second: the most bytes of packets, of all
    streams, whose time falls into any one second.
    Raises BadFileError: missing, broken, not a video, without a duration.
    """
    import av  # a fifth of a second: only paid by whoever measures clips

    try:
        size_bytes = path.stat().st_size
        with av.open(str(path)) as container:
            if not container.streams.video:
                raise BadFileError(
                    "it has no picture", where=str(path), mend="Choose a clip of the camera"
                )
            video = container.streams.video[0]
            width, height = video.codec_context.width, video.codec_context.height
            frames_per_s = video.average_rate or video.guessed_rate
            times, sizes = _packets(container.demux())
            stated_s = _stated_duration_s(container, video, av.time_base)
    except av.error.FFmpegError as error:
        raise BadFileError(
            f"it can't be read as a clip ({error.strerror})",
            where=str(path),
            mend="Choose a whole clip of the camera; this one is broken or something else",
        ) from error
    except OSError as error:
        raise BadFileError(
            f"it can't be read ({error.strerror})", where=str(path), mend="Check the path"
        ) from error
    frame_s = float(1 / frames_per_s) if frames_per_s else 0.0
    spanned_s = float(times[-1] - times[0]) + frame_s if times.size else 0.0
    duration_s = stated_s or spanned_s
    if duration_s <= 0 or not frames_per_s or not times.size:
        raise BadFileError(
            "it has no duration", where=str(path), mend="Choose a clip that was closed properly"
        )
    return ClipRate(
        name=path.name,
        width_px=width,
        height_px=height,
        frames_per_s=Fraction(frames_per_s),
        duration_s=duration_s,
        size_bytes=size_bytes,
        worst_second_bytes=worst_second_bytes(times, sizes, duration_s),
    )


_BY_STANDARD = {147: "RDD 36", 99: "VC-3", 212: "VC-5", 27: "H.264", 173: "H.265", 2: "MPEG-2"}
"""The library's numbers of codecs, and what their standards call them: it knows some by the name
that a maker sells them under."""


_WRAPPERS = frozenset({"mov", "mp4", "mxf", "matroska", "avi", "mpegts", "mpeg"})


def picture_stream(container: Any) -> Any:
    """Return the first stream of pictures of an open file; None where it is no clip.

    What isn't wrapped is none: a few bytes in any file are taken for some bare stream.
    """
    if _WRAPPERS.isdisjoint(container.format.name.split(",")) or not container.streams.video:
        return None
    video = container.streams.video[0]
    width, height = video.codec_context.width, video.codec_context.height
    return video if width > 0 and height > 0 else None


def read_header(path: Path, name: str) -> ClipHeader | None:
    """Return what the head of the clip in *path* says; None for what is none, or is broken.

    *name* is what it is called in the log.
    """
    import av

    try:
        with av.open(str(path)) as container:
            video = picture_stream(container)
            if video is None:
                return None
            rate = video.average_rate or video.guessed_rate
            return ClipHeader(
                name,
                _codec_name(video.codec_context),
                int(video.codec_context.width),
                int(video.codec_context.height),
                float(rate) if rate else 0.0,
                _stated_duration_s(container, video, av.time_base),
            )
    except (av.error.FFmpegError, OSError, ValueError, OverflowError):
        return None  # a damaged clip is copied like any other; the log then says less of it


def _codec_name(context: object) -> str:
    codec = context.codec  # type: ignore[attr-defined]
    return _BY_STANDARD.get(int(codec.id), str(codec.name))


def _packets(packets: object) -> tuple[np.ndarray, np.ndarray]:
    """Return (seconds, bytes) of all packets in the order of their time."""
    times, sizes = [], []
    for packet in packets:  # type: ignore[attr-defined]
        stamp = packet.dts if packet.dts is not None else packet.pts
        if stamp is not None and packet.size:
            times.append(float(stamp * packet.time_base))
            sizes.append(packet.size)
    order = np.argsort(times, kind="stable")
    return np.array(times, dtype=np.float64)[order], np.array(sizes, dtype=np.float64)[order]


def _stated_duration_s(container: object, video: object, time_base: int) -> float:
    """Return the picture's duration as the file states it, 0 where it doesn't."""
    duration, base = video.duration, video.time_base  # type: ignore[attr-defined]
    if duration and base:
        return float(duration * base)
    whole = container.duration  # type: ignore[attr-defined]
    return float(whole) / time_base if whole and whole > 0 else 0.0


def worst_second_bytes(times: np.ndarray, sizes: np.ndarray, duration_s: float) -> float:
    """Return the most bytes within any one second; of a shorter clip, its rate.

    *times* in s, rising, and *sizes* in bytes have shape (n,).
    """
    if duration_s < 1.0:
        return float(sizes.sum() / duration_s)
    total = np.concatenate([[0.0], np.cumsum(sizes)])
    # A second that starts with each packet, its end left out.
    ends = np.searchsorted(times, times + 1.0 - 1e-9, side="left")
    starts = np.arange(times.size)
    return float((total[ends] - total[starts]).max())


def read_clips(
    place: Path, on_clip: Callable[[int, int], bool] = lambda _done, _all: True
) -> tuple[ClipRate, ...]:
    """Return the rates of the clip *place*, or of all clips directly in the folder *place*.

    *on_clip* is told how many of how many are done; when it returns False the rest is left out.
    Raises BadFileError for the first clip that can't be read, or where there is none.
    """
    if not place.is_dir():
        return (read_clip(place),)
    try:
        paths = sorted(p for p in place.iterdir() if p.suffix.lower() in CLIP_SUFFIXES)
    except OSError as error:
        raise BadFileError(
            f"the folder can't be read ({error.strerror})", where=str(place), mend="Check it"
        ) from error
    if not paths:
        raise BadFileError(
            "there is no clip in this folder",
            where=str(place),
            mend=f"Choose a folder of {', '.join(sorted(CLIP_SUFFIXES))} files",
        )
    if len(paths) > MOST_CLIPS:
        raise BadValueError(
            f"{len(paths)} clips lie in this folder",
            where=str(place),
            mend=f"Choose at most {MOST_CLIPS}",
        )
    clips = []
    for index, path in enumerate(paths):
        if not on_clip(index, len(paths)):
            break
        clips.append(read_clip(path))
    return tuple(clips)
