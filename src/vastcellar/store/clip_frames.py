"""The first and the last picture of a clip: taken from the file, kept small in the cellar."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from vastcellar.store.by_digest import rows_of
from vastcellar.store.cellar import Cellar
from vastcellar.store.clip_files import picture_stream
from vastcellar.store.reading import MOST_PIXELS
from vastcellar.store.tables import ClipFramesRow

FRAME_WIDTH_PX = 192
_MOST_LAST_FRAMES = 600
"""From the last key frame to the end: a clip of one key frame isn't decoded whole for a picture."""
_END_S = 0.5


@dataclass(frozen=True, slots=True)
class EndFrames:
    """Two pictures as JPEG, ``FRAME_WIDTH_PX`` wide or less."""

    first_jpeg: bytes
    last_jpeg: bytes


def read_end_frames(path: Path) -> EndFrames | None:
    """Return the first and the last picture of the clip in *path*; None where they can't be told.

    A codec that nobody published, a damaged clip, one that is none: the log then shows none.
    """
    import av

    try:
        with av.open(str(path)) as container:
            video = picture_stream(container)
            if video is None or video.width * video.height > MOST_PIXELS:
                return None
            video.thread_type = "AUTO"
            first = next(container.decode(video), None)
            if first is None:
                return None
            last = _last_frame(container, video) or first
            return EndFrames(_jpeg(first), _jpeg(last))
    except (av.error.FFmpegError, OSError, ValueError, OverflowError, MemoryError):
        return None


def _last_frame(container: Any, video: Any) -> Any:
    if video.duration and video.time_base:
        before = round(_END_S / video.time_base)
        at = (video.start_time or 0) + max(int(video.duration) - before, 0)
        container.seek(at, stream=video, backward=True)
    else:
        container.seek(0)
    last = None
    for count, frame in enumerate(container.decode(video)):
        last = frame
        if count >= _MOST_LAST_FRAMES:
            break
    return last


def _jpeg(frame: Any) -> bytes:
    import av

    width = min(FRAME_WIDTH_PX, frame.width)
    height = max(round(frame.height * width / frame.width), 1)
    # The format asks for even sides, and for colours over their whole range.
    small = frame.reformat(width + width % 2, height + height % 2, format="yuvj420p")
    encoder = av.CodecContext.create("mjpeg", "w")
    encoder.width, encoder.height = small.width, small.height
    encoder.pix_fmt, encoder.time_base = "yuvj420p", frame.time_base
    small.pts = 0
    return b"".join(bytes(packet) for packet in [*encoder.encode(small), *encoder.encode(None)])


def keep_frames(cellar: Cellar, digest: str, frames: EndFrames) -> None:
    """Keep the pictures of the clip with *digest*, in place of those that are kept of it.

    Raises CellarError.
    """
    with cellar.session() as session:
        session.merge(
            ClipFramesRow(
                digest=digest, first_jpeg=frames.first_jpeg, last_jpeg=frames.last_jpeg
            )
        )  # fmt: skip


def kept_frames(cellar: Cellar, digests: Iterable[str]) -> dict[str, EndFrames]:
    """Return the pictures that are kept of clips with *digests*, by digest. Raises CellarError."""
    with cellar.reading() as session:
        rows = rows_of(session, ClipFramesRow, digests)
        return {row.digest: EndFrames(row.first_jpeg, row.last_jpeg) for row in rows}
