"""Cards that were copied, made up for tests."""

from datetime import UTC, datetime

from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.roll.copies import (
    CopyOutcome,
    CopyState,
    DestinationOutcome,
    FileOnOne,
    FileOutcome,
)
from vastcellar.core.roll.copy_log import KeptCopy, KeptPlace

AT = datetime(2026, 11, 27, 12, 0, tzinfo=UTC)
VERIFIED, COPIED = CopyState.VERIFIED, CopyState.COPIED


def device(serial="", uuid=""):
    """A device by its serial number, or by its file system."""
    return DeviceIdentity("made up", serial, 10**12, uuid)


def clip(name, *states, size=100, digest="", modified=7, trouble=""):
    """A file of the card, with a state on each destination."""
    digest = digest or f"{abs(hash(name)):032x}"[-32:]
    return FileOutcome(name, size, digest, tuple(FileOnOne(s) for s in states), trouble, modified)


def kept(*files, name="A001", drives=("one", "two"), devices=None, at=AT, copy_id=1, **changes):
    """A kept copy to as many destinations as there are drives."""
    destinations = tuple(DestinationOutcome(f"/media/{each}", (each,)) for each in drives)
    devices = devices or tuple(device(f"SN-{each}-1") for each in drives)
    seen_s = at.timestamp()
    outcome = CopyOutcome(
        f"/media/card/{name}", destinations, tuple(files),
        card_seen_s=seen_s, card_seen_again_s=seen_s + 60, read_back_s=seen_s + 59,
    )  # fmt: skip
    return KeptCopy(name, at, outcome, tuple(KeptPlace(d) for d in devices), copy_id, **changes)
