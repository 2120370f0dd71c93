"""Small shooting days for tests: plain drives whose arithmetic fits on a napkin."""

from dataclasses import replace

from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.roll.day import CameraDay, Card, CopyDrive, Reader, RollDay
from vastcellar.core.shoot.offload import Person
from vastcellar.core.shoot.rolls import Take
from vastcellar.core.writing.heat import HeatPath

GB = 1e9
MB = 1e6
HOUR = 3600.0
FAST = 4000 * MB
PATH = HeatPath(12, 60, 2, 5, 0.0, 20)


def plain(write_bytes_per_s):
    """How a drive writes that has neither cache nor throttle."""
    return WriteBehaviour(write_bytes_per_s, write_bytes_per_s)


def drive(tag="K-1", write=400 * MB, read=400 * MB, link=FAST, **changes):
    """A drive that always writes and reads alike."""
    value = CopyDrive(tag, tag, plain(write), PATH, link, link, read, 8e12, 8e12)
    return replace(value, **changes)


def takes(*spans):
    """Takes from (start h, minutes)."""
    return tuple(Take(start_h * HOUR, minutes * 60) for start_h, minutes in spans)


def cards(prefix, count, room=100 * GB, read=FAST, reader="r"):
    """So many cards alike."""
    return tuple(Card(f"{prefix}{n}", room, ((reader, read),)) for n in range(1, count + 1))


def camera(spans, key="A", count=1, rate=100 * MB, **changes):
    """A camera with so many cards of 100 GB."""
    value = CameraDay(key, key, takes(*spans), rate, cards(f"{key}-", count))
    return replace(value, **changes)


def day(*cameras, drives=None, **changes):
    """A day with one reader and one person, no walks and no time to swap."""
    given = {
        "cameras": cameras,
        "readers": (Reader("r", "reader"),),
        "drives": drives or (drive(),),
        "people": (Person("technician"),),
        "walk_s": 0.0,
        "swap_s": 0.0,
        "verified_copies": 1,
    }
    return RollDay(**{**given, **changes})
