"""The inputs of a camera, in sections: preset, format, takes, medium, second stream, clips."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.formats import RecordingFormat
from vastcellar.core.shoot.guarantees import GUARANTEES
from vastcellar.core.shoot.roll_patterns import PATTERN_WORDS, RollPattern
from vastcellar.core.shoot.shoot import Camera, SecondStream
from vastcellar.core.units import (
    NumberFormat,
    parse_duration,
    parse_number,
    parse_share,
    parse_size,
)
from vastcellar.services.shoot.shoots import set_to_preset
from vastcellar.ui.stations.shoot.format_fields import FormatFields
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.field_set import FieldSet, Section
from vastcellar.ui.widgets.inputs import parse_whole, plain_text

_OWN_SETTING = "own"
_PROXY_BITS_PER_S = 12e6


class CameraForm(QWidget):
    """Shows a camera and hands back the changed one; what it is kept in is others' affair."""

    edited = Signal(object, str)  # the changed Camera, and what was changed
    clip_asked = Signal()
    folder_asked = Signal()
    own_format_asked = Signal()

    def __init__(self, catalog: Callable[[], Catalog], numbers: NumberFormat) -> None:
        super().__init__()
        self._catalog, self._numbers = catalog, numbers
        self._camera: Camera | None = None
        self.day = 1
        """The day that "This day" is about."""
        self.message = label(kind="wrong", wraps=True)
        self.message.hide()
        self._sets: list[FieldSet] = []
        self.format = FormatFields(catalog, numbers)
        self.second_format = FormatFields(catalog, numbers)
        self.own_format_button = QPushButton("Codec of your own…")
        self.own_format_button.setObjectName("link")
        self.own_format_button.clicked.connect(self.own_format_asked)
        self.format.form.addRow("", self.own_format_button)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 4, 0)
        outer.setSpacing(4)
        outer.addWidget(self._whole(self._name_set()))
        outer.addWidget(Section("Format", self.format))
        outer.addWidget(Section("Takes and days", self._whole(self._take_set())))
        outer.addWidget(Section("Need and medium", self._whole(self._medium_set())))
        self.media_line = label(kind="soft", wraps=True)
        outer.addWidget(self.media_line)
        self.second_section = Section("Second stream", self._second_widget(), is_open=False)
        outer.addWidget(self.second_section)
        self.clips_section = Section("Measured from clips", self._clips_widget(), is_open=False)
        outer.addWidget(self.clips_section)
        outer.addStretch(1)
        self.format.edited.connect(self._on_format)
        self.second_format.edited.connect(self._on_second_format)
        for fields in (self.format, self.second_format, *self._sets):
            fields.refused.connect(self._say)

    def _whole(self, fields: FieldSet) -> FieldSet:
        """Take up a set of fields whose value is the camera itself."""
        self._sets.append(fields)
        fields.edited.connect(self.edited)
        return fields

    def _name_set(self) -> FieldSet:
        fields = FieldSet(self._numbers)
        self.preset = fields.add_choice("Preset", self._presets, self._preset_key, self._put_preset)
        fields.add("Name", plain_text, str, lambda c: c.name, lambda c, v: replace(c, name=v))
        return fields

    def _presets(self, camera: Camera) -> Iterable[tuple[str, str]]:
        """Offer every preset of every model, those of this camera's model first."""
        models = sorted(
            self._catalog().cameras.values(), key=lambda m: (m.name != camera.model, m.name == "")
        )
        if self._preset_key(camera) == _OWN_SETTING:
            yield _OWN_SETTING, f"{camera.model or 'any camera'}, own setting"
        for model in models:
            yield "-", ""
            for preset in model.presets:
                yield f"{model.key}/{preset.name}", f"{model.name or 'Any camera'} · {preset.name}"

    def _preset_key(self, camera: Camera) -> str:
        catalog = self._catalog()
        for model in catalog.cameras.values():
            if model.name != camera.model:
                continue
            for preset in model.presets:
                if preset.recording(catalog.codec(preset.codec)) == camera.recording:
                    return f"{model.key}/{preset.name}"
        return _OWN_SETTING

    def _put_preset(self, camera: Camera, key: str) -> Camera:
        if key == _OWN_SETTING:
            return camera
        model_key, _, preset = key.partition("/")
        return set_to_preset(camera, self._catalog(), model_key, preset)

    def _take_set(self) -> FieldSet:
        numbers = self._numbers
        fields = FieldSet(numbers)
        fields.add_choice(
            "Rolls as",
            lambda _: [(p.value, f"{p.value}: {PATTERN_WORDS[p]}") for p in RollPattern],
            lambda c: c.pattern.value,
            lambda c, key: replace(c, pattern=RollPattern(key)),
        )
        fields.add(
            "Longest take",
            parse_duration,
            numbers.duration,
            lambda c: c.longest_take_s,
            lambda c, v: replace(c, longest_take_s=v),
            tip="The longest that can't be interrupted",
        )
        fields.add(
            "It falls on",
            _parse_day,
            lambda day: f"day {day}" if day else "every day",
            lambda c: c.longest_on_day,
            lambda c, v: replace(c, longest_on_day=v),
            tip="A day, or every day",
        )
        fields.add(
            "Recorded a day",
            parse_duration,
            numbers.duration,
            lambda c: c.hours_a_day * 3600,
            lambda c, v: replace(c, hours_a_day=v / 3600),
        )
        self.this_day = fields.add(
            "This day",
            parse_duration,
            numbers.duration,
            lambda c: c.hours_on(self.day) * 3600,
            lambda c, v: c.with_hours_on(self.day, v / 3600),
            tip="Only the day that the ribbons show",
        )
        return fields

    def _medium_set(self) -> FieldSet:
        numbers = self._numbers
        fields = FieldSet(numbers)
        fields.add(
            "Crest factor",
            parse_number,
            numbers.number,
            lambda c: c.crest,
            lambda c, v: replace(c, crest=v),
            tip="Worst second over average: 1.0 constant rate, 1.3 long-GOP, 1.5 to 2.0 raw",
        )
        fields.add(
            "Headroom",
            parse_share,
            numbers.percent,
            lambda c: c.headroom,
            lambda c, v: replace(c, headroom=v),
        )
        fields.add(
            "Medium",
            parse_size,
            numbers.size,
            lambda c: c.medium_bytes,
            lambda c, v: replace(c, medium_bytes=v),
            tip="What one card or drive holds: 1 TB, 256 GB, 1 TiB",
        )
        fields.add_choice(
            "Class on it",
            lambda _: [("", "none"), *((g.name, g.name) for g in GUARANTEES)],
            lambda c: c.medium_guarantee,
            lambda c, key: replace(c, medium_guarantee=key),
            tip="The minimum write rate that is printed on the medium",
        )
        fields.add(
            "Camera buffer",
            parse_size,
            numbers.size,
            lambda c: c.buffer_bytes,
            lambda c, v: replace(c, buffer_bytes=v),
            tip="What the camera can hold back while the medium stalls",
        )
        fields.add(
            "Stops after",
            _or_never(parse_duration, 0.0),
            lambda v: numbers.duration(v) if v else "never",
            lambda c: c.limits.longest_clip_s,
            lambda c, v: replace(c, limits=replace(c.limits, longest_clip_s=v)),
            tip="Some cameras end a clip by themselves, for example after 29 min 59 s",
        )
        fields.add(
            "Splits files at",
            _or_never(parse_size, 0),
            lambda v: numbers.binary_size(v) if v else "never",
            lambda c: c.limits.split_bytes,
            lambda c, v: replace(c, limits=replace(c.limits, split_bytes=float(v))),
            tip="4 GiB on FAT32",
        )
        return fields

    def _second_widget(self) -> QWidget:
        fields = self._whole(FieldSet(self._numbers))
        fields.add_choice(
            "Beside it",
            lambda _: [
                ("none", "nothing"),
                ("same", "a second stream, same medium"),
                ("own", "a second stream, own medium"),
            ],
            _second_key,
            self._put_second,
        )
        widget = QWidget()
        layout = QVBoxLayout(widget)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(fields)
        layout.addWidget(self.second_format)
        return widget

    def _put_second(self, camera: Camera, key: str) -> Camera:
        if key == "none":
            return replace(camera, second=None)
        is_same = key == "same"
        if camera.second is not None:
            return replace(camera, second=replace(camera.second, is_on_same_medium=is_same))
        codec = self._catalog().codec("h264-long")
        proxy = RecordingFormat(
            codec,
            1920,
            1080,
            camera.recording.frames_per_s,
            menu_bits_per_s=_PROXY_BITS_PER_S,
            audio_channels=0,
        )
        return replace(camera, second=SecondStream(proxy, codec.typical_crest, is_same))

    def _clips_widget(self) -> QWidget:
        self.clips_line = label(kind="soft", wraps=True)
        self._clips_said_of: object = None
        self.clip_button = QPushButton("A clip…")
        self.folder_button = QPushButton("A folder…")
        self.forget_button = QPushButton("Forget")
        self.clip_button.clicked.connect(self.clip_asked)
        self.folder_button.clicked.connect(self.folder_asked)
        self.forget_button.clicked.connect(self._forget_clips)
        widget = QWidget()
        layout = QVBoxLayout(widget)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.clips_line)
        layout.addLayout(row(self.clip_button, self.folder_button, self.forget_button, spacing=6))
        return widget

    def _forget_clips(self) -> None:
        if self._camera is not None:
            self.edited.emit(replace(self._camera, measured=None), "measured rate")

    def _on_format(self, recording: RecordingFormat, what: str) -> None:
        camera = self._camera
        if camera is None:
            return
        crest = camera.crest
        if recording.codec.key != camera.recording.codec.key:
            crest = recording.codec.typical_crest
        self.edited.emit(replace(camera, recording=recording, crest=crest), what)

    def _on_second_format(self, recording: RecordingFormat, what: str) -> None:
        camera = self._camera
        if camera is not None and camera.second is not None:
            crest = recording.codec.typical_crest
            second = replace(camera.second, recording=recording, crest=crest)
            self.edited.emit(replace(camera, second=second), f"second stream's {what}")

    def _say(self, error: VastCellarError | None) -> None:
        self.message.setText("" if error is None else str(error))
        self.message.setVisible(error is not None)

    def show_camera(self, camera: Camera | None) -> None:
        """Show *camera*; fields are off where there is none."""
        self._camera = camera
        self.setEnabled(camera is not None)
        for fields in self._sets:
            fields.show_value(camera)
        self.format.show_value(camera.recording if camera else None)
        second = camera.second if camera else None
        self.second_format.setVisible(second is not None)
        self.second_format.show_value(second.recording if second else None)
        if _clips_of(camera) != self._clips_said_of:
            self.show_clips(camera)
        media = camera.limits.media if camera else ()
        taken = [f"{m.name} ({m.guarantee})" if m.guarantee else m.name for m in media]
        self.media_line.setText(f"Takes {', '.join(taken)}." if taken else "")
        self.media_line.setVisible(bool(taken))
        self.forget_button.setEnabled(camera is not None and camera.measured is not None)

    def show_clips(self, camera: Camera | None) -> None:
        """Say what the clips of *camera* came to."""
        self.say_of_clips(camera, self._clips_text(camera))

    def say_of_clips(self, camera: Camera | None, text: str) -> None:
        """Say *text* of the clips of *camera*: it stands until these or the format change."""
        self._clips_said_of = _clips_of(camera)
        self.clips_line.setText(text)

    def _clips_text(self, camera: Camera | None) -> str:
        measured: Any = camera.measured if camera else None
        if camera is None or measured is None:
            return "Clips of this camera and format give its true rate, and prove it."
        numbers = self._numbers
        clips = "1 clip" if measured.clips == 1 else f"{measured.clips} clips"
        text = (
            f"{clips}, {numbers.duration(measured.seconds)}: "
            f"{numbers.rate(measured.average_bytes_per_s)}, worst second "
            f"{numbers.rate(measured.worst_second_bytes_per_s)}."
        )
        if not measured.answers_for(camera.recording):
            text += " It doesn't answer for the format set now."
        return text


def _second_key(camera: Camera) -> str:
    if camera.second is None:
        return "none"
    return "same" if camera.second.is_on_same_medium else "own"


def _parse_day(text: str, *, where: str = "", decimal_point: str = ".") -> int:
    """Read "day 6", "6" or "every day" (0)."""
    bare = text.strip().lower()
    if bare in ("", "every day", "every", "any", "any day"):
        return 0
    return parse_whole(bare.removeprefix("day"), where=where, decimal_point=decimal_point)


def _or_never(parse: Callable[..., Any], never: Any) -> Callable[..., Any]:
    """Return *parse*, which also takes "never" or nothing."""

    def read(text: str, *, where: str = "", decimal_point: str = ".") -> Any:
        if text.strip().lower() in ("", "never", "0"):
            return never
        return parse(text, where=where, decimal_point=decimal_point)

    return read


def _clips_of(camera: Camera | None) -> object:
    return (camera.key, camera.recording, camera.measured) if camera else ()
