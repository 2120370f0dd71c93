"""The inputs of a camera: format, take, medium; typed values take any unit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtWidgets import QFormLayout, QVBoxLayout, QWidget

from vastcellar.core.errors import BadValueError
from vastcellar.core.formats import CodecFamily, RateRule, RecordingFormat
from vastcellar.core.shoot import Camera
from vastcellar.core.units import (
    NumberFormat,
    parse_duration,
    parse_frame_rate,
    parse_number,
    parse_rate,
    parse_share,
    parse_size,
)
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.inputs import Choice, QuantityField, parse_whole, plain_text

_FRAME_SIZES = ((1920, 1080), (2048, 1080), (3840, 2160), (4096, 2160), (6144, 3456), (7680, 4320))


def parse_frame_size(text: str, *, where: str = "", decimal_point: str = ".") -> tuple[int, int]:
    """Return (width, height) of "6144 x 3456" or of a name such as UHD. Raises BadValueError."""
    from vastcellar.core.formats import frame_size_name

    for size in (*_FRAME_SIZES, (8192, 4320)):
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


def _size_text(size: tuple[int, int]) -> str:
    return f"{size[0]} x {size[1]}"


class CameraForm(QWidget):
    """Shows the subject camera and edits it; what a codec doesn't ask for is hidden."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self._bench = bench
        self._numbers: NumberFormat = bench.look.numbers
        self._fields: list[tuple[QuantityField, Callable[[Camera], Any]]] = []
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(4)
        self._form = QFormLayout()
        self._form.setHorizontalSpacing(8)
        self._form.setVerticalSpacing(5)
        outer.addLayout(self._form)
        self.message = label(kind="wrong", wraps=True)
        self.message.hide()
        outer.addWidget(self.message)
        outer.addStretch(1)
        self._make_format_fields()
        self._make_take_fields()

    def _make_format_fields(self) -> None:
        numbers = self._numbers
        self._add("Name", plain_text, str, lambda c: c.name, lambda c, v: replace(c, name=v))
        self.codec = Choice("Codec")
        self.codec.chosen.connect(self._on_codec)
        self._form.addRow(label("Codec"), self.codec)
        self.quality = Choice("Quality")
        self.quality.chosen.connect(
            lambda key: self._edit(lambda c: _with_format(c, quality=key), "quality")
        )
        self._form.addRow(label("Quality"), self.quality)
        self.ratio = self._add(
            "Ratio",
            _parse_ratio,
            lambda v: f"{numbers.number(v)}:1",
            lambda c: c.recording.ratio,
            lambda c, v: _with_format(c, ratio=v),
        )
        self.bit_depth = self._add(
            "Bits a sample",
            parse_whole,
            str,
            lambda c: c.recording.bit_depth,
            lambda c, v: _with_format(c, bit_depth=v),
        )
        self.menu_rate = self._add(
            "Menu rate",
            parse_rate,
            numbers.bit_rate,
            lambda c: c.recording.menu_bits_per_s / 8,
            lambda c, v: _with_format(c, menu_bits_per_s=v * 8),
        )
        self._add(
            "Frame size",
            parse_frame_size,
            _size_text,
            lambda c: (c.recording.width_px, c.recording.height_px),
            lambda c, v: _with_format(c, width_px=v[0], height_px=v[1]),
        )
        self._add(
            "Frame rate",
            parse_frame_rate,
            lambda v: f"{numbers.frame_rate(v)} fps",
            lambda c: c.recording.frames_per_s,
            lambda c, v: _with_format(c, frames_per_s=v),
        )
        self._add(
            "Sound tracks",
            parse_whole,
            str,
            lambda c: c.recording.audio_channels,
            lambda c, v: _with_format(c, audio_channels=v),
        )

    def _make_take_fields(self) -> None:
        numbers = self._numbers
        self._add(
            "Crest factor",
            parse_number,
            numbers.number,
            lambda c: c.crest,
            lambda c, v: replace(c, crest=v),
            tip="Worst second over average: 1.0 constant rate, 1.3 long-GOP, 1.5 to 2.0 raw",
        )
        self._add(
            "Headroom",
            parse_share,
            numbers.percent,
            lambda c: c.headroom,
            lambda c, v: replace(c, headroom=v),
        )
        self._add(
            "Longest take",
            parse_duration,
            numbers.duration,
            lambda c: c.longest_take_s,
            lambda c, v: replace(c, longest_take_s=v),
            tip="The longest that can't be interrupted",
        )
        self._add(
            "Recorded a day",
            parse_duration,
            numbers.duration,
            lambda c: c.hours_a_day * 3600,
            lambda c, v: replace(c, hours_a_day=v / 3600),
        )
        self._add(
            "Medium",
            parse_size,
            numbers.size,
            lambda c: c.medium_bytes,
            lambda c, v: replace(c, medium_bytes=v),
            tip="What one card or drive holds: 1 TB, 256 GB, 1 TiB",
        )
        self._add(
            "Camera buffer",
            parse_size,
            numbers.size,
            lambda c: c.buffer_bytes,
            lambda c, v: replace(c, buffer_bytes=v),
            tip="What the camera can hold back while the medium stalls",
        )

    def _add(
        self,
        name: str,
        parse: Callable[..., Any],
        show: Callable[[Any], str],
        read: Callable[[Camera], Any],
        put: Callable[[Camera, Any], Camera],
        tip: str = "",
    ) -> QuantityField:
        field = QuantityField(name, parse, show)
        field.decimal_point = self._numbers.decimal_point
        caption = label(name)
        caption.setToolTip(tip)
        self._form.addRow(caption, field)
        self._fields.append((field, read))
        field.refused.connect(self._say)

        def take(value: Any) -> None:
            try:
                self._edit(lambda camera: put(camera, value), name.lower())
            except BadValueError as error:
                field.refuse(error)

        field.entered.connect(take)
        return field

    def _say(self, error: BadValueError | None) -> None:
        self.message.setText("" if error is None else str(error))
        self.message.setVisible(error is not None)

    def _edit(self, change: Callable[[Camera], Camera], what: str) -> None:
        camera = self._bench.subject
        if camera is not None:
            changed = change(camera)
            self._bench.document.edit_camera(changed, f"{what} of {camera.key}")

    def _on_codec(self, key: str) -> None:
        codec = self._bench.catalog.codec(key)
        self._edit(lambda camera: with_codec(camera, codec), "codec")

    def show_camera(self, camera: Camera | None) -> None:
        """Show *camera*; fields are off where there is none."""
        self.setEnabled(camera is not None)
        if camera is None:
            for field, _ in self._fields:
                field.show_value(None)
            return
        recording = camera.recording
        codecs = self._bench.catalog.codecs.values()
        self.codec.offer([(c.key, _codec_name(c)) for c in codecs], recording.codec.key)
        self.quality.offer([(q.key, q.name) for q in recording.codec.qualities], recording.quality)
        rule = recording.codec.rule
        self._form.setRowVisible(self.quality, rule is RateRule.BITS_PER_PIXEL)
        self._form.setRowVisible(self.ratio, rule is RateRule.RATIO)
        self._form.setRowVisible(self.bit_depth, rule is RateRule.RATIO)
        self._form.setRowVisible(self.menu_rate, rule is RateRule.MENU_RATE)
        for field, read in self._fields:
            field.show_value(read(camera))


