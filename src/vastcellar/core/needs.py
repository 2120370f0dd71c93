"""The need: what a camera asks of whatever it records to, second by second and take by take."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.formats import audio_bytes_per_s, video_bytes_per_s
from vastcellar.core.shoot import Camera, Shoot


@dataclass(frozen=True, slots=True)
class Need:
    """What one camera needs; every rate in bytes per second."""

    video_bytes_per_s: float
    audio_bytes_per_s: float
    average_bytes_per_s: float
    peak_bytes_per_s: float
    needed_write_bytes_per_s: float
    bytes_per_hour: float
    seconds_per_medium: float
    longest_take_bytes: float
    bytes_per_frame: float
    bytes_per_day: float


def camera_need(camera: Camera) -> Need:
    """Return what *camera* needs.

    The crest factor raises the picture only, since sound has a constant rate; headroom raises
    the worst second: need = (picture x crest + sound) x (1 + container) x (1 + headroom).
    """
    recording = camera.recording
    container = 1 + recording.container_overhead
    video = video_bytes_per_s(recording)
    audio = audio_bytes_per_s(recording.audio_channels)
    average = (video + audio) * container
    peak = (video * camera.crest + audio) * container
    return Need(
        video_bytes_per_s=video,
        audio_bytes_per_s=audio,
        average_bytes_per_s=average,
        peak_bytes_per_s=peak,
        needed_write_bytes_per_s=peak * (1 + camera.headroom),
        bytes_per_hour=average * 3600,
        seconds_per_medium=camera.medium_bytes / average,
        longest_take_bytes=average * camera.longest_take_s,
        bytes_per_frame=average / float(recording.frames_per_s),
        bytes_per_day=average * 3600 * camera.hours_a_day,
    )


def shoot_bytes_per_day(shoot: Shoot) -> float:
    """Return the bytes that all cameras make on one day, before any copy."""
    return sum(camera_need(camera).bytes_per_day for camera in shoot.cameras)


def copied_bytes_per_day(shoot: Shoot) -> float:
    """Return the bytes a day that all verified copies take together."""
    return shoot_bytes_per_day(shoot) * shoot.copies
