"""Camera models of the catalog: what they can be set to, and what they do by themselves."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from fractions import Fraction

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.formats import CodecFamily, RecordingFormat
from vastcellar.core.shoot.roll_patterns import RollPattern
from vastcellar.core.shoot.shoot import Camera, CameraLimits


@dataclass(frozen=True, slots=True)
class FormatPreset:
    """A format of a camera's menu; its codec by key, so that it can stand in a file."""

    name: str
    codec: str
    width_px: int
    height_px: int
    frames_per_s: Fraction
    bit_depth: int = 12
    ratio: float = 1.0
    sampling: str = ""
    quality: str = ""
    menu_bits_per_s: float = 0.0
    audio_channels: int = 2
    project_frames_per_s: Fraction | None = None
    crest: float = 0.0
    """Worst second over average; 0 for the codec's typical one."""

    def recording(self, codec: CodecFamily) -> RecordingFormat:
        """Return the format. Raises BadValueError where it doesn't go with *codec*."""
        return RecordingFormat(
            codec=codec,
            width_px=self.width_px,
            height_px=self.height_px,
            frames_per_s=self.frames_per_s,
            bit_depth=self.bit_depth,
            ratio=self.ratio,
            quality=self.quality,
            menu_bits_per_s=self.menu_bits_per_s,
            audio_channels=self.audio_channels,
            sampling=self.sampling,
            project_frames_per_s=self.project_frames_per_s,
        )


@dataclass(frozen=True, slots=True)
class CameraModel:
    """A camera as it comes out of the box."""

    key: str
    name: str
    presets: tuple[FormatPreset, ...]
    medium_bytes: int
    buffer_bytes: int
    limits: CameraLimits = field(default_factory=CameraLimits)
    medium_guarantee: str = ""
    pattern: RollPattern = RollPattern.DOCUMENTARY
    longest_take_s: float = 1800.0
    hours_a_day: float = 2.0

    def __post_init__(self) -> None:
        if not self.presets:
            raise BadValueError(
                "it has no preset", where=f"camera {self.key!r}", mend="List a format of its menu"
            )

    def preset(self, name: str) -> FormatPreset:
        """Return the preset called *name*. Raises BadValueError where there is none."""
        for preset in self.presets:
            if preset.name == name:
                return preset
        raise BadValueError(
            f"{self.name} has no preset {name!r}",
            where="preset",
            mend=f"Use one of {', '.join(preset.name for preset in self.presets)}",
        )


def new_camera(
    key: str, name: str, model: CameraModel, preset: FormatPreset, codec: CodecFamily
) -> Camera:
    """Return a camera of *model*, set to *preset*, with all that the model brings along."""
    return Camera(
        key=key,
        name=name,
        model=model.name,
        recording=preset.recording(codec),
        crest=preset.crest or codec.typical_crest,
        longest_take_s=model.longest_take_s,
        hours_a_day=model.hours_a_day,
        medium_bytes=model.medium_bytes,
        buffer_bytes=model.buffer_bytes,
        pattern=model.pattern,
        limits=model.limits,
        medium_guarantee=model.medium_guarantee,
    )


def set_to_preset(
    camera: Camera, model: CameraModel, preset: FormatPreset, codec: CodecFamily
) -> Camera:
    """Return *camera* turned into *model* at *preset*; what it does on the shoot stays as it is."""
    fresh = new_camera(camera.key, camera.name, model, preset, codec)
    return replace(
        camera,
        model=fresh.model,
        recording=fresh.recording,
        crest=fresh.crest,
        medium_bytes=fresh.medium_bytes,
        buffer_bytes=fresh.buffer_bytes,
        limits=fresh.limits,
        medium_guarantee=fresh.medium_guarantee,
    )
