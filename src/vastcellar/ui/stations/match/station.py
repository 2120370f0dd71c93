"""The station Match: will this drive, in this case, on this cable and port, hold the take?"""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from vastcellar.core.mends import Mend
from vastcellar.core.shoot import Setup
from vastcellar.services.wording import mend_title, reason, useless_sentence
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.match.channel_view import ChannelView
from vastcellar.ui.stations.match.mend_cards import MendCard
from vastcellar.ui.stations.match.part_pickers import PartPickers
from vastcellar.ui.stations.match.profile_view import ProfileView
from vastcellar.ui.widgets.cards import card, label, row
from vastcellar.ui.widgets.verdict_line import VerdictLine

_MOST_CARDS = 3


class MatchStation(QWidget):
    """Verdict, channel, write profile, and what would help."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self._bench = bench
        look = bench.look
        self.title = label(kind="title")
        self.subtitle = label(kind="soft")
        self.verdict = VerdictLine(look)
        self.reason = label(kind="soft")
        self.channel = ChannelView(look)
        self.link_line = label(kind="soft")
        self.pickers = PartPickers()
        self.profile = ProfileView(look)
        self.axis_button = QPushButton("over minutes")
        self.axis_button.setObjectName("link")
        self.axis_button.setCheckable(True)
        self.profile_note = label(kind="soft")
        self.mends_head = label("What would help", "head")
        self.mends_note = label(kind="soft")
        self._cards = QHBoxLayout()
        self._cards.setSpacing(10)
        self._lay_out()
        self.channel.asked.connect(bench.sum_asked)
        self.pickers.chosen.connect(self._on_setup)
        self.axis_button.toggled.connect(self._on_axis)
        bench.judged.connect(self.refresh)
        bench.mended.connect(self._show_mends)
        bench.shelf_changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 10, 18, 8)
        layout.setSpacing(5)
        layout.addLayout(row(self.title, self.subtitle, spacing=14))
        layout.addWidget(self.verdict)
        layout.addWidget(self.reason)
        frame, inside = card()
        inside.addWidget(self.channel, 1)
        inside.addWidget(self.link_line)
        inside.addWidget(self.pickers)
        layout.addWidget(frame, 5)
        frame, inside = card()
        inside.setSpacing(2)
        head = row(
            label("Write profile of the take", "head"),
            self.profile_note,
        )
        head.addWidget(label("MB/s", "soft"))
        head.addWidget(self.axis_button)
        inside.addLayout(head)
        inside.addWidget(self.profile, 1)
        layout.addWidget(frame, 6)
        layout.addLayout(row(self.mends_head, self.mends_note, spacing=12))
        layout.addLayout(self._cards)

    def _on_setup(self, setup: Setup) -> None:
        camera = self._bench.subject
        if camera is not None:
            document = self._bench.document
            document.edit_camera(replace(camera, setup=setup), f"setup of {camera.key}")

    def _on_axis(self, by_bytes: bool) -> None:
        self.axis_button.setText("over gigabytes" if by_bytes else "over minutes")
        self.profile.show_by_bytes(by_bytes)

    def refresh(self) -> None:
        """Show the subject's setup and verdict as they are now."""
        bench = self._bench
        camera, judgement = bench.subject, bench.judgement
        if camera is None or judgement is None:
            self.title.setText("No camera yet")
            self.subtitle.setText("Add one in Shoot (Ctrl+1)")
            self.pickers.setEnabled(False)
            return
        self.pickers.setEnabled(True)
        chain = judgement.chain
        where = f" on {chain.parts.name}" if chain else ""
        self.title.setText(f"{camera.key} {camera.name}{where}")
        self.subtitle.setText(self._describe())
        self.verdict.show_judgement(judgement, camera)
        self.reason.setText(reason(judgement, camera, bench.look.numbers))
        self.channel.show_judgement(judgement)
        self.profile.show_judgement(judgement)
        sent = bench.look.numbers.rate(judgement.need.average_bytes_per_s)
        self.profile_note.setText(f"water: what the drive can take · dark line: sent, {sent}")
        self.link_line.setText(self._link_text())
        self.pickers.show_setup(camera.setup, bench.catalog, bench.shelf, camera.model)
        self._show_mends()

    def _describe(self) -> str:
        judgement = self._bench.judgement
        chain = judgement.chain if judgement else None
        if chain is None:
            return ""
        parts = chain.parts
        drive = parts.drive.name
        case = f" in {parts.enclosure.name}" if parts.enclosure else ""
        return f"{drive}{case}"

    def _link_text(self) -> str:
        judgement = self._bench.judgement
        chain = judgement.chain if judgement else None
        if chain is None or chain.mode is None:
            return chain.negotiated.why if chain else ""
        return f"Link: {chain.mode.name}. {_sentence(chain.negotiated.why)}"

    def _show_mends(self) -> None:
        while item := self._cards.takeAt(0):
            if widget := item.widget():
                widget.setParent(None)
                widget.deleteLater()
        bench = self._bench
        mends = bench.mends
        for mend in mends.helping[:_MOST_CARDS]:
            made = MendCard(bench.look, mend, bench.catalog.currency)
            made.taken.connect(self._on_mend)
            made.hovered.connect(self._on_hover)
            self._cards.addWidget(made)
        if not mends.helping:
            self._cards.addWidget(label("No single change of part makes it hold.", "soft"))
        useless = useless_sentence(mends.useless, bench.look.numbers)
        more = len(mends.helping) - _MOST_CARDS
        count = f"{more} more hold too" if more > 0 else ""
        self.mends_note.setText(
            "; ".join(text for text in ("cheapest first", useless, count) if text)
        )

    def _on_mend(self, mend: Mend) -> None:
        camera = self._bench.subject
        if camera is not None:
            text = f"{mend_title(mend)} for {camera.key}"
            self._bench.document.edit_camera(replace(camera, setup=mend.setup), text)

    def _on_hover(self, mend: Mend | None) -> None:
        chain = mend.judgement.chain if mend else None
        self.channel.show_ghost(chain, mend_title(mend) if mend else "")


def _sentence(text: str) -> str:
    return f"{text[0].upper()}{text[1:]}."
