"""Measure what a camera really records: the rate of its clips becomes its proved rate."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.measured_rate import MeasuredRate, as_recorded, combine_clips
from vastcellar.core.shoot.shoot import Camera
from vastcellar.core.units import PLAIN
from vastcellar.store.clip_files import read_clips


def measure_clips(place: Path, codec_key: str = "") -> MeasuredRate:
    """Return the rate of the clip, or of the folder of clips, at *place*.

    Raises BadFileError for a clip that can't be read, BadValueError where they don't go together.
    """
    return combine_clips(read_clips(place), codec_key)


def with_measured(camera: Camera, measured: MeasuredRate) -> Camera:
    """Return *camera* with *measured* as its proved rate.

    Raises BadValueError where the clips show another picture than the camera is set to.
    """
    recording = camera.recording
    measured = as_recorded(replace(measured, codec_key=recording.codec.key), recording)
    if not measured.answers_for(recording):
        shown = f"{measured.width_px} x {measured.height_px} at "
        raise BadValueError(
            f"the clips show {shown}{PLAIN.frame_rate(measured.frames_per_s)}, camera "
            f"{camera.key} is set to {recording.width_px} x {recording.height_px} at "
            f"{PLAIN.frame_rate(recording.frames_per_s)}",
            where="clips",
            mend="Set the camera to the clips' format first, or choose other clips",
        )
    return replace(camera, measured=measured)
