"""Recording formats: how many bytes a second a camera's picture and sound make."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.units import MOST_FRAMES_PER_S

AUDIO_SAMPLE_RATE_HZ = 48_000
AUDIO_BITS = 24

# Beyond these no camera records; a figure past them is a slip of the hand.
MAX_EDGE_PX = 20_000
MAX_FRAMES_PER_S = MOST_FRAMES_PER_S
MAX_VIDEO_BYTES_PER_S = 20e9
"""The fastest link of the catalog carries half of this."""

SAMPLES_A_PIXEL = {"raw": 1.0, "4:2:0": 1.5, "4:2:2": 2.0, "4:4:4": 3.0, "4:4:4:4": 4.0}
"""By sampling, as ITU-R BT.601 counts it; raw has one sample a photosite."""


class RateRule(StrEnum):
    """How a codec family's rate follows from the picture."""

    RATIO = "ratio"
    """Samples times bits, divided by a compression ratio."""
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
    samplings: tuple[str, ...] = ("raw",)
    """Which samplings a codec by ratio takes, the usual one first."""
    typical_ratio: float = 5.0
    easy_share: float = 1.0
    hard_share: float = 1.0
    """Average of an easy and of a hard picture over the nominal one (typical); 1 where held."""
    menu_low_bits_per_s: float = 0.0
    menu_high_bits_per_s: float = 0.0
    """What cameras' menus offer; 0 where that isn't known."""
    gop_frames: int = 1
    """Frames from one whole picture to the next (typical); 1 where every frame is whole."""
    is_exact: bool = False
    """Whether the rate is arithmetic, and not a target that the encoder steers for."""

    def __post_init__(self) -> None:
        where = f"codec {self.key!r}"
        require_between(where, 1.0, 10.0, typical_crest=self.typical_crest)
        require_between(where, 0.05, 1.0, easy_share=self.easy_share)
        require_between(where, 1.0, 5.0, hard_share=self.hard_share)
        require_between(where, 1.0, 100.0, typical_ratio=self.typical_ratio)
        require_between(where, 1, 1000, gop_frames=self.gop_frames)
        require_not_negative(where, menu_low_bits_per_s=self.menu_low_bits_per_s)
        if self.menu_high_bits_per_s < self.menu_low_bits_per_s:
            raise BadValueError(
                f"its menu ends at {self.menu_high_bits_per_s:g} b/s, below its start",
                where=where,
                mend="Give menu_high_bits_per_s at or above menu_low_bits_per_s",
            )
        for sampling in self.samplings:
            _samples_a_pixel(sampling, where)
        if self.rule is RateRule.RATIO and not self.samplings:
            raise BadValueError("it has no sampling", where=where, mend="List its samplings")
        if (self.rule is RateRule.BITS_PER_PIXEL) != bool(self.qualities):
            raise BadValueError(
                f"rule is {self.rule.value} with {len(self.qualities)} qualities",
                where=where,
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

    Only the fields that the codec's rule asks for are used: ``bit_depth``, ``ratio`` and
    ``sampling`` by ratio, ``quality`` for target rates, ``menu_bits_per_s`` for menu rates.
    ``project_frames_per_s`` is what it is played at where that differs from what is recorded.
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
    sampling: str = ""
    """"" for the usual one of the codec."""
    project_frames_per_s: Fraction | None = None

    def __post_init__(self) -> None:
        where = "format"
        require_between(where, 1, MAX_EDGE_PX, width_px=self.width_px, height_px=self.height_px)
        require_above_zero(where, frames_per_s=float(self.frames_per_s))
        require_between(where, 0, MAX_FRAMES_PER_S, frames_per_s=float(self.frames_per_s))
        require_between(where, 0, 64, audio_channels=self.audio_channels)
        require_between(where, 0, 0.2, container_overhead=self.container_overhead)
        if self.project_frames_per_s is not None:
            require_above_zero(where, project_frames_per_s=float(self.project_frames_per_s))
        self._check_rule(where)
        video = video_bytes_per_s(self)
        if video > MAX_VIDEO_BYTES_PER_S:
            raise BadValueError(
                f"this picture makes {video / 1e9:,.1f} GB/s; no recorder takes over "
                f"{MAX_VIDEO_BYTES_PER_S / 1e9:g} GB/s",
                where=where,
                mend="Check frame size, frame rate and compression",
            )

    def _check_rule(self, where: str) -> None:
        codec = self.codec
        if codec.rule is RateRule.RATIO:
            require_between(where, 8, 16, bit_depth=self.bit_depth)
            require_between(where, 1, 100, ratio=self.ratio)
            if self.sampling and self.sampling not in codec.samplings:
                raise BadValueError(
                    f"{codec.name} has no sampling {self.sampling!r}",
                    where="sampling",
                    mend=f"Use one of {', '.join(codec.samplings)}",
                )
        elif codec.rule is RateRule.BITS_PER_PIXEL:
            codec.quality(self.quality)
        else:
            require_above_zero(where, menu_bits_per_s=self.menu_bits_per_s)
            low, high = codec.menu_low_bits_per_s, codec.menu_high_bits_per_s
            if high and not low <= self.menu_bits_per_s <= high:
                raise BadValueError(
                    f"{codec.name} at {self.menu_bits_per_s / 1e6:g} Mb/s: menus offer "
                    f"{low / 1e6:g} to {high / 1e6:g} Mb/s",
                    where="menu rate",
                    mend="Check for bits and bytes, a factor of 8, or choose another codec",
                )

    @property
    def samples_a_pixel(self) -> float:
        """Samples a pixel that a codec by ratio starts from."""
        return SAMPLES_A_PIXEL[self.sampling or self.codec.samplings[0]]

    @property
    def slow_factor(self) -> float:
        """How many times longer it plays than it took; 1 at normal speed."""
        project = self.project_frames_per_s
        return float(self.frames_per_s / project) if project else 1.0

    @property
    def name(self) -> str:
        """Say the format as it is said on set, for example "6144 x 3456 raw 5:1 · 25"."""
        rule = self.codec.rule
        if rule is RateRule.RATIO:
            sampling = self.sampling or self.codec.samplings[0]
            sampled = "" if sampling == "raw" else f" {sampling}"
            codec = f"{self.bit_depth}-bit {self.codec.name}{sampled} {self.ratio:g}:1"
        elif rule is RateRule.BITS_PER_PIXEL:
            codec = f"{self.codec.name} {self.codec.quality(self.quality).name}".strip()
        else:
            codec = f"{self.codec.name} {self.menu_bits_per_s / 1e6:g} Mb/s"
        rate = _frame_rate_name(self.frames_per_s)
        if self.project_frames_per_s and self.project_frames_per_s != self.frames_per_s:
            rate += f" in {_frame_rate_name(self.project_frames_per_s)}"
        return f"{frame_size_name(self.width_px, self.height_px)} {codec} · {rate} fps"


def _frame_rate_name(frames_per_s: Fraction) -> str:
    return f"{float(frames_per_s):.3f}".rstrip("0").rstrip(".")


def _samples_a_pixel(sampling: str, where: str) -> float:
    try:
        return SAMPLES_A_PIXEL[sampling]
    except KeyError:
        raise BadValueError(
            f"there is no sampling {sampling!r}",
            where=where,
            mend=f"Use one of {', '.join(SAMPLES_A_PIXEL)}",
        ) from None


FRAME_SIZES = {
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
    return FRAME_SIZES.get((width_px, height_px), f"{width_px} x {height_px}")


def video_bytes_per_s(recording: RecordingFormat) -> float:
    """Return the picture's average bytes per second, without container.

    References:
        By ratio: width x height x samples a pixel x bits x fps / ratio; raw has one sample a
        photosite.
        Target-rate intra codecs: bits per pixel x pixels x fps, the published target-rate tables.
        Menu rates: as set.
    """
    pixels_per_s = recording.width_px * recording.height_px * float(recording.frames_per_s)
    if recording.codec.rule is RateRule.RATIO:
        bits_per_s = pixels_per_s * recording.samples_a_pixel * recording.bit_depth
        return bits_per_s / recording.ratio / 8
    if recording.codec.rule is RateRule.BITS_PER_PIXEL:
        return pixels_per_s * recording.codec.quality(recording.quality).bits_per_pixel / 8
    return recording.menu_bits_per_s / 8


def audio_bytes_per_s(channels: int) -> float:
    """Return the bytes per second of uncompressed 24-bit sound at 48 kHz.

    Raises BadValueError below 0 channels.
    """
    require_not_negative("audio", channels=channels)
    return channels * AUDIO_SAMPLE_RATE_HZ * AUDIO_BITS / 8
