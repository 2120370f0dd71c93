"""The bench card: the steps of this build, ticked one by one, readable at arm's length."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import QElapsedTimer, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImageReader, QPainter, QPixmap
from PySide6.QtWidgets import QCheckBox, QPushButton, QScrollArea, QVBoxLayout, QWidget

from vastcellar.core.build.steps import Step, minutes_of
from vastcellar.services.build.wording import ALWAYS, CAUTION_WORDS, step_words
from vastcellar.ui.look import Look, font
from vastcellar.ui.stations.build.step_clock import StepClock
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.picture import Picture

_PHOTO_PX, _MINUTES_PX = 56, 48


class StepBar(Picture):
    """The steps as a bar, each as long as it takes; dark can't be undone, copper is done."""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._steps: tuple[Step, ...] = ()
        self._done: frozenset[str] = frozenset()
        self.setFixedHeight(12)

    def sizeHint(self) -> QSize:
        return QSize(180, 12)

    def show_steps(self, steps: tuple[Step, ...], done: frozenset[str]) -> None:
        """Draw *steps*, those *done* filled."""
        self._steps, self._done = steps, done
        self.update()

    def paint(self, painter: QPainter) -> None:
        total = minutes_of(self._steps) or 1.0
        left, room = 0.0, self.width() - 2.0 * len(self._steps)
        for step in self._steps:
            width = max(room * step.minutes / total, 2.0)
            color = "ink" if not step.can_undo else "stone"
            color = "copper" if step.key in self._done else color
            painter.fillRect(QRectF(left, 1, width, 10), self.look.color(color))
            left += width + 2


class BenchCard(QWidget):
    """Ticks go on where they were left; what can't be undone is asked twice."""

    ticked = Signal(str, bool, float)
    """Key of a step, whether it is done, and minutes since the one before it; 0 where unknown."""
    print_asked = Signal()
    clock_started = Signal(str, object)
    """Key of a step, and when its clock ends."""
    photo_asked = Signal(str)
    """Key of the step that a photo belongs to."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.boxes: dict[str, QCheckBox] = {}
        self.clocks: dict[str, StepClock] = {}
        self.photo_buttons: dict[str, QPushButton] = {}
        self._final: set[str] = set()
        self._asked_for = ""
        self._since = QElapsedTimer()
        """Since the last tick; not running before the first, and after a break."""
        self.head = label(kind="soft")
        self.bar = StepBar(look)
        self.print_button = QPushButton("Print …")
        self.print_button.setToolTip("One page as PDF")
        self.print_button.clicked.connect(self.print_asked)
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        head = row(self.head, self.bar, spacing=14)
        head.addWidget(self.print_button)
        layout.addLayout(head)
        frame, inside = card()
        inside.addWidget(self._area, 1)
        inside.addWidget(label(ALWAYS, "soft"))
        layout.addWidget(frame, 1)

    def show_steps(
        self,
        steps: tuple[Step, ...],
        done: frozenset[str],
        clocks: Mapping[str, datetime] | None = None,
        photos: Mapping[str, Sequence[Path]] | None = None,
    ) -> None:
        """Show *steps*, with those *done* ticked, *clocks* that were started, and *photos*."""
        page = QWidget()
        page.setObjectName("inside")
        column = QVBoxLayout(page)
        column.setSpacing(9)
        self.boxes.clear()
        self.clocks.clear()
        self.photo_buttons.clear()
        self._final = {step.key for step in steps if not step.can_undo}
        numbers = self._look.numbers
        for number, step in enumerate(steps, 1):
            box = QCheckBox(f"{number}")
            box.setFont(font(17, 600))
            box.setAccessibleName(step_words(step, numbers))
            box.setChecked(step.key in done)
            box.setMinimumWidth(64)
            box.toggled.connect(lambda is_on, key=step.key: self._on_tick(key, is_on))
            text = label(step_words(step, numbers), "step", wraps=True)
            line = row(box, text, spacing=8, stretch_last=True)
            line.setAlignment(box, Qt.AlignmentFlag.AlignTop)
            if step.wait_s:
                ends = (clocks or {}).get(step.key)
                clock = StepClock(step.wait_s, ends, numbers)
                clock.started.connect(lambda at, key=step.key: self.clock_started.emit(key, at))
                self.clocks[step.key] = clock
                line.addWidget(clock)
            line.addWidget(self._photo(step, (photos or {}).get(step.key, ())))
            minutes = label(f"{numbers.number(step.minutes)} min", "soft")
            minutes.setMinimumWidth(_MINUTES_PX)
            minutes.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            line.addWidget(minutes)
            column.addLayout(line)
            for caution in step.cautions:
                warned = label(CAUTION_WORDS[caution], "wrong", wraps=True)
                warned.setContentsMargins(72, 0, 0, 0)
                column.addWidget(warned)
            self.boxes[step.key] = box
        column.addStretch(1)
        self._area.setWidget(page)
        self.bar.show_steps(steps, done)
        final = len(self._final)
        self.head.setText(
            f"{len(steps)} steps, about {numbers.duration(round(minutes_of(steps)) * 60)}"
            + (f"; {final} can't be undone" if final else "")
        )

    def _photo(self, step: Step, kept: Sequence[Path]) -> QPushButton:
        """Return the button that adds a photo; the newest one stands on it."""
        button = QPushButton("Photo …" if not kept else "")
        button.setAccessibleName("Photo of this step")
        button.setToolTip("A photo from a file stays with this step")
        if kept:
            reader = QImageReader(str(kept[-1]))
            reader.setAutoTransform(True)  # as the camera was held
            picture = reader.read()
            if picture.isNull():
                button.setText("Photo can't be shown")
            else:
                small = picture.scaled(_PHOTO_PX, _PHOTO_PX, Qt.AspectRatioMode.KeepAspectRatio,
                                       Qt.TransformationMode.SmoothTransformation)  # fmt: skip
                button.setIcon(QIcon(QPixmap.fromImage(small)))
                button.setIconSize(small.size())
            button.setToolTip(f"{len(kept)} kept with this step; click to add another")
        button.clicked.connect(lambda: self.photo_asked.emit(step.key))
        self.photo_buttons[step.key] = button
        return button

    def _on_tick(self, key: str, is_on: bool) -> None:
        if is_on and key in self._final and self._asked_for != key:
            # Asked before, not after: the first tick only says what it means.
            self._asked_for = key
            box = self.boxes[key]
            box.blockSignals(True)
            box.setChecked(False)
            box.blockSignals(False)
            self.head.setText("It can't be opened again: tick it once more when it is done.")
            return
        self._asked_for = ""
        is_timed = self._since.isValid() and is_on
        minutes = self._since.elapsed() / 60_000 if is_timed else 0.0
        self._since.start()
        self.ticked.emit(key, is_on, minutes)

    def hideEvent(self, event: object) -> None:
        self._since.invalidate()  # whoever looks elsewhere makes a break
