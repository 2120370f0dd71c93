"""Recording formats: how many bytes a second a camera's picture and sound make."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.errors import BadValueError

AUDIO_SAMPLE_RATE_HZ = 48_000
AUDIO_BITS = 24

# Beyond these no camera records; a figure past them is a slip of the hand.
MAX_EDGE_PX = 20_000
MAX_FRAMES_PER_S = 100_000


class RateRule(StrEnum):
    """How a codec family's rate follows from the picture."""

    RATIO_RAW = "ratio_raw"
    """One sample a photosite, divided by a compression ratio."""
    BITS_PER_PIXEL = "bits_per_pixel"
    """A target rate that scales with pixels and frames."""
    MENU_RATE = "menu_rate"
    """A rate chosen in the camera's menu, whatever the picture."""


@dataclass(frozen=True, slots=True)
class Quality:
    """A named step of a codec family, with its measured bits per pixel."""

    key: str
    name: str
    bits_per_pixel: float


@dataclass(frozen=True, slots=True)
class CodecFamily:
    """A codec by its standard designation, and how its rate follows."""

    key: str
    name: str
    rule: RateRule
    qualities: tuple[Quality, ...]
    typical_crest: float
    """Worst second over average; a typical value, editable at each camera."""
    source: str

    def __post_init__(self) -> None:
        require_between(f"codec {self.key!r}", 1.0, 10.0, typical_crest=self.typical_crest)
        if (self.rule is RateRule.BITS_PER_PIXEL) != bool(self.qualities):
            raise BadValueError(
                f"rule is {self.rule.value} with {len(self.qualities)} qualities",
                where=f"codec {self.key!r}",
                mend="List qualities for bits_per_pixel and for no other rule",
            )

    def quality(self, key: str) -> Quality:
        """Return the quality named *key*. Raises BadValueError where there is none."""
        for quality in self.qualities:
            if quality.key == key:
                return quality
        known = ", ".join(quality.key for quality in self.qualities)
        raise BadValueError(
            f"{self.name} has no quality {key!r}", where="quality", mend=f"Use one of {known}"
        )


@dataclass(frozen=True, slots=True)
class RecordingFormat:
    """What a camera is set to: picture, codec and sound.

    Only the field that the codec's rule asks for is used: ``bit_depth`` and ``ratio`` for raw,
    ``quality`` for target rates, ``menu_bits_per_s`` for menu rates.
    """

    codec: CodecFamily
    width_px: int
    height_px: int
    frames_per_s: Fraction
    bit_depth: int = 12
    ratio: float = 1.0
    quality: str = ""
    menu_bits_per_s: float = 0.0
    audio_channels: int = 2
    container_overhead: float = 0.0

    def __post_init__(self) -> None:
        where = "format"
        require_between(where, 1, MAX_EDGE_PX, width_px=self.width_px, height_px=self.height_px)
        require_above_zero(where, frames_per_s=float(self.frames_per_s))
        require_between(where, 0, MAX_FRAMES_PER_S, frames_per_s=float(self.frames_per_s))
        require_between(where, 0, 64, audio_channels=self.audio_channels)
        require_between(where, 0, 0.2, container_overhead=self.container_overhead)
        if self.codec.rule is RateRule.RATIO_RAW:
            require_between(where, 8, 16, bit_depth=self.bit_depth)
            require_between(where, 1, 100, ratio=self.ratio)
        elif self.codec.rule is RateRule.BITS_PER_PIXEL:
            self.codec.quality(self.quality)
        else:
            require_above_zero(where, menu_bits_per_s=self.menu_bits_per_s)

    @property
    def name(self) -> str:
        """Say the format as it is said on set, for example "6144 x 3456 raw 5:1 · 25"."""
        rule = self.codec.rule
        if rule is RateRule.RATIO_RAW:
            codec = f"{self.bit_depth}-bit raw {self.ratio:g}:1"
        elif rule is RateRule.BITS_PER_PIXEL:
            codec = f"{self.codec.name} {self.codec.quality(self.quality).name}".strip()
        else:
            codec = f"{self.codec.name} {self.menu_bits_per_s / 1e6:g} Mb/s"
        rate = f"{float(self.frames_per_s):.3f}".rstrip("0").rstrip(".")
        return f"{frame_size_name(self.width_px, self.height_px)} {codec} · {rate} fps"


_FRAME_SIZES = {
    (1920, 1080): "HD",
    (2048, 1080): "2K",
    (3840, 2160): "UHD",
    (4096, 2160): "4K",
    (6144, 3456): "6K",
    (7680, 4320): "8K UHD",
    (8192, 4320): "8K",
}


def frame_size_name(width_px: int, height_px: int) -> str:
    """Return the trade's short name of a frame size, or its pixels."""
    return _FRAME_SIZES.get((width_px, height_px), f"{width_px} x {height_px}")


def video_bytes_per_s(recording: RecordingFormat) -> float:
    """Return the picture's average bytes per second, without container.

    References:
        Raw: one sample a photosite, width x height x bits x fps / ratio.
        Target-rate intra codecs: bits per pixel x pixels x fps, the published target-rate tables.
        Menu rates: as set.
    """
    pixels_per_s = recording.width_px * recording.height_px * float(recording.frames_per_s)
    if recording.codec.rule is RateRule.RATIO_RAW:
        return pixels_per_s * recording.bit_depth / recording.ratio / 8
    if recording.codec.rule is RateRule.BITS_PER_PIXEL:
        return pixels_per_s * recording.codec.quality(recording.quality).bits_per_pixel / 8
    return recording.menu_bits_per_s / 8


def audio_bytes_per_s(channels: int) -> float:
    """Return the bytes per second of uncompressed 24-bit sound at 48 kHz.

    Raises BadValueError below 0 channels.
    """
    require_not_negative("audio", channels=channels)
    return channels * AUDIO_SAMPLE_RATE_HZ * AUDIO_BITS / 8
