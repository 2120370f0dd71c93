"""What is played in an edit test: how many streams at most, and of what."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QHBoxLayout, QWidget

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.file_proving import MOST_STREAMS, USUAL_STREAMS, Stream
from vastcellar.services.proving.recorder_loads import streams_of_shoot
from vastcellar.ui.widgets.cards import label
from vastcellar.ui.widgets.inputs import Choice, QuantityField, parse_whole

_NARROW, _WIDE, _NARROW_PX = 10, 24, 190
"""Letters of a stream that are shown at least."""
_ANY_PX = (1 << 24) - 1


class EditFields(QWidget):
    """Up to so many streams of the usual edit format, or of what a camera of the shoot records."""

    changed = Signal()
    refused = Signal(object)

    def __init__(self, numbers: NumberFormat) -> None:
        super().__init__()
        self._numbers = numbers
        self.streams = USUAL_STREAMS
        self.count = QuantityField("Streams", parse_whole, lambda value: numbers.number(value, 0))
        self.count.setFixedWidth(56)
        self.count.show_value(self.streams)
        self.choice = Choice("Stream")
        self.be_narrow(is_on=False)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        for widget in (label("Up to"), self.count, label("streams of"), self.choice):
            layout.addWidget(widget)
        self.count.entered.connect(self._on_count)
        self.count.refused.connect(self.refused)
        self.choice.currentIndexChanged.connect(self.changed)

    def be_narrow(self, *, is_on: bool) -> None:
        """Leave room for what else stands on the line."""
        self.choice.setMinimumContentsLength(_NARROW if is_on else _WIDE)
        self.choice.setMaximumWidth(_NARROW_PX if is_on else _ANY_PX)

    @property
    def stream(self) -> Stream:
        """What each stream plays."""
        chosen: Stream = self.choice.currentData()
        return chosen

    def show_shoot(self, shoot: Shoot) -> None:
        """Offer what the cameras of *shoot* record; the choice stays where it still exists."""
        offered = streams_of_shoot(shoot)
        if [self.choice.itemData(n) for n in range(self.choice.count())] == list(offered):
            return
        name = self.stream.name if self.choice.count() else ""
        with QSignalBlocker(self.choice):
            self.choice.clear()
            for each in offered:
                rate = self._numbers.rate(each.bytes_per_s, 1)
                self.choice.addItem(f"{each.name} · {rate}", each)
            names = [each.name for each in offered]
            self.choice.setCurrentIndex(names.index(name) if name in names else 0)

    def _on_count(self, streams: int) -> None:
        if not 1 <= streams <= MOST_STREAMS:
            self.count.refuse(
                BadValueError(
                    f"{streams} streams can't be played",
                    where="Streams",
                    mend=f"Write 1 to {MOST_STREAMS}",
                )
            )
            return
        self.streams = streams
        self.changed.emit()
