"""The tests that Prove offers: what each is for, and what may be asked of it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from vastcellar.core.protocols.amounts import Amount
from vastcellar.core.protocols.protocols import StepKind
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.services.proving.file_proving import USUAL_STREAM, USUAL_STREAMS, Stream
from vastcellar.services.proving.protocols import Protocol, protocols_known
from vastcellar.services.proving.shown import AS_COPY, AS_FLAT, AS_PARTS, AS_TAKE, AS_TURNS, Shown
from vastcellar.services.workplace.folders import Folders

RECORDER = "recorder"
TURNS, EDIT_TURNS = "turns", "edit turns"
FLAT = ("burst", "write", "read", "capacity")


@dataclass(frozen=True, slots=True)
class Test:
    """One kind of test as it is offered."""

    __test__ = False  # not a pytest class

    kind: str
    name: str
    purpose: str
    takes_size: bool = False
    needs_folder: bool = False
    protocol: Protocol | None = None
    shown: Shown = AS_FLAT

    @property
    def purpose_sentence(self) -> str:
        """What it is for, with its stop."""
        return self.purpose if self.purpose.endswith("?") else f"{self.purpose}."

    @property
    def is_by_turns(self) -> bool:
        """Whether it compares two folders."""
        return self.kind in (TURNS, EDIT_TURNS)

    @property
    def plays_streams(self) -> bool:
        """Whether somebody says which streams are played, and how many."""
        return self.kind in ("edit", EDIT_TURNS)

    @property
    def records_a_take(self) -> bool:
        """Whether it is a camera's take, by itself or in a set."""
        if self.protocol is None:
            return self.kind == RECORDER
        return any(step.kind is StepKind.RECORD for step in self.protocol.steps)


TESTS = (
    Test(RECORDER, "Recorder test", "A take of the camera, frame by frame, to its full length",
         shown=AS_TAKE),
    Test("burst", "Burst test", "1 GB written and read back: to compare drives, never a take"),
    Test("write", "Flat-out write", "Past the fast cache and into the heat, to see what lasts",
         takes_size=True),
    Test("read", "Read back", "Written, then read past the host's cache, every block checked",
         takes_size=True),
    Test("capacity", "Capacity proof", "The free space filled and read back: does it hold that?"),
    Test(TURNS, "Two folders by turns", "A B, B A, and so on: is the other drive faster or slower?",
         needs_folder=True, shown=AS_TURNS),
    Test("offload", "Offload test", "Clips copied, flushed one by one, compared with their source",
         takes_size=True, needs_folder=True, shown=AS_COPY),
    Test("edit", "Edit test", "Streams with deadlines, one more each time until one misses",
         needs_folder=True, shown=AS_PARTS),
    Test(EDIT_TURNS, "Edit test by turns", "Encrypted or plain, mirror or one: which holds more?",
         needs_folder=True, shown=AS_TURNS),
    Test("project", "Project test", "Small files made, renamed, listed, and read at random",
         needs_folder=True, shown=AS_PARTS),
)  # fmt: skip


def offered_tests(places: Folders) -> tuple[Test, ...]:
    """Return every test, protocols last. Raises BadFileError for a protocol file of one's own."""
    sets = [
        Test(f"protocol {each.key}", f"Set: {each.name}", each.purpose, protocol=each)
        for each in protocols_known(places)
    ]
    return (*TESTS, *sets)


@dataclass(frozen=True)
class Wish:
    """What somebody asks for: a test, where, and how much of it."""

    test: Test
    amount: Amount
    loads: tuple[RecorderLoad, ...]
    """Of the camera, or of all that record at once."""
    folder: Path | None
    """None for a simulated rig."""
    clips: Path | None = None
    """To offload; None makes them up."""
    other_folder: Path | None = None
    """The second of two that are compared by turns."""
    stream: Stream = USUAL_STREAM
    streams: int = USUAL_STREAMS
    """What is edited, and up to how many at once."""
    drive_c: float | None = None
    """The drive's temperature now, where no sensor tells it."""
    unit_tag: str = ""
    """The unit that a device measured for itself is, "" for none."""
    tbw_bytes: float = 0.0
    """Rated endurance of that device, 0 where it isn't known."""
    link_bytes_per_s: float = 0.0
    """What its link carries at best, 0 where it isn't known."""
