"""What is asked of the store as fields: which stream, how many, how far ahead, which cut."""

from __future__ import annotations

import contextlib
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QPushButton, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.shoot.edit_plan import Beside, EditPlan, StreamSetup
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.units import parse_duration, parse_rate
from vastcellar.services.edit.stores import load_of, stream_of, wanted_of
from vastcellar.ui.look import Look
from vastcellar.ui.stations.edit.stream_choice import (
    OWN,
    stream_by_key,
    stream_key,
    stream_offers,
)
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.inputs import Choice, QuantityField, or_nothing, parse_whole

_RENDER = "render"


class LoadForm(QWidget):
    """Shows what the plan asks for and hands back the changed plan."""

    edited = Signal(object, str)  # EditPlan, what was done
    refused = Signal(object)

    def __init__(self, look: Look) -> None:
        super().__init__()
        numbers = look.numbers
        self._plan = EditPlan()
        self._shoot: Shoot | None = None
        self._folder: Path | None = None
        self.stream = Choice("Stream")
        self.rate = QuantityField("Its rate", parse_rate, lambda rate: numbers.rate(rate, 1))
        self.streams = QuantityField("Streams wanted", parse_whole, str)
        self.ahead = QuantityField("Read ahead", parse_duration, numbers.duration)
        self.desks = QuantityField("Desks", parse_whole, str)
        self.beside = QuantityField(
            "Written beside", or_nothing(parse_rate, "nothing", "none"),
            lambda rate: numbers.rate(rate, 0) if rate else "nothing",
        )  # fmt: skip
        self.cut_button, self.no_cut_button = QPushButton("Cut …"), QPushButton("No cut")
        for field, width in ((self.rate, 86), (self.streams, 34), (self.ahead, 52),
                             (self.desks, 34), (self.beside, 72)):  # fmt: skip
            field.setFixedWidth(width)
            field.decimal_point = numbers.decimal_point
            field.refused.connect(self.refused)
        self.stream.setMinimumWidth(150)
        self.cut_button.setToolTip("A timeline in OpenTimelineIO's format: what is really played")
        self.beside.setToolTip("Renders and caches that are written while the streams play")
        self.setLayout(
            row(label("plays", "soft"), self.streams, label("of", "soft"), self.stream, self.rate,
                label("ahead", "soft"), self.ahead, label("desks", "soft"), self.desks,
                label("renders", "soft"), self.beside, self.cut_button, self.no_cut_button,
                spacing=6)
        )  # fmt: skip
        self.stream.chosen.connect(self._on_stream)
        self.rate.entered.connect(self._on_rate)
        self.streams.entered.connect(lambda count: self._edit("streams", streams=count))
        self.ahead.entered.connect(lambda value: self._edit("read-ahead", read_ahead_s=value))
        self.desks.entered.connect(lambda count: self._edit("desks", desks=count))
        self.beside.entered.connect(self._on_beside)
        self.cut_button.clicked.connect(self._ask_cut)
        self.no_cut_button.clicked.connect(lambda: self._edit("no cut", timeline=""))

    def show_plan(self, plan: EditPlan, shoot: Shoot, folder: Path | None) -> None:
        """Show *plan*; streams are offered as the cameras of *shoot* record them."""
        self._plan, self._shoot, self._folder = plan, shoot, folder
        self.setVisible(bool(plan.stores))
        stream = plan.stream
        key = stream_key(stream)
        own = stream.name if key == OWN and stream.name else "a rate of its own"
        self.stream.offer([*stream_offers(shoot), (OWN, own)], key)
        try:
            rate = stream_of(stream, shoot, plan).bytes_per_s
        except VastCellarError:
            rate = stream.bytes_per_s
        self.rate.show_value(rate)
        self._show_wanted(plan, shoot)
        self.ahead.show_value(plan.read_ahead_s)
        self.beside.show_value(sum(each.write_bytes_per_s for each in plan.beside))
        self.no_cut_button.setEnabled(bool(plan.timeline))

    def _show_wanted(self, plan: EditPlan, shoot: Shoot) -> None:
        """Show how many streams and desks are wanted: typed in, or what the editors come to."""
        streams, desks = plan.streams, plan.desks
        with contextlib.suppress(VastCellarError):  # said where the plan is shown
            streams, desks = wanted_of(plan, shoot), load_of(plan, shoot).desks
        why = "As the editors ask at their busiest: see Hours" if plan.editors else ""
        for field, value in ((self.streams, streams), (self.desks, desks)):
            field.show_value(value)
            field.setEnabled(not plan.editors)
            field.setToolTip(why)

    def _on_stream(self, key: str) -> None:
        if key == OWN:
            self._on_rate(self._plan.stream.bytes_per_s or 92.2e6)
        else:
            self._edit("stream", stream=stream_by_key(key))

    def _on_rate(self, bytes_per_s: float) -> None:
        known = self._plan.stream
        frames = known.frames_per_s
        if known.camera_key and self._shoot is not None:
            camera = self._shoot.camera(known.camera_key)
            frames = float(camera.recording.project_frames_per_s or camera.recording.frames_per_s)
        made = StreamSetup("stream", bytes_per_s=bytes_per_s, frames_per_s=frames)
        self._edit("stream", stream=made)

    def _on_beside(self, bytes_per_s: float) -> None:
        beside = (Beside(_RENDER, bytes_per_s),) if bytes_per_s else ()
        self._edit("renders beside", beside=beside)

    def _ask_cut(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(
            self, "The cut", str(self._folder or ""), "OpenTimelineIO (*.otio)"
        )
        if chosen:
            self.take_cut(Path(chosen))

    def take_cut(self, path: Path) -> None:
        """Play the cut in *path*, named from the shoot's folder where it lies beneath it."""
        folder = self._folder
        is_beside = folder is not None and path.is_relative_to(folder)
        name = str(path.relative_to(folder)) if is_beside and folder is not None else str(path)
        self._edit("cut", timeline=name)

    def _edit(self, told: str, **changes: object) -> None:
        try:
            changed = replace(self._plan, **changes)  # type: ignore[arg-type]
            stream_of(changed.stream, self._shoot, changed)
        except VastCellarError as error:
            self.refused.emit(error)
            if self._shoot is not None:
                self.show_plan(self._plan, self._shoot, self._folder)
            return
        self.edited.emit(changed, told)
