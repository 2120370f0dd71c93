"""The fields of a recording format; what its codec doesn't ask for is hidden."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.formats import (
    FRAME_SIZES,
    CodecFamily,
    RateRule,
    RecordingFormat,
    frame_size_name,
)
from vastcellar.core.units import (
    NumberFormat,
    parse_frame_rate,
    parse_number,
    parse_rate,
    parse_share,
)
from vastcellar.ui.widgets.field_set import FieldSet
from vastcellar.ui.widgets.inputs import parse_whole


def parse_frame_size(text: str, *, where: str = "", decimal_point: str = ".") -> tuple[int, int]:
    """Return (width, height) of "6144 x 3456" or of a name such as UHD. Raises BadValueError."""
    for size in FRAME_SIZES:
        if text.strip().lower() == frame_size_name(*size).lower():
            return size
    parts = text.lower().replace("×", "x").split("x")
    try:
        width, height = (int(part.replace(" ", "").replace("\u202f", "")) for part in parts)
    except ValueError:
        raise BadValueError(
            f"{text.strip()!r} is not a frame size",
            where=where,
            mend="Write width x height in pixels, for example 3840 x 2160, or a name such as UHD",
        ) from None
    return width, height


def parse_ratio(text: str, *, where: str = "", decimal_point: str = ".") -> float:
    """Return 5 for "5:1" or "5". Raises BadValueError."""
    bare = text.strip().removesuffix(":1")
    return parse_number(bare, where=where, decimal_point=decimal_point, asks_back=True)


class FormatFields(FieldSet):
    """Shows a RecordingFormat and hands back the changed one."""

    def __init__(self, catalog: Callable[[], Catalog], numbers: NumberFormat) -> None:
        super().__init__(numbers)
        self._catalog = catalog
        self.codec = self.add_choice(
            "Codec",
            lambda _: [(c.key, codec_name(c)) for c in catalog().codecs.values()],
            lambda f: f.codec.key,
            lambda f, key: with_codec(f, catalog().codec(key)),
        )
        self.quality = self.add_choice(
            "Quality",
            lambda f: [(q.key, q.name) for q in f.codec.qualities],
            lambda f: f.quality,
            lambda f, key: replace(f, quality=key),
        )
        self.sampling = self.add_choice(
            "Sampling",
            lambda f: [(s, s) for s in f.codec.samplings],
            lambda f: f.sampling or next(iter(f.codec.samplings), ""),
            lambda f, key: replace(f, sampling=key),
        )
        self.ratio = self.add(
            "Ratio",
            parse_ratio,
            lambda v: f"{numbers.number(v)}:1",
            lambda f: f.ratio,
            lambda f, v: replace(f, ratio=v),
        )
        self.bit_depth = self.add(
            "Bits a sample",
            parse_whole,
            str,
            lambda f: f.bit_depth,
            lambda f, v: replace(f, bit_depth=v),
        )
        self.menu_rate = self.add(
            "Menu rate",
            parse_rate,
            numbers.bit_rate,
            lambda f: f.menu_bits_per_s / 8,
            lambda f, v: replace(f, menu_bits_per_s=v * 8),
        )
        self.add(
            "Frame size",
            parse_frame_size,
            lambda size: f"{size[0]} x {size[1]}",
            lambda f: (f.width_px, f.height_px),
            lambda f, v: replace(f, width_px=v[0], height_px=v[1]),
        )
        self.add(
            "Frame rate",
            parse_frame_rate,
            lambda v: f"{numbers.frame_rate(v)} fps",
            lambda f: f.frames_per_s,
            lambda f, v: replace(f, frames_per_s=v),
        )
        self.add(
            "Played at",
            parse_frame_rate,
            lambda v: f"{numbers.frame_rate(v)} fps",
            lambda f: f.project_frames_per_s or f.frames_per_s,
            lambda f, v: replace(f, project_frames_per_s=None if v == f.frames_per_s else v),
            tip="The project's rate where it differs: slow or fast motion",
        )
        self.add(
            "Sound tracks",
            parse_whole,
            str,
            lambda f: f.audio_channels,
            lambda f, v: replace(f, audio_channels=v),
        )
        self.add(
            "Container",
            parse_share,
            numbers.percent,
            lambda f: f.container_overhead,
            lambda f, v: replace(f, container_overhead=v),
            tip="What the file adds to picture and sound: 0.1 to 1 %",
        )

    def show_value(self, value: RecordingFormat | None) -> None:
        super().show_value(value)
        if value is None:
            return
        rule = value.codec.rule
        by_ratio = rule is RateRule.RATIO
        self.form.setRowVisible(self.quality, rule is RateRule.BITS_PER_PIXEL)
        self.form.setRowVisible(self.sampling, by_ratio and len(value.codec.samplings) > 1)
        self.form.setRowVisible(self.ratio, by_ratio)
        self.form.setRowVisible(self.bit_depth, by_ratio)
        self.form.setRowVisible(self.menu_rate, rule is RateRule.MENU_RATE)


def with_codec(before: RecordingFormat, codec: CodecFamily) -> RecordingFormat:
    """Return *before* in *codec*, with what its rule asks for filled in sensibly."""
    quality = before.quality if before.quality in {q.key for q in codec.qualities} else ""
    if codec.qualities and not quality:
        quality = codec.qualities[len(codec.qualities) // 2].key
    menu = before.menu_bits_per_s or 150e6
    if codec.menu_high_bits_per_s:
        menu = min(max(menu, codec.menu_low_bits_per_s), codec.menu_high_bits_per_s)
    is_same_kind = before.codec.rule is codec.rule and before.ratio > 1
    return replace(
        before,
        codec=codec,
        ratio=before.ratio if is_same_kind else codec.typical_ratio,
        sampling=before.sampling if before.sampling in codec.samplings else "",
        quality=quality,
        menu_bits_per_s=menu,
    )


def codec_name(codec: CodecFamily) -> str:
    """Return the codec's name, and what it holds constant where only that tells two apart."""
    if codec.rule is RateRule.RATIO and codec.name == "raw":
        held = "rate" if codec.is_exact else "quality"
        return f"{codec.name}, constant {held}"
    return codec.name
