"""The station Shoot: pick what a camera records; the need appears at once."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vastcellar.services.shoots import new_camera, next_camera_key
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.shoot.camera_form import CameraForm
from vastcellar.ui.stations.shoot.need_picture import MediaRibbon, NeedPicture
from vastcellar.ui.stations.shoot.shoot_form import ShootForm
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.figure import Figure


class ShootStation(QWidget):
    """Need and media of the subject, drawn; its inputs beside them."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self._bench = bench
        look = bench.look
        self.title = label(kind="title")
        self.format_line = label(kind="soft")
        self.needed = Figure(look, "need", "need", "copper_text")
        self.hour = Figure(look, "an hour", "take")
        self.medium = Figure(look, "a medium lasts", "take")
        self.take = Figure(look, "longest take", "take")
        self.picture = NeedPicture(look, dict(bench.catalog.modes))
        self.ribbon = MediaRibbon(look)
        self.form = CameraForm(bench)
        self.shoot_form = ShootForm(bench)
        for widget in self._figures:
            widget.clicked.connect(bench.sum_asked)
        for picture in (self.picture, self.ribbon):
            picture.asked.connect(bench.sum_asked)
        pages = QStackedWidget()
        pages.addWidget(self._work_page())
        pages.addWidget(self._empty_page())
        self._pages = pages
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 18, 10)
        layout.addWidget(pages)
        bench.judged.connect(self.refresh)
        self.refresh()

    @property
    def _figures(self) -> tuple[Figure, ...]:
        return self.needed, self.hour, self.medium, self.take

    def _work_page(self) -> QWidget:
        page = QWidget()
        layout = QHBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(14)
        layout.addLayout(self._pictures(), 1)
        inputs, inside = card()
        inputs.setFixedWidth(288)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.form)
        self.form.setObjectName("inside")
        inside.addLayout(self._camera_buttons())
        inside.addWidget(scroll, 1)
        inside.addWidget(self.shoot_form)
        layout.addWidget(inputs)
        return page

    def _pictures(self) -> QVBoxLayout:
        layout = QVBoxLayout()
        layout.setSpacing(8)
        layout.addWidget(self.title)
        layout.addWidget(self.format_line)
        figures = row(*self._figures, spacing=30)
        layout.addLayout(figures)
        frame, inside = card()
        inside.addLayout(
            row(label("What stands above the need", "head"), label("holds it", "soft"))
        )
        inside.addWidget(self.picture, 1)
        layout.addWidget(frame, 1)
        frame, inside = card()
        inside.addLayout(
            row(label("Media over a day", "head"), label("filling, change by change", "soft"))
        )
        inside.addWidget(self.ribbon)
        layout.addWidget(frame)
        return layout

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

    def refresh(self) -> None:
        """Show the subject as it is now."""
        camera, judgement = self._bench.subject, self._bench.judgement
        self._pages.setCurrentIndex(1 if camera is None else 0)
        self.form.show_camera(camera)
        self.shoot_form.show_shoot(self._bench.document.shoot)
        self.picture.show_camera(camera)
        self.ribbon.show_camera(camera)
        if camera is None or judgement is None:
            return
        numbers, need = self._bench.look.numbers, judgement.need
        self.title.setText(f"{camera.key} {camera.name}")
        model = f"{camera.model} · " if camera.model else ""
        self.format_line.setText(f"{model}{camera.recording.name}")
        self.needed.show_text(numbers.rate(need.needed_write_bytes_per_s))
        self.hour.show_text(f"{numbers.number(need.bytes_per_hour / 1e9)} GB/h")
        self.medium.show_text(f"{numbers.number(need.seconds_per_medium / 60)} min")
        self.take.show_text(numbers.size(need.longest_take_bytes))
