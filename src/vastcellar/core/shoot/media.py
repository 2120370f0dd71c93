"""Media filling up over a day: which take goes onto which medium, and when it is changed.

A take that no longer fits is put on a fresh medium before it starts; one that no medium holds
is interrupted. ``fill_media`` says it take by take, ``count_media`` for whole shoots at once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.checks import require_above_zero
from vastcellar.core.shoot.rolls import Take

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

_FIT = 1 + 1e-12  # a take of exactly the room that is left still fits


@dataclass(frozen=True, slots=True)
class Stretch:
    """A piece of a take on one medium; bytes cumulative on that medium."""

    start_s: float
    end_s: float
    bytes_before: float
    bytes_after: float


@dataclass(frozen=True, slots=True)
class Medium:
    """One medium of the day, from when it went in."""

    index: int
    stretches: tuple[Stretch, ...]

    @property
    def recorded_bytes(self) -> float:
        """What it holds at the end of the day."""
        return self.stretches[-1].bytes_after

    @property
    def start_s(self) -> float:
        """When recording onto it starts."""
        return self.stretches[0].start_s


@dataclass(frozen=True, slots=True)
class Reload:
    """A change of medium: between takes, or in the middle of one."""

    at_s: float
    is_inside_take: bool
    is_inside_longest: bool


@dataclass(frozen=True, slots=True)
class DayOnMedia:
    """A camera's day: its takes, the media they fill, and where the media are changed."""

    takes: tuple[Take, ...]
    media: tuple[Medium, ...]
    reloads: tuple[Reload, ...]


def fits_on(asked_bytes: float, room_bytes: float) -> bool:
    """Return whether so much goes onto a medium with that room."""
    return asked_bytes <= room_bytes * _FIT


def fill_media(takes: Sequence[Take], bytes_per_s: float, medium_bytes: float) -> DayOnMedia:
    """Return how *takes* fill media of *medium_bytes*, recorded at *bytes_per_s*.

    Raises BadValueError for a rate or medium that is not above 0.
    """
    require_above_zero("media", bytes_per_s=bytes_per_s, medium_bytes=medium_bytes)
    media: list[list[Stretch]] = []
    reloads: list[Reload] = []
    used = medium_bytes  # none is in yet
    for take in takes:
        at_s, left = take.start_s, take.duration_s * bytes_per_s
        if used > 0 and not fits_on(left, medium_bytes - used):
            if media:
                reloads.append(Reload(at_s, False, False))
            media.append([])
            used = 0.0
        while left > 0:
            room = medium_bytes - used
            if room <= 0:
                reloads.append(Reload(at_s, True, take.is_longest))
                media.append([])
                used, room = 0.0, medium_bytes
            piece = left if fits_on(left, room) else room
            end_s = at_s + piece / bytes_per_s
            media[-1].append(Stretch(at_s, end_s, used, used + piece))
            used, left, at_s = used + piece, left - piece, end_s
    filled = tuple(Medium(index, tuple(stretches)) for index, stretches in enumerate(media))
    return DayOnMedia(tuple(takes), filled, tuple(reloads))


def count_media(
    medium_bytes: FloatArray,
    take_bytes: FloatArray,
    before: IntArray,
    longest_bytes: FloatArray,
    after: IntArray,
) -> IntArray:
    """Return the media that days of takes fill, by the rule of ``fill_media``.

    Args:
        medium_bytes: capacity, broadcastable to the shape of the others.
        take_bytes: of each ordinary take.
        before: ordinary takes before the longest.
        longest_bytes: of the longest take, 0 for none.
        after: ordinary takes after it.

    Returns:
        whole media, of the broadcast shape.

    """
    media = np.zeros(np.broadcast(medium_bytes, take_bytes, longest_bytes).shape, dtype=np.int64)
    room = np.zeros_like(media, dtype=np.float64)
    media, room = _put(media, room, medium_bytes, take_bytes, before)
    media, room = _put(media, room, medium_bytes, longest_bytes, (longest_bytes > 0).astype(int))
    media, _ = _put(media, room, medium_bytes, take_bytes, after)
    return media


def _put(
    media: IntArray, room: FloatArray, medium: FloatArray, take: FloatArray, count: IntArray
) -> tuple[IntArray, FloatArray]:
    """Put *count* equal takes onto media of which the last has *room* left."""
    count = np.where(take > 0, count, 0)
    take = np.where(take > 0, take, 1.0)
    into_open = np.minimum(count, np.floor(room * _FIT / take)).astype(np.int64)
    room = room - into_open * take
    left = count - into_open
    each = np.floor(medium * _FIT / take).astype(np.int64)
    # Takes that no medium holds run over from one into the next, each from a fresh one on.
    spans = np.ceil(take / (medium * _FIT)).astype(np.int64)
    is_whole = each > 0
    fresh = np.where(is_whole, -(-left // np.maximum(each, 1)), left * spans)
    on_last = np.where(is_whole, left - (fresh - 1) * each, 1)
    room_after = np.where(is_whole, medium, spans * medium) - on_last * take
    return media + fresh, np.where(left > 0, room_after, room)
