"""What cameras send in a recorder test: whole frames, as big as their format makes them."""

from __future__ import annotations

import zlib
from collections.abc import Sequence

from vastcellar.core.errors import BadValueError
from vastcellar.core.recording.frame_sizes import FrameVariation
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.services.proving.file_proving import USUAL_STREAM, Stream

_HIGHEST_CREST = 10.0


def load_of_camera(camera: Camera, duration_s: float) -> RecorderLoad:
    """Return a take of *camera*: its average, its crest, its GOP, its buffer.

    The order of easy and hard seconds is the same every time: two runs meet the same take.
    """
    need = camera_need(camera)
    crest = need.peak_bytes_per_s / need.average_bytes_per_s
    return RecorderLoad(
        average_bytes_per_s=need.average_bytes_per_s,
        frames_per_s=camera.recording.frames_per_s,
        buffer_bytes=camera.buffer_bytes,
        duration_s=duration_s,
        variation=FrameVariation(
            crest=min(max(crest, 1.0), _HIGHEST_CREST),
            gop_frames=camera.recording.codec.gop_frames,
            seed=zlib.crc32(camera.key.encode()),
        ),
        name=camera.key,
    )


def loads_of_shoot(
    shoot: Shoot, keys: Sequence[str], duration_s: float | None
) -> tuple[RecorderLoad, ...]:
    """Return the takes of the cameras *keys*, of all where none is named, all equally long.

    Without *duration_s* each records its own longest take.
    Raises UnknownPartError for a camera that the shoot doesn't have, BadValueError without one.
    """
    cameras = [shoot.camera(key) for key in keys] if keys else list(shoot.cameras)
    if not cameras:
        raise BadValueError("it has no camera", where="shoot", mend="Add one in Shoot")
    return tuple(load_of_camera(each, duration_s or each.longest_take_s) for each in cameras)


def streams_of_shoot(shoot: Shoot) -> tuple[Stream, ...]:
    """Return what can be edited of a shoot: the usual edit format, and each camera's own."""
    own = (
        Stream(
            f"{camera.key} {camera.name}",
            camera_need(camera).average_bytes_per_s,
            float(camera.recording.frames_per_s),
        )
        for camera in shoot.cameras
    )
    return (USUAL_STREAM, *own)
