"""The station Shoot: cameras, formats and days; the need and the media appear at once."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.errors import VastCellarError
from vastcellar.core.shoot.formats import CodecFamily
from vastcellar.core.shoot.measured_rate import MeasuredRate
from vastcellar.core.shoot.needs import Need, camera_need
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.services.shoot.shoots import new_camera, next_camera_key
from vastcellar.services.words.plan_wording import warning_sentence
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.shoot.camera_form import CameraForm
from vastcellar.ui.stations.shoot.capacity_view import CapacityView
from vastcellar.ui.stations.shoot.copy_form import CopyForm
from vastcellar.ui.stations.shoot.day_ribbons import DayRibbons
from vastcellar.ui.stations.shoot.need_picture import NeedPicture
from vastcellar.ui.stations.shoot.shoot_form import ShootForm
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.figure import Figure

_CLIPS = "Clips (*.mov *.mp4 *.mxf *.mkv *.m4v *.avi *.mts *.m2ts *.ts);;All files (*)"


class ShootStation(QWidget):
    """The day and the days, drawn; the subject's need under them; its inputs beside."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self._bench = bench
        self.what_if: Camera | None = None
        """The subject as it would be; the plan stays as it is."""
        self.day = 1
        self._copy_name = ""
        self._clip_reader = Background(self)
        self._make_widgets()
        self._lay_out()
        self._connect()
        self.refresh()

    def _make_widgets(self) -> None:
        bench, look = self._bench, self._bench.look
        self.title = label(kind="title")
        self.format_line = label(kind="soft")
        self.needed = Figure(look, "need", "need", "copper_text")
        self.hour = Figure(look, "an hour", "take")
        self.medium = Figure(look, "medium lasts", "take")
        self.take = Figure(look, "longest take", "take")
        self.carry = Figure(look, "media to carry", "day")
        self.warning = label(kind="wrong")
        self.day_button = QPushButton("The day")
        self.days_button = QPushButton("The days")
        self.day_button.setToolTip("Media filling, reloads and the longest take of one day")
        self.days_button.setToolTip("Capacity over all days: material and copies")
        self.earlier = QPushButton("‹")
        self.later = QPushButton("›")
        self.earlier.setAccessibleName("the day before")
        self.later.setAccessibleName("the day after")
        self.day_label = label(kind="head")
        self.what_if_button = QPushButton("What if …")
        self.what_if_button.setCheckable(True)
        self.what_if_button.setToolTip("Try another setting as a ghost beside the plan (Ctrl+I)")
        self.take_over_button = QPushButton("Take it over")
        self.take_over_button.setObjectName("act")
        self.ribbons = DayRibbons(look)
        self.capacity = CapacityView(look)
        self.picture = NeedPicture(look, dict(bench.catalog.modes))
        self.form = CameraForm(lambda: bench.catalog, look.numbers)
        self.shoot_form = ShootForm(look.numbers)
        self.copy_form = CopyForm(lambda: bench.shelf, look.numbers)

    @property
    def _figures(self) -> tuple[Figure, ...]:
        return self.needed, self.hour, self.medium, self.take, self.carry

    # Laying out

    def _lay_out(self) -> None:
        self._pages = QStackedWidget()
        self._pages.addWidget(self._work_page())
        self._pages.addWidget(self._empty_page())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 10, 18, 10)
        layout.addWidget(self._pages)

    def _work_page(self) -> QWidget:
        page = QWidget()
        layout = QHBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(14)
        layout.addLayout(self._pictures(), 1)
        layout.addWidget(self._inputs())
        return page

    def _pictures(self) -> QVBoxLayout:
        layout = QVBoxLayout()
        layout.setSpacing(6)
        self.title.setMinimumHeight(36)  # the height of the button that comes and goes
        head = row(self.title, self.format_line, spacing=14)
        head.addWidget(self.take_over_button)
        head.addWidget(self.what_if_button)
        layout.addLayout(head)
        layout.addLayout(row(*self._figures, spacing=18))
        layout.addWidget(self.warning)
        frame, inside = card()
        inside.setContentsMargins(10, 8, 10, 6)
        inside.addLayout(self._head())
        self._views = QStackedWidget()
        self._views.addWidget(_scrolled(self.ribbons))
        self._views.addWidget(_scrolled(self.capacity))
        inside.addWidget(self._views, 1)
        layout.addWidget(frame, 5)
        self._need_card, inside = card()
        inside.setContentsMargins(14, 8, 14, 6)
        inside.addLayout(
            row(label("What stands above the need", "head"), label("holds it", "soft"))
        )
        inside.addWidget(self.picture, 1)
        layout.addWidget(self._need_card, 3)
        return layout

    def _head(self) -> QHBoxLayout:
        group = QButtonGroup(self)
        for button in (self.day_button, self.days_button):
            button.setObjectName("tab")
            button.setCheckable(True)
            group.addButton(button)
        self.day_button.setChecked(True)
        for button in (self.earlier, self.later):
            button.setFixedWidth(30)
        head = row(self.day_button, self.days_button, spacing=6)
        for widget in (self.earlier, self.day_label, self.later):
            head.addWidget(widget)
        return head

    def _inputs(self) -> QFrame:
        inputs, inside = card()
        inputs.setFixedWidth(296)
        inside.setContentsMargins(12, 10, 8, 10)
        self._forms = QStackedWidget()
        camera = QWidget()
        camera_layout = QVBoxLayout(camera)
        camera_layout.setContentsMargins(0, 0, 0, 0)
        camera_layout.addLayout(self._camera_buttons())
        self.what_if_line = label(
            "What if: these settings stand beside the plan, which stays.", "ghost", wraps=True
        )
        self.what_if_line.hide()
        camera_layout.addWidget(self.what_if_line)
        camera_layout.addWidget(_scrolled(self.form), 1)
        camera_layout.addWidget(self.form.message)
        self._forms.addWidget(camera)
        copies = QWidget()
        copies_layout = QVBoxLayout(copies)
        copies_layout.setContentsMargins(0, 0, 0, 0)
        copies_layout.addWidget(self.copy_form, 1)
        self.shoot_message = label(kind="wrong", wraps=True)
        self.shoot_message.hide()
        copies_layout.addWidget(label("Shoot", "head"))
        copies_layout.addWidget(self.shoot_form)
        copies_layout.addWidget(self.shoot_message)
        self._forms.addWidget(copies)
        inside.addWidget(self._forms, 1)
        return inputs

    def _camera_buttons(self) -> QHBoxLayout:
        self.add_button = QPushButton("Add")
        self.add_button.setToolTip("Add a camera (Ctrl+Shift+A)")
        self.add_button.setShortcut("Ctrl+Shift+A")
        self.duplicate_button = QPushButton("Duplicate")
        self.remove_button = QPushButton("Remove")
        self.add_button.clicked.connect(self.add_camera)
        self.duplicate_button.clicked.connect(self.duplicate_camera)
        self.remove_button.clicked.connect(self.remove_camera)
        return row(self.add_button, self.duplicate_button, self.remove_button, spacing=6)

    def _empty_page(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.addStretch(1)
        layout.addWidget(label("No camera yet", "title"))
        layout.addWidget(
            label("Add one: its need appears at once, and Match finds what holds it.", "soft")
        )
        button = QPushButton("Add the first camera")
        button.setObjectName("act")
        button.clicked.connect(self.add_camera)
        layout.addLayout(row(button))
        layout.addStretch(2)
        return page

    def _connect(self) -> None:
        bench = self._bench
        for figure in self._figures:
            figure.clicked.connect(bench.sum_asked)
        self.picture.asked.connect(bench.sum_asked)
        self.ribbons.asked.connect(bench.sum_asked)
        self.capacity.asked.connect(bench.sum_asked)
        self.form.edited.connect(self._on_camera)
        self.form.clip_asked.connect(self._ask_clip)
        self.form.folder_asked.connect(self._ask_clip_folder)
        self.form.own_format_asked.connect(self.ask_own_codec)
        self.shoot_form.edited.connect(self._on_shoot)
        self.shoot_form.refused.connect(self._say_of_shoot)
        self.copy_form.edited.connect(self._on_shoot)
        self.copy_form.chosen.connect(self._choose_copy)
        self.capacity.copy_chosen.connect(self._choose_copy)
        self.ribbons.camera_chosen.connect(bench.document.choose)
        self.ribbons.hours_changed.connect(self._on_hours)
        self.day_button.toggled.connect(self._show_view)
        self.earlier.clicked.connect(self._day_before)
        self.later.clicked.connect(self._day_after)
        self.what_if_button.toggled.connect(self._on_what_if)
        # A shortcut of the button's own would go with the change of its text.
        QShortcut(QKeySequence("Ctrl+I"), self, self.what_if_button.toggle)
        self.take_over_button.clicked.connect(self.take_over)
        self._clip_reader.done.connect(self._on_clips)
        self._clip_reader.failed.connect(self._on_clip_trouble)
        bench.document.changed.connect(self._show_forms)
        bench.judged.connect(self.refresh)

    # Edits

    def _on_camera(self, camera: Camera, what: str) -> None:
        if self.what_if is not None:
            self.what_if = camera
            self.refresh()
        else:
            self._bench.document.edit_camera(camera, f"{what} of {camera.key}")

    def _on_shoot(self, shoot: Shoot, what: str) -> None:
        self._bench.document.edit(shoot, what)

    def _say_of_shoot(self, error: VastCellarError | None) -> None:
        self.shoot_message.setText("" if error is None else str(error))
        self.shoot_message.setVisible(error is not None)

    def _on_hours(self, key: str, hours: float) -> None:
        document = self._bench.document
        camera = document.shoot.camera(key).with_hours_on(self.day, hours)
        document.edit_camera(camera, f"day {self.day} of {key}")

    def _on_what_if(self, is_on: bool) -> None:
        self.what_if = self._bench.subject if is_on else None
        self.what_if_button.setText("Drop it" if is_on else "What if …")
        self.refresh()

    def take_over(self) -> None:
        """Make the what-if the plan; undo brings the plan back."""
        camera = self.what_if
        self.what_if_button.setChecked(False)
        if camera is not None:
            self._bench.document.edit_camera(camera, f"what-if of {camera.key}")

    def add_camera(self) -> None:
        """Add a camera with good defaults and make it the subject."""
        document = self._bench.document
        camera = new_camera(document.shoot, self._bench.catalog)
        document.edit_camera(camera, f"camera {camera.key} added")

    def duplicate_camera(self) -> None:
        """Add a copy of the subject; the copy starts with nothing assigned."""
        camera, document = self._bench.subject, self._bench.document
        if camera is not None:
            key = next_camera_key(document.shoot)
            copy = replace(camera, key=key, name=f"{camera.name} {key}", setup=None)
            document.edit_camera(copy, f"camera {camera.key} duplicated")

    def remove_camera(self) -> None:
        """Take the subject out of the shoot; undo brings it back."""
        camera, document = self._bench.subject, self._bench.document
        if camera is not None:
            shoot = document.shoot
            rest = tuple(c for c in shoot.cameras if c.key != camera.key)
            subject = rest[0].key if rest else ""
            document.edit(
                replace(shoot, cameras=rest), f"camera {camera.key} removed", subject_key=subject
            )

    def ask_own_codec(self) -> None:
        """Ask for a codec of the user's own, keep it, and set the camera to it."""
        from vastcellar.ui.stations.shoot.own_codec_dialog import OwnCodecDialog

        OwnCodecDialog(self, self._bench.look.numbers, self.use_own_codec).exec()

    def use_own_codec(self, codec: CodecFamily) -> None:
        """Keep *codec*, and set the camera to it. Raises BadFileError."""
        self._bench.keep(codec)
        self.form.format.codec.chosen.emit(codec.key)

    # Clips

    def _ask_clip(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "A clip of this camera", "", _CLIPS)
        if name:
            self.measure(Path(name))

    def _ask_clip_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "A folder of clips of this camera")
        if name:
            self.measure(Path(name))

    def measure(self, place: Path) -> None:
        """Read the clip or folder *place* and give its rate to the subject."""
        from vastcellar.services.shoot.clips import measure_clips

        self._say_of_clips(f"Reading {place.name} …")
        self._clip_reader.request(lambda: measure_clips(place))

    def _on_clips(self, measured: MeasuredRate) -> None:
        from vastcellar.services.shoot.clips import with_measured

        camera = self.what_if or self._bench.subject
        if camera is None:
            return
        try:
            self._on_camera(with_measured(camera, measured), "measured rate")
        except VastCellarError as error:
            self._on_clip_trouble(error)
            return
        self.form.show_clips(self.what_if or self._bench.subject)

    def _on_clip_trouble(self, error: Exception) -> None:
        if not isinstance(error, VastCellarError):
            raise error
        self._say_of_clips(str(error))

    def _say_of_clips(self, text: str) -> None:
        self.form.say_of_clips(self.what_if or self._bench.subject, text)

    # Showing

    def _show_view(self) -> None:
        is_day = self.day_button.isChecked()
        self._views.setCurrentIndex(0 if is_day else 1)
        self._forms.setCurrentIndex(0 if is_day else 1)
        self._need_card.setVisible(is_day)
        for widget in (self.earlier, self.day_label, self.later):
            widget.setVisible(is_day)

    def show_day(self, day: int) -> None:
        """Show the ribbons of *day*, counted from 1."""
        self.day = min(max(day, 1), self._bench.document.shoot.days)
        self.refresh()

    def _day_before(self) -> None:
        self.show_day(self.day - 1)

    def _day_after(self) -> None:
        self.show_day(self.day + 1)

    def _choose_copy(self, name: str) -> None:
        self._copy_name = name
        self.refresh()

    def _show_forms(self) -> None:
        """Give the fields the values they change, at once: the next edit builds on this one."""
        shoot = self._bench.document.shoot
        self.shoot_form.show_value(shoot)
        names = [copy.name for copy in shoot.copies]
        if self._copy_name not in names:
            self._copy_name = names[0] if names else ""
        self.copy_form.show_shoot(shoot, self._copy_name)
        self.form.day = min(self.day, shoot.days)
        self.form.show_camera(self.what_if or self._bench.subject)

    def refresh(self) -> None:
        """Show shoot and subject as they are now, and the what-if beside them."""
        bench = self._bench
        shoot, camera = bench.document.shoot, bench.subject
        if self.what_if is not None and (camera is None or camera.key != self.what_if.key):
            self.what_if_button.setChecked(False)  # another camera: the question is gone
            return
        self.day = min(self.day, shoot.days)
        bench.day = self.day
        self._pages.setCurrentIndex(1 if camera is None else 0)
        self._show_forms()
        for widget in (self.take_over_button, self.what_if_line):
            widget.setVisible(self.what_if is not None)
        planned = bench.planned
        self.capacity.show_plan(planned, self._copy_name)
        self.ribbons.show_plan(planned, self.day, camera.key if camera else "", self.what_if)
        of = f" of {shoot.days}" if shoot.days > 1 else ""
        self.day_label.setText(f"Day {self.day}{of}")
        self.earlier.setEnabled(self.day > 1)
        self.later.setEnabled(self.day < shoot.days)
        if camera is not None and (need := planned.need(camera.key)) is not None:
            self._show_subject(camera, need)

    def _show_subject(self, camera: Camera, need: Need) -> None:
        ghost = camera_need(self.what_if) if self.what_if is not None else None
        self.picture.show_need(need, ghost, camera.medium_guarantee)
        self.title.setText(f"{camera.key} {camera.name}")
        model = f"{camera.model} · " if camera.model else ""
        self.format_line.setText(f"{model}{camera.recording.name}")
        self._show_figures(camera, need)
        self._show_ghosts(ghost)
        self._show_warning(camera)

    def _show_figures(self, camera: Camera, need: Need) -> None:
        numbers, planned = self._bench.look.numbers, self._bench.planned
        plan = next(each for each in planned.plan.cameras if each.camera.key == camera.key)
        self.needed.show_text(numbers.rate(need.needed_write_bytes_per_s))
        self.hour.show_text(f"{numbers.number(need.bytes_per_hour / 1e9)} GB/h")
        self.medium.show_text(f"{numbers.number(need.seconds_per_medium / 60)} min")
        self.take.show_text(f"{numbers.number(need.longest_take_bytes / 1e9)} GB")
        size = numbers.size(camera.medium_bytes)
        self.carry.show_text(str(plan.media_to_carry), f"× {size}")

    def _show_ghosts(self, ghost: Need | None) -> None:
        numbers, camera = self._bench.look.numbers, self.what_if
        if ghost is None or camera is None:
            for figure in self._figures:
                figure.show_ghost("")
            return
        self.needed.show_ghost(numbers.number(ghost.needed_write_bytes_per_s / 1e6, 0))
        self.hour.show_ghost(numbers.number(ghost.bytes_per_hour / 1e9, 0))
        self.medium.show_ghost(numbers.number(ghost.seconds_per_medium / 60, 0))
        self.take.show_ghost(numbers.number(ghost.longest_take_bytes / 1e9, 0))
        plan = self._bench.what_if_plan(camera)
        self.carry.show_ghost(str(plan.media_to_carry))

    def _show_warning(self, camera: Camera) -> None:
        planned, numbers = self._bench.planned, self._bench.look.numbers
        mine = planned.warnings_of(camera.key)
        others = [each for each in planned.warnings if each not in mine]
        ordered = [*mine, *others]
        sentences = [f"{warning_sentence(each, planned.shoot, numbers)}." for each in ordered]
        more = f"  {len(sentences) - 1} more" if len(sentences) > 1 else ""
        self.warning.setVisible(bool(sentences))
        kind = "wrong" if any(each.is_grave for each in ordered[:1]) else "soft"
        if self.warning.objectName() != kind:
            self.warning.setObjectName(kind)
            self.warning.style().polish(self.warning)
        if sentences:
            self.warning.setText(f"{sentences[0]}{more}")
            self.warning.setToolTip("\n".join(sentences))


def _scrolled(widget: QWidget) -> QScrollArea:
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    widget.setObjectName("inside")
    scroll.setWidget(widget)
    return scroll
