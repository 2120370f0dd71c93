"""A rate that clips of the camera itself have shown, and for which format it answers."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

from vastcellar.core.checks import require_above_zero
from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.formats import RecordingFormat


@dataclass(frozen=True, slots=True)
class ClipRate:
    """One clip as its file tells it; everything in the file counts, sound and container too."""

    name: str
    width_px: int
    height_px: int
    frames_per_s: Fraction
    duration_s: float
    size_bytes: int
    worst_second_bytes: float

    def __post_init__(self) -> None:
        require_above_zero(
            self.name,
            duration_s=self.duration_s,
            size_bytes=self.size_bytes,
            worst_second_bytes=self.worst_second_bytes,
        )

    @property
    def average_bytes_per_s(self) -> float:
        """Size over duration."""
        return self.size_bytes / self.duration_s


@dataclass(frozen=True, slots=True)
class MeasuredRate:
    """What a set of clips of one picture came to, in bytes per second."""

    average_bytes_per_s: float
    worst_second_bytes_per_s: float
    easiest_bytes_per_s: float
    hardest_bytes_per_s: float
    """Averages of the leanest and of the fullest clip."""
    width_px: int
    height_px: int
    frames_per_s: Fraction
    clips: int
    seconds: float
    codec_key: str = ""
    """Of the camera's format when it was measured."""

    def __post_init__(self) -> None:
        require_above_zero(
            "measured rate",
            average_bytes_per_s=self.average_bytes_per_s,
            worst_second_bytes_per_s=self.worst_second_bytes_per_s,
            seconds=self.seconds,
        )

    def answers_for(self, recording: RecordingFormat) -> bool:
        """Return whether it was measured at the picture and codec of *recording*."""
        return (
            (self.width_px, self.height_px) == (recording.width_px, recording.height_px)
            and abs(float(self.frames_per_s / recording.frames_per_s) - 1) < 1e-3
            and self.codec_key in ("", recording.codec.key)
        )


def as_recorded(measured: MeasuredRate, recording: RecordingFormat) -> MeasuredRate:
    """Return *measured* in the time of recording, where clips play slower than they were shot.

    An off-speed clip plays at the project's rate: what fills a second of it was recorded in a
    fraction of one.
    """
    project, slow = recording.project_frames_per_s, recording.slow_factor
    if project is None or abs(float(measured.frames_per_s / project) - 1) > 1e-3:
        return measured
    return replace(
        measured,
        average_bytes_per_s=measured.average_bytes_per_s * slow,
        worst_second_bytes_per_s=measured.worst_second_bytes_per_s * slow,
        easiest_bytes_per_s=measured.easiest_bytes_per_s * slow,
        hardest_bytes_per_s=measured.hardest_bytes_per_s * slow,
        frames_per_s=recording.frames_per_s,
        seconds=measured.seconds / slow,
    )


def combine_clips(clips: tuple[ClipRate, ...], codec_key: str = "") -> MeasuredRate:
    """Return the rate of *clips* together: bytes over seconds, the worst second of any.

    Raises BadValueError without a clip, or where the clips show different pictures.
    """
    if not clips:
        raise BadValueError(
            "there is no clip", where="clips", mend="Choose clips of this camera and format"
        )
    first = clips[0]
    for clip in clips[1:]:
        if (clip.width_px, clip.height_px) != (first.width_px, first.height_px) or abs(
            float(clip.frames_per_s / first.frames_per_s) - 1
        ) > 1e-3:
            raise BadValueError(
                f"{first.name} shows {_picture(first)}, {clip.name} shows {_picture(clip)}",
                where="clips",
                mend="Put clips of one format into a folder of their own",
            )
    seconds = sum(clip.duration_s for clip in clips)
    averages = [clip.average_bytes_per_s for clip in clips]
    return MeasuredRate(
        average_bytes_per_s=sum(clip.size_bytes for clip in clips) / seconds,
        worst_second_bytes_per_s=max(clip.worst_second_bytes for clip in clips),
        easiest_bytes_per_s=min(averages),
        hardest_bytes_per_s=max(averages),
        width_px=first.width_px,
        height_px=first.height_px,
        frames_per_s=first.frames_per_s,
        clips=len(clips),
        seconds=seconds,
        codec_key=codec_key,
    )


def _picture(clip: ClipRate) -> str:
    return f"{clip.width_px} x {clip.height_px} at {float(clip.frames_per_s):.6g}"
