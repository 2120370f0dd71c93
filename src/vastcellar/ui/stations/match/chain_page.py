"""The chain: what each stage carries, the write profile over the take, and what would help."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSlider, QVBoxLayout, QWidget

from vastcellar.core.candidates.mends import Mend
from vastcellar.core.chain.measured_stages import device_stage
from vastcellar.core.errors import VastCellarError
from vastcellar.core.evidence import Evidence
from vastcellar.core.shoot.shoot import Camera, Setup
from vastcellar.core.units import MB, parse_rate
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.services.match.matching import judge_what_if
from vastcellar.services.words.part_wording import cable_details, drive_details, enclosure_details
from vastcellar.services.words.said_wording import said_words
from vastcellar.services.words.verdict_wording import mend_title, short_verdict, useless_sentence
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.match.channel_view import ChannelView
from vastcellar.ui.stations.match.mend_cards import MendCard
from vastcellar.ui.stations.match.part_pickers import PartPickers
from vastcellar.ui.stations.match.profile_view import ProfileView
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.inputs import QuantityField

_MOST_CARDS = 3
ROOM_RANGE_C = (-10, 50)


class ChainPage(QWidget):
    """Channel with its parts, write profile with its conditions, and what would help."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._is_what_if = False
        self._shown_for: tuple[str, Setup | None] = ("", None)
        look = workbench.look
        self.channel = ChannelView(look)
        self.link_line = label(kind="soft")
        self.pickers = PartPickers()
        self.profile = ProfileView(look)
        self.axis_button = QPushButton("over minutes")
        self.axis_button.setObjectName("link")
        self.axis_button.setCheckable(True)
        self.mends_head = label("What would help", "head")
        self.mends_note = label(kind="soft")
        self._cards = QHBoxLayout()
        self._cards.setSpacing(10)
        self._lay_out()
        self.channel.asked.connect(workbench.sum_asked)
        self.pickers.chosen.connect(self._on_setup)
        self.axis_button.toggled.connect(self._on_axis)
        workbench.document.changed.connect(self._show_pickers)
        workbench.judged.connect(self.refresh)
        workbench.verdicts.mended.connect(self._show_mends)
        workbench.shelf_changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        frame, inside = card()
        inside.addWidget(self.channel, 1)
        line = row(self.link_line)
        self.more_button = QPushButton("Hub, file system …")
        self.more_button.setObjectName("link")
        self.more_button.clicked.connect(self._on_more)
        line.addWidget(self.more_button)
        inside.addLayout(line)
        inside.addWidget(self.pickers)
        inside.addWidget(self._measured_row())
        layout.addWidget(frame, 5)
        frame, inside = card()
        inside.setSpacing(2)
        head = row(label("Write profile", "head"))
        head.addLayout(self._conditions())
        self.sent_note = label("MB/s", "soft")
        head.addWidget(self.sent_note)
        head.addWidget(self.axis_button)
        inside.addLayout(head)
        inside.addWidget(self.profile, 1)
        layout.addWidget(frame, 6)
        layout.addLayout(row(self.mends_head, self.mends_note, spacing=12))
        layout.addLayout(self._cards)

    def _conditions(self) -> QHBoxLayout:
        """Sliders for room and fill: the profile follows, the plan stays."""
        self.room = _slider("Room temperature", *ROOM_RANGE_C)
        self.fill = _slider("How full the drive is", 0, 95)
        self.room_label, self.fill_label = label(kind="soft"), label(kind="soft")
        for text in (self.room_label, self.fill_label):
            text.setMinimumWidth(66)
        self.day_button = QPushButton("the take")
        self.day_button.setObjectName("link")
        self.day_button.setCheckable(True)
        self.day_button.setToolTip("The longest take, or its medium over the whole day")
        self.day_button.toggled.connect(self._show_profile)
        self.reset_button = QPushButton("As planned")
        self.reset_button.setObjectName("link")
        self.reset_button.clicked.connect(self.reset_conditions)
        self.what_if_line = label(kind="ghost")
        self.room.valueChanged.connect(self._on_conditions)
        self.fill.valueChanged.connect(self._on_conditions)
        made = row(
            self.day_button, self.room_label, self.room, self.fill_label, self.fill, spacing=6
        )
        made.addWidget(self.what_if_line)
        made.addWidget(self.reset_button)
        return made

    def _measured_row(self) -> QWidget:
        """What the bridge carries on this very port: measured by us, or stated by the user."""
        numbers = self._workbench.look.numbers
        self.measured = QuantityField(
            "Rate on this port", parse_measured, lambda v: numbers.rate(v) if v else "typical"
        )
        self.measured.decimal_point = numbers.decimal_point
        self.measured.setFixedWidth(150)
        self.measured.entered.connect(self._on_measured)
        self.measured.refused.connect(self._on_refused)
        self.measured_note = label(kind="soft")
        made = QWidget()
        made.setLayout(row(label("Rate on this port", "soft"), self.measured))
        layout = made.layout()
        assert layout is not None  # set just now
        layout.addWidget(self.measured_note)
        made.hide()
        self._measured = made
        return made

    def _on_measured(self, bytes_per_s: float) -> None:
        try:
            self._workbench.measure_stage(bytes_per_s)
        except VastCellarError as error:
            self.measured.refuse(error)

    def _on_refused(self, error: VastCellarError | None) -> None:
        self.measured_note.setText(str(error) if error else "")

    def _show_measured(self) -> None:
        judgement = self._workbench.judgement
        chain = judgement.chain if judgement else None
        device = None
        if chain is not None:
            key = device_stage(chain.parts)
            device = next((stage for stage in chain.stages if stage.key == key), None)
        is_known = device is not None and device.evidence in (Evidence.PROVED, Evidence.STATED)
        self.measured.show_value(device.typical_bytes_per_s if device and is_known else 0.0)
        if not self.measured.property("wrong"):
            self.measured_note.setText(
                said_words(device.why, self._workbench.look.numbers) if device else ""
            )

    def _on_more(self) -> None:
        self.pickers.show_more(not self.pickers.is_more_shown)
        self._measured.setVisible(self.pickers.is_more_shown)

    def _on_conditions(self) -> None:
        self._is_what_if = True
        self._show_profile()

    def reset_conditions(self) -> None:
        """Show the profile as it is planned: the shoot's room, the unit's fill."""
        self._is_what_if = False
        self._show_profile()

    def _day(self, camera: Camera) -> int:
        """The day that the profile is over: that of the longest take."""
        return camera.longest_on_day or self._workbench.day

    def _show_profile(self) -> None:
        """Draw the profile, as planned or in the conditions that the sliders say."""
        workbench, numbers = self._workbench, self._workbench.look.numbers
        camera, judgement = workbench.subject, workbench.judgement
        shown = judgement
        chain = judgement.chain if judgement else None
        for widget in (self.day_button, self.room, self.fill):
            widget.setEnabled(chain is not None)
        if not self._is_what_if:
            share = chain.parts.filled_share if chain is not None else 0.0
            for slider, value in (
                (self.room, workbench.document.shoot.ambient_c),
                (self.fill, share * 100),
            ):
                with QSignalBlocker(slider):
                    slider.setValue(round(value))
        text = ""
        over_day = self.day_button.isChecked()
        self.day_button.setText("its medium's day" if over_day else "the take")
        if camera is not None and chain is not None and (self._is_what_if or over_day):
            shown = self._judge(camera, self._day(camera) if over_day else 0)
            if shown is not None and self._is_what_if:
                text = f"What if: {short_verdict(shown, numbers)}"
        if judgement is not None:
            sent = numbers.number(judgement.need.average_bytes_per_s / MB)
            self.sent_note.setText(f"dark: sent {sent} MB/s")
        self.what_if_line.setText(text)
        self.reset_button.setVisible(self._is_what_if)
        self.room_label.setText(f"room {numbers.temperature(self.room.value())}")
        self.fill_label.setText(f"full {numbers.percent(self.fill.value() / 100)}")
        self.profile.show_judgement(shown)

    def _judge(self, camera: Camera, over_day: int) -> Judgement | None:
        workbench = self._workbench
        ambient_c, used = float(self.room.value()), self.fill.value() / 100
        if not self._is_what_if:  # the sliders only know whole degrees and per cents
            ambient_c = workbench.document.shoot.ambient_c
        shoot = workbench.document.shoot
        try:
            return judge_what_if(
                shoot,
                camera,
                workbench.catalog,
                workbench.shelf,
                ambient_c,
                used,
                over_day=over_day,
            )
        except VastCellarError as error:
            self.what_if_line.setText(str(error))
            return None

    def _on_setup(self, setup: Setup) -> None:
        camera = self._workbench.subject
        if camera is not None:
            document = self._workbench.document
            document.edit_camera(replace(camera, setup=setup), f"setup of {camera.key}")

    def _on_axis(self, by_bytes: bool) -> None:
        self.axis_button.setText("over gigabytes" if by_bytes else "over minutes")
        self.profile.show_by_bytes(by_bytes)

    def refresh(self) -> None:
        """Show the subject's setup and verdict as they are now."""
        workbench = self._workbench
        camera, judgement = workbench.subject, workbench.judgement
        if camera is None or judgement is None:
            self.pickers.setEnabled(False)
            return
        self.pickers.setEnabled(True)
        if (camera.key, camera.setup) != self._shown_for:
            self._shown_for = camera.key, camera.setup
            self._is_what_if = False
        self.channel.show_judgement(judgement)
        self._show_profile()
        self.link_line.setText(self._link_text())
        self._show_measured()
        self._show_pickers()
        self._show_mends()

    def _show_pickers(self) -> None:
        """Give the choices the setup they change, at once: the next choice builds on this one."""
        workbench, camera = self._workbench, self._workbench.subject
        if camera is not None:
            self.pickers.show_setup(camera.setup, workbench.catalog, workbench.shelf, camera.model)
            self._show_sources(camera.setup)
            self._measured.setVisible(self.pickers.is_more_shown)

    def _show_sources(self, setup: Setup | None) -> None:
        """Say of each part, as its tooltip, what is known of it and from where."""
        catalog, numbers, pickers = (
            self._workbench.catalog,
            self._workbench.look.numbers,
            self.pickers,
        )
        if setup is None:
            return
        if drive := catalog.drives.get(setup.drive_key):
            pickers.drive.setToolTip(drive_details(drive, numbers))
        if enclosure := catalog.enclosures.get(setup.enclosure_key):
            pickers.enclosure.setToolTip(enclosure_details(enclosure, catalog, numbers))
        if cable := catalog.cables.get(setup.cable_key):
            pickers.cable.setToolTip(cable_details(cable, dict(catalog.modes), numbers))

    def _link_text(self) -> str:
        judgement = self._workbench.judgement
        chain = judgement.chain if judgement else None
        if chain is None or chain.mode is None:
            return chain.negotiated.why if chain else ""
        return f"Link: {chain.mode.name}. {_sentence(chain.negotiated.why)}"

    def _show_mends(self) -> None:
        while item := self._cards.takeAt(0):
            if widget := item.widget():
                widget.setParent(None)
                widget.deleteLater()
        workbench = self._workbench
        mends = workbench.verdicts.mends
        for mend in mends.helping[:_MOST_CARDS]:
            made = MendCard(workbench.look, mend, workbench.catalog.currency)
            made.taken.connect(self._on_mend)
            made.hovered.connect(self._on_hover)
            self._cards.addWidget(made)
        if workbench.judgement is None or workbench.judgement.chain is None:
            hint = "Choose a drive above, or look at the Candidates: all that could hold this take."
            self._cards.addWidget(label(hint, "soft"))
            self.mends_note.setText("")
            return
        if not mends.helping:
            self._cards.addWidget(label("No single change of part makes it hold.", "soft"))
        useless = useless_sentence(mends.useless, workbench.look.numbers)
        more = len(mends.helping) + mends.more - _MOST_CARDS
        count = f"{more} more hold too" if more > 0 else ""
        self.mends_note.setText(
            "; ".join(text for text in ("cheapest first", useless, count) if text)
        )

    def _on_mend(self, mend: Mend) -> None:
        camera = self._workbench.subject
        if camera is not None:
            text = f"{mend_title(mend)} for {camera.key}"
            self._workbench.document.edit_camera(replace(camera, setup=mend.setup), text)

    def _on_hover(self, mend: Mend | None) -> None:
        chain = mend.judgement.chain if mend else None
        self.channel.show_ghost(chain)


def parse_measured(text: str, *, where: str = "", decimal_point: str = ".") -> float:
    """Read a rate, or 0 for "typical"."""
    if text.strip().lower() in ("", "typical", "no", "0"):
        return 0.0
    return parse_rate(text, where=where, decimal_point=decimal_point)


def _slider(name: str, low: int, high: int) -> QSlider:
    slider = QSlider(Qt.Orientation.Horizontal)
    slider.setRange(low, high)
    slider.setAccessibleName(name)
    slider.setToolTip(f"{name}: try another; the plan stays")
    slider.setFixedWidth(96)
    return slider


def _sentence(text: str) -> str:
    return f"{text[0].upper()}{text[1:]}."
