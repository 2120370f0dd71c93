"""Small stores for tests: disks whose arithmetic fits on a napkin."""

from vastcellar.core.edit.arrays import Level, array_of
from vastcellar.core.edit.disks import Disk
from vastcellar.core.edit.edit_load import EditLoad, StreamKind
from vastcellar.core.edit.edit_store import EditStore, Stage, StageKind
from vastcellar.core.parts.parts import WriteBehaviour

MB, TB = 1e6, 1e12
UHD_HQ = 92.17 * MB
"""3840 x 2160 x 3.556 bit x 25 / 8."""


def hard_disk(read=200 * MB, size=8 * TB, **changes):
    """A 3.5 inch disk that reads alike everywhere: seek 8.5 ms, half a turn 4.17 ms."""
    given = {"seek_s": 8.5e-3, "half_turn_s": 4.17e-3}
    return Disk("disk", size, read, WriteBehaviour(read, read), **{**given, **changes})


def ssd(read=500 * MB, size=4 * TB, write=400 * MB, cache=0.0):
    """An SSD without a wait before its first byte."""
    writes = WriteBehaviour(500 * MB, write, cache_static_bytes=cache)
    return Disk("ssd", size, read, writes, seek_s=0.0)


def array(level=Level.SINGLE, count=1, disk=None, **changes):
    """So many equal disks at a level."""
    return array_of(level, [disk or hard_disk()] * count, **changes)


def store(level=Level.SINGLE, count=1, disk=None, links=(), **changes):
    """A store with links of so many bytes a second in a row."""
    stages = tuple(Stage(StageKind.PORT, f"link {n}", rate) for n, rate in enumerate(links))
    return EditStore("store", array(level, count, disk), stages, **changes)


def uhd(**changes):
    """A stream of UHD 422 HQ at 25, with half a second of read-ahead."""
    return StreamKind("UHD 422 HQ", **{"bytes_per_s": UHD_HQ, "frames_per_s": 25.0, **changes})


def load(stream=None, **changes):
    """Such streams at one desk."""
    return EditLoad(stream or uhd(), **changes)
