"""Where things lie in the picture of the day: hours across, cameras, cards and drives down."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from PySide6.QtCore import QRectF

from vastcellar.core.roll.day_run import CardTrip, DayRun
from vastcellar.services.roll.day_planning import PlannedDay

AXIS_PX = 40.0
CAMERA_PX = 19.0
CARD_PX = 23.0
READER_PX = 30.0
GAP_PX = 7.0
LOAD_PX = 35.0
LEGEND_PX = 20.0
LABEL_PX = 142.0
RIGHT_PX = 74.0
"""Room for the moment of nine of ten days, which stands beside its line."""
_MOST_SCALE = 1.5
_MARGIN_S = 1200.0


@dataclass(frozen=True)
class CardRow:
    """One card of a camera, with all its trips of the day."""

    camera_key: str
    card_tag: str
    trips: tuple[CardTrip, ...]
    room_bytes: float
    is_on_shelf: bool
    box: QRectF


@dataclass(frozen=True)
class DayRows:
    """Boxes of the rows, and the scale of the hours; all rows reach over the same width."""

    start_s: float
    end_s: float
    left: float
    right: float
    cameras: dict[str, QRectF]
    cards: tuple[CardRow, ...]
    reader: QRectF
    drives: dict[str, QRectF]
    height: float

    def x(self, at_s: float) -> float:
        """Return where a moment lies; the ends for what lies beyond them."""
        inside_s = min(max(at_s, self.start_s), self.end_s)
        share = (inside_s - self.start_s) / (self.end_s - self.start_s)
        return self.left + share * (self.right - self.left)

    def seconds_at(self, x: float) -> float:
        """Return the moment at *x*, also beyond the ends."""
        share = (x - self.left) / (self.right - self.left)
        return self.start_s + share * (self.end_s - self.start_s)

    def span(self, box: QRectF, from_s: float, to_s: float) -> QRectF:
        """Return the part of a row between two moments."""
        left = self.x(from_s)
        return QRectF(left, box.top(), self.x(to_s) - left, box.height())

    def cards_of(self, camera_key: str) -> Iterator[CardRow]:
        """Yield the rows of one camera's cards."""
        return (row for row in self.cards if row.camera_key == camera_key)


def least_height(planned: PlannedDay) -> float:
    """Return how high the picture of a day has to be, to be read."""
    return AXIS_PX + _rows_px(planned) + LEGEND_PX


def _rows_px(planned: PlannedDay) -> float:
    cameras, drives = planned.day.cameras, planned.day.drives
    cards = sum(len(camera.cards) for camera in cameras)
    return (
        len(cameras) * (CAMERA_PX + GAP_PX) + cards * CARD_PX + GAP_PX + READER_PX + 4
        + len(drives) * (LOAD_PX + 4)
    )  # fmt: skip


def lay_out(planned: PlannedDay, width: float, height: float, latest_s: float) -> DayRows:
    """Return where everything lies in a picture; rows take what room there is, within reason.

    Args:
        planned: the day.
        width: of the whole picture.
        height: of the whole picture; below ``least_height`` it overflows.
        latest_s: a moment that has to be seen, besides the day's own.

    """
    scale = min(max((height - AXIS_PX - LEGEND_PX) / _rows_px(planned), 1.0), _MOST_SCALE)
    shoot, run = planned.shoot, planned.run
    calls = [shoot.hours_of(shoot.camera(each.key))[0] for each in planned.day.cameras]
    moments = [shoot.day_end_s, latest_s, run.last_verified_s, run.wrap_s, *_moments(run)]
    start_s = min([shoot.day_start_s, *calls]) - _MARGIN_S / 2
    end_s = max(at_s for at_s in moments if math.isfinite(at_s)) + _MARGIN_S
    left, right = LABEL_PX, max(width - RIGHT_PX, LABEL_PX + 120.0)
    top = AXIS_PX
    cameras: dict[str, QRectF] = {}
    for camera in planned.day.cameras:
        cameras[camera.key] = QRectF(left, top, right - left, CAMERA_PX * scale)
        top += CAMERA_PX * scale
    cards: list[CardRow] = []
    for camera in planned.day.cameras:
        top += GAP_PX * scale
        for card in camera.cards:
            trips = tuple(trip for trip in run.trips if trip.card_tag == card.tag)
            box = QRectF(left, top, right - left, CARD_PX * scale)
            cards.append(
                CardRow(camera.key, card.tag, trips, card.room_bytes, card.is_on_shelf, box)
            )
            top += CARD_PX * scale
    top += GAP_PX * scale
    reader = QRectF(left, top, right - left, READER_PX * scale)
    top += READER_PX * scale + 4
    drives: dict[str, QRectF] = {}
    for drive in planned.day.drives:
        drives[drive.tag] = QRectF(left, top, right - left, LOAD_PX * scale)
        top += LOAD_PX * scale + 4
    return DayRows(
        start_s, end_s, left, right, cameras, tuple(cards), reader, drives, top + LEGEND_PX
    )


def _moments(run: DayRun) -> Iterator[float]:
    for trip in run.trips:
        yield trip.out_s
        yield trip.over_s
    for wait in run.waits:
        yield wait.from_s