def with_codec(camera: Camera, codec: CodecFamily) -> Camera:
    """Return *camera* set to *codec*, with what its rule asks for filled in sensibly."""
    before = camera.recording
    quality = before.quality if before.quality in {q.key for q in codec.qualities} else ""
    if codec.qualities and not quality:
        quality = codec.qualities[len(codec.qualities) // 2].key
    recording = RecordingFormat(
        codec=codec,
        width_px=before.width_px,
        height_px=before.height_px,
        frames_per_s=before.frames_per_s,
        bit_depth=before.bit_depth,
        ratio=before.ratio if before.ratio > 1 else 5.0,
        quality=quality,
        menu_bits_per_s=before.menu_bits_per_s or 150e6,
        audio_channels=before.audio_channels,
        container_overhead=before.container_overhead,
    )
    return replace(camera, recording=recording, crest=codec.typical_crest)


def _codec_name(codec: CodecFamily) -> str:
    if codec.rule is RateRule.RATIO:
        held = "rate" if codec.typical_crest == 1.0 else "quality"
        return f"{codec.name}, constant {held}"
    return codec.name


def _with_format(camera: Camera, **changes: Any) -> Camera:
    return replace(camera, recording=replace(camera.recording, **changes))


def _parse_ratio(text: str, *, where: str = "", decimal_point: str = ".") -> float:
    bare = text.strip().removesuffix(":1")
    return parse_number(bare, where=where, decimal_point=decimal_point)
