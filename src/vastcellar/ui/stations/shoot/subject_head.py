"""The subject's head: its name and format, the figures of its need, what is to be warned of."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastcellar.core.shoot.needs import Need, camera_need
from vastcellar.core.shoot.shoot import Camera
from vastcellar.services.words.plan_wording import warning_sentence
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.widgets.cards import label, row
from vastcellar.ui.widgets.figure import Figure


class SubjectHead(QWidget):
    """Stands above the pictures; a what-if shows as ghosts beside its figures."""

    asked = Signal(str)
    """Which sum belongs to the figure that was clicked."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        look = workbench.look
        self.title = label(kind="title")
        self.title.setMinimumHeight(36)  # the height of the button that comes and goes
        self.format_line = label(kind="soft")
        self.needed = Figure(look, "need", "need", "copper_text")
        self.hour = Figure(look, "an hour", "take")
        self.medium = Figure(look, "medium lasts", "take")
        self.take = Figure(look, "longest take", "take")
        self.carry = Figure(look, "media to carry", "day")
        self.warning = label(kind="wrong")
        self.what_if_button = QPushButton("What if …")
        self.what_if_button.setCheckable(True)
        self.what_if_button.setToolTip("Try another setting as a ghost beside the plan (Ctrl+I)")
        self.take_over_button = QPushButton("Take it over")
        self.take_over_button.setObjectName("act")
        head = row(self.title, self.format_line, spacing=14)
        head.addWidget(self.take_over_button)
        head.addWidget(self.what_if_button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(head)
        layout.addLayout(row(*self._figures, spacing=18))
        layout.addWidget(self.warning)
        for figure in self._figures:
            figure.clicked.connect(self.asked)

    @property
    def _figures(self) -> tuple[Figure, ...]:
        return self.needed, self.hour, self.medium, self.take, self.carry

    def show_subject(self, camera: Camera, need: Need, what_if: Camera | None) -> Need | None:
        """Show *camera* with its *need*, and beside it the need of *what_if*, which is returned."""
        ghost = camera_need(what_if) if what_if is not None else None
        self.title.setText(f"{camera.key} {camera.name}")
        model = f"{camera.model} · " if camera.model else ""
        self.format_line.setText(f"{model}{camera.recording.name}")
        self._show_figures(camera, need)
        self._show_ghosts(ghost, what_if)
        self._show_warning(camera)
        return ghost

    def _show_figures(self, camera: Camera, need: Need) -> None:
        numbers, planned = self._workbench.look.numbers, self._workbench.planned
        plan = next(each for each in planned.plan.cameras if each.camera.key == camera.key)
        self.needed.show_text(numbers.rate(need.needed_write_bytes_per_s))
        self.hour.show_text(f"{numbers.number(need.bytes_per_hour / 1e9)} GB/h")
        self.medium.show_text(f"{numbers.number(need.seconds_per_medium / 60)} min")
        self.take.show_text(f"{numbers.number(need.longest_take_bytes / 1e9)} GB")
        size = numbers.size(camera.medium_bytes)
        self.carry.show_text(str(plan.media_to_carry), f"× {size}")

    def _show_ghosts(self, ghost: Need | None, camera: Camera | None) -> None:
        numbers = self._workbench.look.numbers
        if ghost is None or camera is None:
            for figure in self._figures:
                figure.show_ghost("")
            return
        self.needed.show_ghost(numbers.number(ghost.needed_write_bytes_per_s / 1e6, 0))
        self.hour.show_ghost(numbers.number(ghost.bytes_per_hour / 1e9, 0))
        self.medium.show_ghost(numbers.number(ghost.seconds_per_medium / 60, 0))
        self.take.show_ghost(numbers.number(ghost.longest_take_bytes / 1e9, 0))
        plan = self._workbench.what_if_plan(camera)
        self.carry.show_ghost(str(plan.media_to_carry))

    def _show_warning(self, camera: Camera) -> None:
        planned, numbers = self._workbench.planned, self._workbench.look.numbers
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
