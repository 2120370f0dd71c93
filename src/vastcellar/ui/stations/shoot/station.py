"""The station Shoot: cameras, formats and days; the need and the media appear at once."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QButtonGroup,
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
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.services.shoot.shoots import new_camera, next_camera_key
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.shoot.camera_form import CameraForm
from vastcellar.ui.stations.shoot.capacity_view import CapacityView
from vastcellar.ui.stations.shoot.clip_reading import ClipReading
from vastcellar.ui.stations.shoot.copy_form import CopyForm
from vastcellar.ui.stations.shoot.day_ribbons import DayRibbons
from vastcellar.ui.stations.shoot.need_picture import NeedPicture
from vastcellar.ui.stations.shoot.shoot_form import ShootForm
from vastcellar.ui.stations.shoot.subject_head import SubjectHead
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.next_step import NextStep


class ShootStation(QWidget):
    """The day and the days, drawn; the subject's need under them; its inputs beside."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self.what_if: Camera | None = None
        """The subject as it would be; the plan stays as it is."""
        self.day = 1
        self._copy_name = ""
        self._make_widgets()
        self._lay_out()
        self._connect()
        self.refresh()

    def _make_widgets(self) -> None:
        workbench, look = self._workbench, self._workbench.look
        self.head = SubjectHead(workbench)
        self.day_button = QPushButton("The day")
        self.days_button = QPushButton("The days")
        self.day_button.setToolTip("Media filling, reloads and the longest take of one day")
        self.days_button.setToolTip("Capacity over all days: material and copies")
        self.earlier = QPushButton("‹")
        self.later = QPushButton("›")
        self.earlier.setAccessibleName("the day before")
        self.later.setAccessibleName("the day after")
        self.day_label = label(kind="head")
        self.ribbons = DayRibbons(look)
        self.capacity = CapacityView(look)
        self.picture = NeedPicture(look, dict(workbench.catalog.modes))
        self.form = CameraForm(lambda: workbench.catalog, look.numbers)
        self.shoot_form = ShootForm(look.numbers)
        self.copy_form = CopyForm(lambda: workbench.shelf, look.numbers)
        self.clips = ClipReading(self, self.form)

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
        layout.addWidget(self.head)
        frame, inside = card()
        inside.setContentsMargins(10, 8, 10, 6)
        inside.addLayout(self._view_row())
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

    def _view_row(self) -> QHBoxLayout:
        group = QButtonGroup(self)
        for button in (self.day_button, self.days_button):
            button.setObjectName("tab")
            button.setCheckable(True)
            group.addButton(button)
        self.day_button.setChecked(True)
        for button in (self.earlier, self.later):
            button.setFixedWidth(34)
        head = row(self.day_button, self.days_button, spacing=6)
        for widget in (self.earlier, self.day_label, self.later):
            head.addWidget(widget)
        return head

    def _inputs(self) -> QFrame:
        inputs, inside = card()
        inputs.setFixedWidth(310)
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
        page = NextStep(
            "No camera yet",
            "Add one: its need appears at once, and Match finds what holds it. To find out what a "
            "drive does, none is needed.",
            "Add the first camera",
            "Measure a drive",
        )
        add, measure = page.buttons
        add.clicked.connect(self.add_camera)
        measure.clicked.connect(lambda: self._workbench.station_asked.emit("prove"))
        return page

    def _connect(self) -> None:
        workbench = self._workbench
        self.head.asked.connect(workbench.sum_asked)
        self.picture.asked.connect(workbench.sum_asked)
        self.ribbons.asked.connect(workbench.sum_asked)
        self.capacity.asked.connect(workbench.sum_asked)
        self.form.edited.connect(self._on_camera)
        self.clips.measured.connect(self._on_clips)
        self.clips.said.connect(self._say_of_clips)
        self.form.own_format_asked.connect(self.ask_own_codec)
        self.shoot_form.edited.connect(self._on_shoot)
        self.shoot_form.refused.connect(self._say_of_shoot)
        self.copy_form.edited.connect(self._on_shoot)
        self.copy_form.chosen.connect(self._choose_copy)
        self.capacity.copy_chosen.connect(self._choose_copy)
        self.ribbons.camera_chosen.connect(workbench.document.choose)
        self.ribbons.hours_changed.connect(self._on_hours)
        self.day_button.toggled.connect(self._show_view)
        self.earlier.clicked.connect(self._day_before)
        self.later.clicked.connect(self._day_after)
        self.head.what_if_button.toggled.connect(self._on_what_if)
        # A shortcut of the button's own would go with the change of its text.
        QShortcut(QKeySequence("Ctrl+I"), self, self.head.what_if_button.toggle)
        self.head.take_over_button.clicked.connect(self.take_over)
        workbench.document.changed.connect(self._show_forms)
        workbench.judged.connect(self.refresh)

    # Edits

    def _on_camera(self, camera: Camera, what: str) -> None:
        if self.what_if is not None:
            self.what_if = camera
            self.refresh()
        else:
            self._workbench.document.edit_camera(camera, f"{what} of {camera.key}")

    def _on_shoot(self, shoot: Shoot, what: str) -> None:
        self._workbench.document.edit(shoot, what)

    def _say_of_shoot(self, error: VastCellarError | None) -> None:
        self.shoot_message.setText("" if error is None else str(error))
        self.shoot_message.setVisible(error is not None)

    def _on_hours(self, key: str, hours: float) -> None:
        document = self._workbench.document
        camera = document.shoot.camera(key).with_hours_on(self.day, hours)
        document.edit_camera(camera, f"day {self.day} of {key}")

    def _on_what_if(self, is_on: bool) -> None:
        self.what_if = self._workbench.subject if is_on else None
        self.head.what_if_button.setText("Drop it" if is_on else "What if …")
        self.refresh()

    def take_over(self) -> None:
        """Make the what-if the plan; undo brings the plan back."""
        camera = self.what_if
        self.head.what_if_button.setChecked(False)
        if camera is not None:
            self._workbench.document.edit_camera(camera, f"what-if of {camera.key}")

    def add_camera(self) -> None:
        """Add a camera with good defaults and make it the subject."""
        document = self._workbench.document
        camera = new_camera(document.shoot, self._workbench.catalog)
        document.edit_camera(camera, f"camera {camera.key} added")

    def duplicate_camera(self) -> None:
        """Add a copy of the subject; the copy starts with nothing assigned."""
        camera, document = self._workbench.subject, self._workbench.document
        if camera is not None:
            key = next_camera_key(document.shoot)
            copy = replace(camera, key=key, name=f"{camera.name} {key}", setup=None)
            document.edit_camera(copy, f"camera {camera.key} duplicated")

    def remove_camera(self) -> None:
        """Take the subject out of the shoot; undo brings it back."""
        camera, document = self._workbench.subject, self._workbench.document
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

        OwnCodecDialog(self, self._workbench.look.numbers, self.use_own_codec).exec()

    def use_own_codec(self, codec: CodecFamily) -> None:
        """Keep *codec*, and set the camera to it. Raises BadFileError."""
        self._workbench.units.keep_part(codec)
        self.form.format.codec.chosen.emit(codec.key)

    def _on_clips(self, measured: MeasuredRate) -> None:
        from vastcellar.services.shoot.clips import with_measured

        camera = self.what_if or self._workbench.subject
        if camera is None:
            return
        try:
            self._on_camera(with_measured(camera, measured), "measured rate")
        except VastCellarError as error:
            self._say_of_clips(str(error))
            return
        self.form.show_clips(self.what_if or self._workbench.subject)

    def _say_of_clips(self, text: str) -> None:
        self.form.say_of_clips(self.what_if or self._workbench.subject, text)

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
        self.day = min(max(day, 1), self._workbench.document.shoot.days)
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
        shoot = self._workbench.document.shoot
        self.shoot_form.show_value(shoot)
        names = [copy.name for copy in shoot.copies]
        if self._copy_name not in names:
            self._copy_name = names[0] if names else ""
        self.copy_form.show_shoot(shoot, self._copy_name)
        self.form.day = min(self.day, shoot.days)
        self.form.show_camera(self.what_if or self._workbench.subject)

    def refresh(self) -> None:
        """Show shoot and subject as they are now, and the what-if beside them."""
        workbench = self._workbench
        shoot, camera = workbench.document.shoot, workbench.subject
        if self.what_if is not None and (camera is None or camera.key != self.what_if.key):
            self.head.what_if_button.setChecked(False)  # another camera: the question is gone
            return
        self.day = min(self.day, shoot.days)
        workbench.day = self.day
        self._pages.setCurrentIndex(1 if camera is None else 0)
        self._show_forms()
        for widget in (self.head.take_over_button, self.what_if_line):
            widget.setVisible(self.what_if is not None)
        planned = workbench.planned
        self.capacity.show_plan(planned, self._copy_name)
        self.ribbons.show_plan(planned, self.day, camera.key if camera else "", self.what_if)
        of = f" of {shoot.days}" if shoot.days > 1 else ""
        self.day_label.setText(f"Day {self.day}{of}")
        self.earlier.setEnabled(self.day > 1)
        self.later.setEnabled(self.day < shoot.days)
        if camera is not None and (need := planned.need(camera.key)) is not None:
            ghost = self.head.show_subject(camera, need, self.what_if)
            self.picture.show_need(need, ghost, camera.medium_guarantee)


def _scrolled(widget: QWidget) -> QScrollArea:
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    widget.setObjectName("inside")
    scroll.setWidget(widget)
    return scroll
