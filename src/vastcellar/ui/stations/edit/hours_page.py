"""The hours of the editors: who works when, at what, and how busy that keeps the store."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from vastcellar.core.errors import VastCellarError
from vastcellar.core.shoot.edit_plan import Editor
from vastcellar.core.units import parse_rate, parse_time_of_day
from vastcellar.services.edit.edit_wording import busiest_line
from vastcellar.services.edit.stores import desks_of, next_editor
from vastcellar.ui.look import Look
from vastcellar.ui.models.edit_desk import EditDesk
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.edit.hours_view import HoursView
from vastcellar.ui.stations.edit.stream_choice import (
    OWN,
    stream_by_key,
    stream_key,
    stream_offers,
)
from vastcellar.ui.widgets.cards import OneLine, card, label, row
from vastcellar.ui.widgets.inputs import (
    Choice,
    QuantityField,
    or_nothing,
    parse_whole,
    plain_text,
)

_DAY_S = 24 * 3600.0
_AS_PLANNED = ""
_MOST_ROWS_SHOWN = 4
_ROW_PX = 36


class EditorRow(QWidget):
    """One editor as fields; hands back the changed one."""

    edited = Signal(object, str)  # Editor, what was done
    removed = Signal()
    refused = Signal(object)

    def __init__(self, look: Look) -> None:
        super().__init__()
        numbers = look.numbers
        self._editor = Editor("editor")
        self.name = QuantityField("Name of the editor", plain_text, str)
        self.streams = QuantityField("Streams", parse_whole, str)
        self.stream = Choice("Plays")
        self.sound = QuantityField("Sound tracks", parse_whole, str)
        self.renders = QuantityField(
            "Renders", or_nothing(parse_rate, "nothing", "none"),
            lambda rate: numbers.rate(rate, 0) if rate else "nothing",
        )  # fmt: skip
        self.start = QuantityField("Comes", parse_time_of_day, numbers.time_of_day)
        self.end = QuantityField("Goes", parse_time_of_day, _until(numbers.time_of_day))
        self.remove = QPushButton("Remove")
        self.sound.setToolTip("Files of sound of their own that play along, as a mix has them")
        self.renders.setToolTip("Renders, exports and caches that this desk writes meanwhile")
        self.end.setToolTip("A time before the start is the next morning's")
        for field, width in ((self.name, 100), (self.streams, 34), (self.sound, 40),
                             (self.renders, 72), (self.start, 54), (self.end, 54)):  # fmt: skip
            field.setFixedWidth(width)
            field.decimal_point = numbers.decimal_point
            field.refused.connect(self.refused)
        self.stream.setMinimumWidth(120)
        self.setLayout(
            row(self.name, label("from", "soft"), self.start, label("to", "soft"), self.end,
                label("plays", "soft"), self.streams, label("of", "soft"), self.stream,
                label("sound", "soft"), self.sound, label("renders", "soft"), self.renders,
                self.remove, spacing=6)
        )  # fmt: skip
        self.name.entered.connect(lambda text: self._edit("name", name=text))
        self.streams.entered.connect(lambda count: self._edit("streams", streams=count))
        self.sound.entered.connect(lambda count: self._edit("sound", sound_tracks=count))
        self.renders.entered.connect(lambda rate: self._edit("renders", write_bytes_per_s=rate))
        self.start.entered.connect(lambda at_s: self._hours(at_s, self._editor.end_s))
        self.end.entered.connect(lambda at_s: self._hours(self._editor.start_s, at_s))
        self.stream.chosen.connect(self._on_stream)
        self.remove.clicked.connect(self.removed)

    def show_editor(self, editor: Editor, offers: list[tuple[str, str]], as_planned: str) -> None:
        """Show *editor*; *offers* are the streams that cameras record."""
        self._editor = editor
        self.name.show_value(editor.name)
        self.start.show_value(editor.start_s)
        self.end.show_value(editor.end_s)
        self.streams.show_value(editor.streams)
        self.sound.show_value(editor.sound_tracks)
        self.renders.show_value(editor.write_bytes_per_s)
        own = []
        if editor.stream and not editor.stream.camera_key:
            own = [(OWN, editor.stream.name or "a rate of its own")]
        key = stream_key(editor.stream) if editor.stream else _AS_PLANNED
        self.stream.offer([(_AS_PLANNED, as_planned), *offers, *own], key)

    def _on_stream(self, key: str) -> None:
        if key != OWN:
            self._edit("stream", stream=stream_by_key(key) if key else None)

    def _hours(self, start_s: float, end_s: float) -> None:
        """Take hours that may go past midnight."""
        end_s = end_s % _DAY_S if end_s > _DAY_S else end_s
        self._edit("hours", start_s=start_s, end_s=end_s + (_DAY_S if end_s <= start_s else 0.0))

    def _edit(self, told: str, **changes: object) -> None:
        try:
            changed = replace(self._editor, **changes)  # type: ignore[arg-type]
        except VastCellarError as error:
            self.refused.emit(error)
            return
        self.edited.emit(changed, f"{told} of {self._editor.name}")


def _until(shown: Callable[[float], str]) -> Callable[[float], str]:
    """Show a time past midnight as the clock then shows it."""
    return lambda at_s: shown(at_s - _DAY_S if at_s > _DAY_S else at_s)


class HoursPage(QWidget):
    """The day of the editors above, their fields below."""

    def __init__(self, workbench: Workbench, desk: EditDesk) -> None:
        super().__init__()
        self._workbench, self._desk = workbench, desk
        self.view, self.told = HoursView(workbench.look), OneLine()
        self.rows: list[EditorRow] = []
        self.add_button = QPushButton("Add an editor")
        self._rows_layout = QVBoxLayout()
        self._rows_layout.setContentsMargins(0, 0, 0, 0)
        self._rows_layout.setSpacing(4)
        holder = QWidget()
        holder.setLayout(self._rows_layout)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setWidget(holder)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        frame, inside = card()
        head = label("Hours", "head")
        inside.addLayout(row(head, self.told, spacing=10, stretch_last=True))
        inside.addWidget(self.view, 1)
        layout.addWidget(frame, 1)
        layout.addWidget(self._scroll)
        foot = QHBoxLayout()
        foot.addWidget(self.add_button)
        foot.addStretch(1)
        layout.addLayout(foot)
        self.add_button.clicked.connect(self._add)
        self.view.asked.connect(workbench.sum_asked)
        workbench.document.changed.connect(self.show_forms)

    def refresh(self) -> None:
        """Show the editors of the plan, and how busy they keep the chosen store."""
        planned, plan = self._desk.planned, self._desk.plan
        chosen = planned.chosen if planned else None
        shoot = self._workbench.document.shoot
        try:
            desks = desks_of(plan, shoot) if chosen else ()
        except VastCellarError:
            desks = ()  # said above: there is no plan then
        self.view.show_store(chosen, desks)
        line = busiest_line(chosen, self._workbench.look.numbers) if chosen else ""
        self.told.setText(line)
        self.told.setToolTip(line)
        self.show_forms()

    def show_forms(self) -> None:
        """Give each editor a row of fields."""
        editors = self._desk.plan.editors
        while len(self.rows) > len(editors):
            gone = self.rows.pop()
            self._rows_layout.removeWidget(gone)
            gone.deleteLater()
        while len(self.rows) < len(editors):
            self._add_row(len(self.rows))
        shoot = self._workbench.document.shoot
        offers = stream_offers(shoot)
        as_planned = self._desk.plan.stream.name or "as on the ladder"
        for made, editor in zip(self.rows, editors, strict=True):
            made.show_editor(editor, offers, as_planned)
        shown = min(len(editors), _MOST_ROWS_SHOWN)
        self._scroll.setFixedHeight(shown * _ROW_PX)
        self._scroll.setVisible(bool(editors))

    def _add_row(self, number: int) -> None:
        made = EditorRow(self._workbench.look)
        made.edited.connect(lambda editor, told: self._put(number, editor, told))
        made.removed.connect(lambda: self._take_out(number))
        made.refused.connect(self._on_refused)
        self.rows.append(made)
        self._rows_layout.addWidget(made)

    def _on_refused(self, error: object) -> None:
        if error is not None:
            self._workbench.trouble.emit(error)
            self.show_forms()

    def _add(self) -> None:
        plan = self._desk.plan
        self._give((*plan.editors, next_editor(plan)), "an editor")

    def _put(self, number: int, editor: Editor, told: str) -> None:
        editors = self._desk.plan.editors
        self._give((*editors[:number], editor, *editors[number + 1 :]), told)

    def _take_out(self, number: int) -> None:
        editors = self._desk.plan.editors
        self._give((*editors[:number], *editors[number + 1 :]), f"no {editors[number].name}")

    def _give(self, editors: tuple[Editor, ...], told: str) -> None:
        try:
            plan = replace(self._desk.plan, editors=editors)
        except VastCellarError as error:
            self._workbench.trouble.emit(error)
            self.show_forms()
            return
        self._desk.edit(plan, told)
