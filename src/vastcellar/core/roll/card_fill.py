"""A card in a camera: which takes go onto it, how long, and when it comes out again."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.roll.day import CameraDay
from vastcellar.core.shoot.media import fits_on


@dataclass(frozen=True, slots=True)
class Position:
    """How far a camera has come in its takes."""

    take: int = 0
    """The take that is next, or that was interrupted."""
    left_s: float = 0.0
    """What is still to be recorded of an interrupted take; 0 where it is a whole one."""
    free_s: float = 0.0
    """When the camera was done with what came before."""


@dataclass(frozen=True, slots=True)
class Recorded:
    """A take, or a piece of one, on a card."""

    start_s: float
    end_s: float
    bytes_before: float
    bytes_after: float


@dataclass(frozen=True, slots=True)
class CameraWait:
    """A camera that would record and has no card."""

    camera_key: str
    from_s: float
    until_s: float
    card_tag: str
    """The card that ended it."""
    is_inside_take: bool = False

    @property
    def duration_s(self) -> float:
        """How long it waits; infinite where no card comes back."""
        return self.until_s - self.from_s


@dataclass(frozen=True, slots=True)
class CardFill:
    """What a card holds when it comes out."""

    recorded: tuple[Recorded, ...]
    out_s: float
    after: Position
    wait: CameraWait | None = None

    @property
    def card_bytes(self) -> float:
        """Recorded in all."""
        return self.recorded[-1].bytes_after if self.recorded else 0.0


def next_start_s(camera: CameraDay, at: Position) -> float:
    """Return when *camera* wants to record next; the time it was free where it is interrupted."""
    if at.left_s > 0:
        return at.free_s
    return max(camera.takes[at.take].start_s, at.free_s)


def fill_card(
    camera: CameraDay, at: Position, card_tag: str, room_bytes: float, in_s: float, *, spare: bool
) -> CardFill:
    """Return what goes onto a card that is put in at *in_s*, by the rule of ``fill_media``.

    Args:
        camera: with its takes.
        at: how far it has come; there must be something left to record.
        card_tag: of the card.
        room_bytes: on it.
        in_s: when it is in.
        spare: whether another card is at hand, so that this one may be changed early.

    """
    recorded: list[Recorded] = []
    wanted_s = next_start_s(camera, at)
    wait = None
    if in_s > wanted_s:
        wait = CameraWait(camera.key, wanted_s, in_s, card_tag, is_inside_take=at.left_s > 0)
    used, take, left_s, free_s = 0.0, at.take, at.left_s, max(at.free_s, in_s)
    while take < len(camera.takes):
        duration_s = left_s or camera.takes[take].duration_s
        start_s = free_s if left_s else max(camera.takes[take].start_s, free_s)
        room = room_bytes - used
        asked = duration_s * camera.bytes_per_s
        if used > 0 and not fits_on(asked, room):
            break
        early_s = next((s for s in camera.changes_s if in_s < s <= start_s), None)
        if used > 0 and spare and early_s is not None:
            free_s = max(free_s, early_s)
            break
        piece_s = duration_s if fits_on(asked, room) else room / camera.bytes_per_s
        end_s = start_s + piece_s
        after = used + piece_s * camera.bytes_per_s
        recorded.append(Recorded(start_s, end_s, used, after))
        used, free_s = after, end_s
        if piece_s < duration_s:
            left_s = duration_s - piece_s
            break
        take, left_s = take + 1, 0.0
    return CardFill(tuple(recorded), free_s, Position(take, left_s, free_s), wait)


def out_of_cards_s(camera: CameraDay, at: Position, rooms_bytes: tuple[float, ...]) -> float:
    """Return when *camera* wants another card than those with *rooms_bytes* that it has.

    Infinite where it wants none any more.
    """
    for room_bytes in rooms_bytes:
        if at.take >= len(camera.takes):
            break
        at = fill_card(camera, at, "", room_bytes, at.free_s, spare=False).after
    return next_start_s(camera, at) if at.take < len(camera.takes) else float("inf")
