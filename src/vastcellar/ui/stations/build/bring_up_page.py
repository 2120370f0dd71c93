"""Bring-up: which file system, the commands to type, what the device then shows, what proves it."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from vastcellar.core.build.formatting import Advice, School, advise
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.file_systems import CAMERA
from vastcellar.services.build.bring_up import (
    can_be_let_go,
    format_plan,
    let_device_go,
    shows_file_system,
    unplug_words,
)
from vastcellar.services.plugged.seen import SeenDevice
from vastcellar.services.words.said_wording import sentence_of
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.build.acceptance_card import AcceptanceCard
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.inputs import Choice

_WRITERS = ((CAMERA, "cameras"), ("Linux", "Linux"), ("macOS", "macOS"), ("Windows", "Windows"))


class BringUpPage(QWidget):
    """Nothing here formats: it advises, shows what to type, and watches what comes of it."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._advices: tuple[Advice, ...] = ()
        self.writers = {key: QCheckBox(name) for key, name in _WRITERS}
        self.writers[CAMERA].setChecked(True)
        self.school = Choice("Way")
        self.school.setMinimumContentsLength(18)
        for school in School:
            self.school.addItem(str(school), school)
        self.encrypted = QCheckBox("unreadable for others")
        self.system = Choice("File system")
        self.why = label(kind="soft", wraps=True)
        self.device = Choice("Device")
        self.tag, self.typed = QLineEdit(), QLineEdit()
        for field, name in ((self.tag, "Tag"), (self.typed, "Typed tag")):
            field.setObjectName(name)
            field.setFixedWidth(110)
        self.typed.setPlaceholderText("the same again")
        self.compare = label(wraps=True)
        self.commands = QPlainTextEdit()
        self.commands.setReadOnly(True)
        self.commands.setAccessibleName("Commands")
        self.commands.setFixedHeight(84)
        self.message = label(kind="wrong", wraps=True)
        self.shows = label(kind="head", wraps=True)
        self.unplug = label(kind="soft", wraps=True)
        self.eject_button = QPushButton("Eject it")
        self.eject_button.setToolTip("Everything on its way is written, then it is unmounted")
        self._ejecting = Background(self)
        self.acceptance = AcceptanceCard(workbench)
        self._chosen_system, self._chosen_device = "", ""
        self._typed_for: tuple[str, str, int] | None = None
        self._lay_out()
        self._connect()
        self.refresh()

    def _lay_out(self) -> None:
        page = QWidget()
        page.setObjectName("inside")
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(6)
        frame, inside = card()
        inside.addWidget(label("File system", "head"))
        inside.addLayout(row(label("Written by", "soft"), *self.writers.values(), spacing=10))
        inside.addLayout(row(label("Way", "soft"), self.school, self.encrypted, spacing=10))
        inside.addLayout(row(label("Take", "soft"), self.system, spacing=10, stretch_last=True))
        inside.addWidget(self.why)
        column.addWidget(frame)
        frame, inside = card()
        inside.addWidget(label("Format it yourself", "head"))
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(label("Device", "soft"))
        head.addWidget(self.device, 1)
        for name, field in (("Tag on its label", self.tag), ("", self.typed)):
            if name:
                head.addWidget(label(name, "soft"))
            head.addWidget(field)
        inside.addLayout(head)
        inside.addWidget(self.compare)
        inside.addWidget(self.commands)
        inside.addWidget(self.message)
        inside.addWidget(self.shows)
        line = QHBoxLayout()
        line.setSpacing(10)
        line.addWidget(self.unplug, 1)
        line.addWidget(self.eject_button)
        inside.addLayout(line)
        column.addWidget(frame)
        column.addWidget(self.acceptance)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(page)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(area)

    def _connect(self) -> None:
        workbench = self._workbench
        for box in (*self.writers.values(), self.encrypted):
            box.toggled.connect(self.refresh)
        self.school.currentIndexChanged.connect(self.refresh)
        self.system.chosen.connect(self._on_system)
        self.device.chosen.connect(self._on_device)
        self.tag.textChanged.connect(self._show_plan)
        self.typed.textChanged.connect(self._show_plan)
        workbench.plugged.changed.connect(self.refresh)
        self.eject_button.clicked.connect(self._eject)
        self._ejecting.done.connect(lambda _nothing: workbench.plugged.look_again())
        self._ejecting.failed.connect(self._on_refused)

    def showEvent(self, event: object) -> None:
        self._workbench.plugged.watch()

    @property
    def seen(self) -> SeenDevice | None:
        """The device that is chosen, as it is now."""
        return self._workbench.plugged.named(self._chosen_device)

    @property
    def advice(self) -> Advice | None:
        """What is taken: the first advice, or what was chosen instead."""
        mine = (a for a in self._advices if a.file_system.key == self._chosen_system)
        return next(mine, self._advices[0] if self._advices else None)

    def refresh(self) -> None:
        """Advise anew, and show the devices as they are now."""
        workbench, seen = self._workbench, self.seen
        camera = workbench.subject
        need_bytes = 0.0
        judgement = workbench.judgement
        if camera is not None and judgement is not None:
            need_bytes = judgement.need.longest_take_bytes
        self._advices = advise(
            [key for key, box in self.writers.items() if box.isChecked()],
            tuple(workbench.catalog.file_systems.values()),
            largest_file_bytes=need_bytes,
            capacity_bytes=seen.device.size_bytes if seen else 0.0,
            is_encrypted=self.encrypted.isChecked(),
            school=self.school.currentData(),
        )
        advice = self.advice
        key = advice.file_system.key if advice else ""
        self.system.offer([(a.file_system.key, a.file_system.name) for a in self._advices], key)
        numbers = workbench.look.numbers
        if advice is None:
            self.why.setText("None is written by all of them: hand over by a copy.")
        else:
            words = sentence_of(advice.reasons, numbers)
            clusters = ""
            if advice.allocation_bytes:
                clusters = f" Clusters of {numbers.binary_size(advice.allocation_bytes)}."
            self.why.setText(f"{words[0].upper()}{words[1:]}.{clusters}")
        others = [each for each in workbench.plugged.devices if not each.device.is_system]
        names = [(each.device.name, f"{each.title} · {each.device.path}") for each in others]
        if self._chosen_device not in [name for name, _ in names]:
            self._chosen_device = ""
        if (says := self._says(self.seen)) != self._typed_for:
            # Another device under the same name: the tag was not typed for that one.
            self._typed_for = says
            self.typed.clear()
        self.device.offer([("", "none yet"), *names], self._chosen_device)
        self._show_plan()

    @staticmethod
    def _says(seen: SeenDevice | None) -> tuple[str, str, int] | None:
        """Return what a device is told from others by."""
        return (seen.device.model, seen.device.serial, seen.device.size_bytes) if seen else None

    def _on_system(self, key: str) -> None:
        self._chosen_system = key
        self.refresh()

    def _on_device(self, name: str) -> None:
        self._chosen_device = name
        self.typed.clear()  # typed for another device
        seen = self.seen
        if seen is not None and seen.unit is not None:
            self.tag.setText(seen.unit.tag)
            self.acceptance.choose(seen.unit.tag)
        self.refresh()

    def _show_plan(self) -> None:
        seen, advice = self.seen, self.advice
        for widget in (self.compare, self.commands, self.message, self.shows, self.unplug):
            widget.hide()
        made_up = self._workbench.plugged.is_made_up
        can_eject = seen is not None and can_be_let_go(seen, is_made_up=made_up)
        self.eject_button.setVisible(can_eject)
        self.eject_button.setEnabled(True)
        if seen is None or advice is None:
            self._say("Plug it in, choose it, and type the tag on its label twice.")
            return
        fs = advice.file_system
        self.unplug.setText(unplug_words(seen))
        self.unplug.show()
        if shows_file_system(seen, fs):
            self.shows.setText(f"Done: it shows {fs.name}.")
            self.shows.show()
        tag = self.tag.text().strip()
        if not tag:
            self._say("Type the tag that stands on its label.")
            return
        try:
            made = format_plan(
                seen,
                self._workbench.plugged.devices,
                fs,
                tag=tag,
                typed_tag=self.typed.text(),
                allocation_bytes=advice.allocation_bytes,
                fmt=self._workbench.look.numbers,
            )
        except BadValueError as error:
            if not shows_file_system(seen, fs):  # else there is nothing left to do
                self._say(str(error))
            return
        told = " · ".join(f"{name}: {text}" for name, text in made.compare)
        self.compare.setText(f"{told}. {made.note}")
        self.compare.show()
        self.commands.setPlainText("\n".join(made.commands))
        self.commands.setVisible(bool(made.commands))

    def _eject(self) -> None:
        if (seen := self.seen) is not None:
            self.eject_button.setEnabled(False)
            self.unplug.setText("Writing what is on its way …")
            self._ejecting.request(partial(let_device_go, seen))

    def _on_refused(self, error: Exception) -> None:
        self._show_plan()
        self._say(str(error))

    def _say(self, text: str) -> None:
        self.message.setText(text)
        self.message.show()
