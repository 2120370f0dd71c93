"""A shoot: cameras, what they record, for how long, and what each records to."""

from __future__ import annotations

from dataclasses import dataclass, replace

from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.formats import RecordingFormat

DEFAULT_HEADROOM = 0.20
DEFAULT_BUFFER_BYTES = 512_000_000
DEFAULT_AMBIENT_C = 25.0


@dataclass(frozen=True, slots=True)
class Setup:
    """What a camera records to: a drive, in an enclosure, on a cable, in a port, by part keys.

    ``unit_tag`` names a unit of the cellar whose drive this is, or is empty for a drive out of
    the catalog. Cards and ready-made drives have no enclosure; slots have no cable.
    """

    drive_key: str
    host_key: str
    port_key: str
    unit_tag: str = ""
    enclosure_key: str = ""
    cable_key: str = ""


@dataclass(frozen=True, slots=True)
class Camera:
    """One camera of a shoot and what is asked of it."""

    key: str
    name: str
    model: str
    recording: RecordingFormat
    crest: float
    longest_take_s: float
    hours_a_day: float
    medium_bytes: int
    headroom: float = DEFAULT_HEADROOM
    buffer_bytes: int = DEFAULT_BUFFER_BYTES
    setup: Setup | None = None

    def __post_init__(self) -> None:
        where = f"camera {self.key!r}"
        if not self.key.strip():
            raise BadValueError(
                "a camera has no letter", where="camera", mend="Give it one, like A"
            )
        require_between(where, 1.0, 10.0, crest=self.crest)
        require_between(where, 0.0, 5.0, headroom=self.headroom)
        require_above_zero(
            where, longest_take_s=self.longest_take_s, medium_bytes=self.medium_bytes
        )
        require_between(where, 0.0, 24.0, hours_a_day=self.hours_a_day)
        require_not_negative(where, buffer_bytes=self.buffer_bytes)
        if self.longest_take_s > 24 * 3600:
            raise BadValueError(
                f"longest_take_s is {self.longest_take_s:g}",
                where=where,
                mend="Give a take of at most 24 hours",
            )


@dataclass(frozen=True, slots=True)
class Shoot:
    """A named job of so many days in a room of some temperature."""

    name: str
    days: int
    cameras: tuple[Camera, ...]
    ambient_c: float = DEFAULT_AMBIENT_C
    copies: int = 2
    note: str = ""

    def __post_init__(self) -> None:
        where = f"shoot {self.name!r}"
        require_between(where, 1, 1000, days=self.days)
        require_between(where, -40, 60, ambient_c=self.ambient_c)
        require_between(where, 0, 10, copies=self.copies)
        keys = [camera.key for camera in self.cameras]
        for key in keys:
            if keys.count(key) > 1:
                raise BadValueError(
                    f"two cameras are called {key!r}", where=where, mend="Give each its own letter"
                )

    def camera(self, key: str) -> Camera:
        """Return the camera called *key*. Raises BadValueError where there is none."""
        for camera in self.cameras:
            if camera.key == key:
                return camera
        known = ", ".join(camera.key for camera in self.cameras) or "none yet"
        raise BadValueError(
            f"there is no camera {key!r}", where=f"shoot {self.name!r}", mend=f"It has: {known}"
        )

    def with_camera(self, camera: Camera) -> Shoot:
        """Return the shoot with *camera* in place of the one of the same key, or added."""
        if any(known.key == camera.key for known in self.cameras):
            cameras = tuple(camera if known.key == camera.key else known for known in self.cameras)
        else:
            cameras = (*self.cameras, camera)
        return replace(self, cameras=cameras)
