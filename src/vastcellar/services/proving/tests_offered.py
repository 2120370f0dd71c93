"""The tests that Prove offers: what each is for, what it would write here, and how to make it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.setup_parts import heat_path
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.protocols.amounts import Amount
from vastcellar.core.protocols.steady import ROUNDS
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.core.trace import FloatArray
from vastcellar.core.units import NumberFormat
from vastcellar.core.writing.write_profile import EventKind, Phase, sample, write_profile
from vastcellar.services.proving.alternating import USUAL_TURNS, AlternatingRun, TurnsProof
from vastcellar.services.proving.file_proving import (
    USUAL_STREAM,
    USUAL_STREAMS,
    FilePlan,
    ProjectPlan,
    Stream,
    usual_clips,
    usual_edit_plan,
)
from vastcellar.services.proving.flat_proving import (
    BURST_BYTES,
    FlatPlan,
    burst_plan,
    capacity_plan,
    fit_to_room,
    rig_room_bytes,
)
from vastcellar.services.proving.keeping import AnyProof
from vastcellar.services.proving.offloading import clips_in
from vastcellar.services.proving.places import Place, find_place, require_room_for
from vastcellar.services.proving.protocol_run import ProtocolProof, ProtocolRun
from vastcellar.services.proving.protocols import (
    Protocol,
    ProtocolPlan,
    plan_protocol,
    protocols_known,
)
from vastcellar.services.proving.recorder_proving import (
    load_together,
    plan_folder_proof,
    require_room_for_takes,
    rig_speed,
)
from vastcellar.services.proving.testbeds import FolderTestbed, RigTestbed, Testbed
from vastcellar.services.runs.resting import COOL, Rest, rest_of
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.run_record import RunRecord

__all__ = [
    "FLAT",
    "RECORDER",
    "TESTS",
    "TURNS",
    "Expected",
    "PlanText",
    "Test",
    "Wish",
    "expected_profile",
    "make_proof",
    "offered_tests",
    "plan_text",
]

RECORDER = "recorder"
TURNS = "turns"
FLAT = ("burst", "write", "read", "capacity")
_EXPECTED_POINTS = 400
_LEAST_SHARE = 0.001


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


TESTS = (
    Test(RECORDER, "Recorder test", "A take of the camera, frame by frame, to its full length"),
    Test("burst", "Burst test", "1 GB written and read back: to compare drives, never a take"),
    Test("write", "Flat-out write", "Past the fast cache and into the heat, to see what lasts",
         takes_size=True),
    Test("read", "Read back", "Written, then read past the host's cache, every block checked",
         takes_size=True),
    Test("capacity", "Capacity proof", "The free space filled and read back: does it hold that?"),
    Test(TURNS, "Two folders by turns", "A B, B A, and so on: is the other drive faster or slower?",
         needs_folder=True),
    Test("offload", "Offload test", "Clips copied, flushed one by one, compared with their source",
         takes_size=True, needs_folder=True),
    Test("edit", "Edit test", "Streams with deadlines, one more each time until one misses",
         needs_folder=True),
    Test("project", "Project test", "Small files made, renamed, listed, and read at random",
         needs_folder=True),
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


@dataclass(frozen=True, slots=True)
class PlanText:
    """What a test would do, in a sentence, and what is in its way."""

    text: str
    trouble: VastCellarError | None = None


def _flat_plan(test: Test, amount: Amount, room_bytes: int) -> FlatPlan:
    if test.kind == "burst":
        return burst_plan()
    if test.kind == "capacity":
        return capacity_plan(room_bytes)
    return FlatPlan(
        test.kind,
        amount.bytes_of(room_bytes, room_bytes),
        most_s=amount.most_s or math.inf,
        until_steady=amount.until_steady,
        reads_back=test.kind == "read",
    )


def _file_plan(wish: Wish) -> FilePlan:
    if wish.test.kind == "edit":
        return usual_edit_plan(wish.stream, wish.streams)
    if wish.test.kind == "project":
        return ProjectPlan()
    if wish.clips is not None:
        return clips_in(wish.clips)
    if not wish.amount.size_bytes:
        raise BadValueError(
            "clips are made up to a size", where=wish.test.name, mend="Write for example 20 GB"
        )
    return usual_clips(wish.amount.size_bytes)


def _testbed(wish: Wish, chain: Chain, ambient_c: float, workplace: Workplace) -> Testbed:
    if wish.folder is not None:
        notes = workplace.folders.test_notes
        return FolderTestbed(wish.folder, notes, chain, ambient_c, apart=True, drive_c=wish.drive_c)
    return RigTestbed(chain, ambient_c, workplace)


def plan_text(
    wish: Wish, chain: Chain, ambient_c: float, workplace: Workplace, fmt: NumberFormat
) -> PlanText:
    """Say what the test would write here, about how long that takes and what it wears.

    The time is reckoned with the rate that the chain's drive holds past its cache, so it is long
    rather than short.
    """
    test = wish.test
    try:
        if test.needs_folder and wish.folder is None:
            _require_folder(test)
        place = find_place(wish.folder) if wish.folder else None
        if test.protocol is not None:
            testbed = _testbed(wish, chain, ambient_c, workplace)
            text = _protocol_text(plan_protocol(test.protocol, testbed, wish.loads), chain, fmt)
        elif test.kind == RECORDER:
            text = _recorder_text(wish.loads, chain, place, fmt)
        elif test.kind == TURNS:
            text = _turns_text(_turns(wish, chain, ambient_c, workplace, COOL), chain, fmt)
        elif test.needs_folder:
            text = _file_text(wish, chain, place, fmt)
        else:
            text = _flat_text(wish, chain, place, fmt)
    except VastCellarError as error:
        return PlanText(f"{test.purpose}.", error)
    if place is not None:
        return PlanText(
            f"{text} {place.mount.file_system}, {fmt.size(place.mount.free_bytes)} free."
            + (f" {place.caution[0].upper()}{place.caution[1:]}." if place.caution else "")
        )
    return PlanText(f"{text} {_simulated(wish, fmt)}")


def _require_folder(test: Test) -> None:
    raise BadValueError(
        "a simulated rig has no files to work with",
        where=test.name,
        mend="Choose “Real folder” and a folder on the drive",
    )


def _simulated(wish: Wish, fmt: NumberFormat) -> str:
    if wish.test.kind == RECORDER:
        faster = fmt.number(rig_speed(load_together(wish.loads).duration_s), 0)
        return f"Simulated, {faster} times faster than life: nothing is written to a disk."
    return "Simulated: nothing is written to a disk."


def _worn(bytes_to_write: int, chain: Chain, fmt: NumberFormat) -> list[str]:
    tbw = chain.parts.drive.tbw_bytes
    if not tbw:
        return []
    share = bytes_to_write / tbw
    worn = fmt.percent(share) if share >= _LEAST_SHARE else f"under {fmt.percent(_LEAST_SHARE)}"
    return [f"{worn} of its rated endurance"]


def _recorder_text(
    loads: Sequence[RecorderLoad], chain: Chain, place: Place | None, fmt: NumberFormat
) -> str:
    whole = load_together(loads)
    total = sum(load.total_bytes for load in loads)
    if place is not None:
        require_room_for_takes(plan_folder_proof(Path(place.folder_name), whole))
    together = f" from {len(loads)} cameras at once" if len(loads) > 1 else ""
    parts = [
        f"{fmt.size(total)} paced at {fmt.rate(whole.average_bytes_per_s)}{together}",
        fmt.duration(whole.duration_s),
        *_worn(total, chain, fmt),
    ]
    return f"{', '.join(parts)}."


def _flat_text(wish: Wish, chain: Chain, place: Place | None, fmt: NumberFormat) -> str:
    room = place.room_bytes if place else rig_room_bytes(chain)
    plan = _flat_plan(wish.test, wish.amount, room)
    if place is not None:
        plan = fit_to_room(plan, place)
    is_bounded = plan.until_steady or math.isfinite(plan.most_s)
    parts = [f"Writes {'at most ' if is_bounded else ''}{fmt.size(plan.most_bytes)}"]
    if plan.until_steady:
        parts.append(f"until {ROUNDS} rounds of {plan.round_s:.0f} s are steady")
    seconds = _longest_s(plan, chain)
    if math.isfinite(seconds):
        parts.append(f"up to {fmt.duration(max(round(seconds), 1))}")
    parts += _worn(plan.most_bytes, chain, fmt)
    return f"{wish.test.purpose}. {', '.join(parts)}."


def _file_text(wish: Wish, chain: Chain, place: Place | None, fmt: NumberFormat) -> str:
    plan = _file_plan(wish)
    if place is not None:
        require_room_for(plan.bytes_to_write, place)
    parts = [f"Writes up to {fmt.size(plan.bytes_to_write)}"]
    parts += _worn(plan.bytes_to_write, chain, fmt)
    return f"{wish.test.purpose}. {', '.join(parts)}."


def _turns(
    wish: Wish, chain: Chain, ambient_c: float, workplace: Workplace, rest: Rest
) -> AlternatingRun:
    """Return the comparison by turns. Raises DiskError, BadValueError."""
    if wish.folder is None or wish.other_folder is None:
        raise BadValueError(
            "the second folder isn't named", where=wish.test.name, mend="Choose a folder for B"
        )
    if wish.folder.resolve() == wish.other_folder.resolve():
        raise BadValueError(
            "A and B are the same folder", where=wish.test.name, mend="Choose another one for B"
        )
    return AlternatingRun(
        (wish.folder, wish.other_folder),
        burst_plan(),
        workplace.folders.test_notes,
        USUAL_TURNS,
        chain=chain,
        ambient_c=ambient_c,
        rest=rest,
        apart=True,
    )


def _turns_text(run: AlternatingRun, chain: Chain, fmt: NumberFormat) -> str:
    total = run.bytes_to_write
    parts = [
        f"{run.times} turns of {fmt.size(run.plan.most_bytes)} each",
        f"{fmt.size(total)} into A and as much into B",
        *_worn(total, chain, fmt),
    ]
    return f"{', '.join(parts)}."


def _protocol_text(plan: ProtocolPlan, chain: Chain, fmt: NumberFormat) -> str:
    lasting = _lasting_bytes_per_s(chain)
    steps, whole_s = [], plan.waiting_s
    for each in plan.steps:
        if each.bytes_to_write:
            steps.append(f"{each.step.kind} {fmt.size(each.bytes_to_write)}")
            by_bytes_s = each.bytes_to_write / lasting if lasting else math.inf
            whole_s += min(each.most_s, by_bytes_s)
        else:
            steps.append(f"rest {fmt.duration(each.most_s)}")
    parts = [f"Writes up to {fmt.size(plan.bytes_to_write)}"]
    if math.isfinite(whole_s):
        parts.append(f"up to {fmt.duration(max(round(whole_s), 1))}")
    parts += _worn(plan.bytes_to_write, chain, fmt)
    return f"{', '.join(parts)}: {', '.join(steps)}."


def _lasting_bytes_per_s(chain: Chain) -> float:
    drive = chain.parts.drive
    lasting = drive.writes.direct_write_bytes_per_s if drive.behaviour else math.inf
    return min(chain.link_cap_bytes_per_s, lasting)


def _longest_s(plan: FlatPlan, chain: Chain) -> float:
    lasting = _lasting_bytes_per_s(chain)
    by_bytes_s = plan.most_bytes / lasting if lasting else math.inf
    return min(by_bytes_s, plan.most_s) * (1.5 if plan.reads_back else 1.0)


@dataclass(frozen=True)
class Expected:
    """What the model expects of a flat-out write; both arrays of shape (n,)."""

    minutes: FloatArray
    bytes_per_s: FloatArray


def expected_profile(test: Test, amount: Amount, chain: Chain, ambient_c: float) -> Expected:
    """Return the write profile that the chain's model has for *test*, from rest.

    The model is the unit's own where it was calibrated. Empty where nothing connects, or where
    only the drive's box is known.
    """
    if chain.problem or chain.parts.drive.behaviour is None:
        return Expected(np.empty(0), np.empty(0))
    room = max(rig_room_bytes(chain), BURST_BYTES)
    plan = _flat_plan(test, amount, room)
    run = write_profile(
        chain.parts.drive.writes,
        heat_path(chain.parts, ambient_c),
        chain.link_cap_bytes_per_s,
        (Phase(math.inf, _longest_s(plan, chain) * 1.2 + 1.0),),
        free_bytes=chain.free_bytes,
        capacity_bytes=chain.parts.drive.capacity_bytes,
    )
    full = run.first(EventKind.DRIVE_FULL)
    end_s = full.at_s if full is not None else run.duration_s
    moments = np.linspace(0.0, end_s * 0.999, _EXPECTED_POINTS)
    written = sample(run, moments).written_bytes
    # The test ends with its bytes or its time; the profile is drawn again as finely up to there.
    end_s = min(float(np.interp(plan.most_bytes, written, moments)), plan.most_s)
    moments = np.linspace(0.0, end_s, _EXPECTED_POINTS)
    return Expected(moments / 60, sample(run, moments).written_bytes_per_s)


def make_proof(
    wish: Wish,
    chain: Chain,
    ambient_c: float,
    workplace: Workplace,
    records: Sequence[RunRecord] = (),
) -> AnyProof:
    """Return the test ready to run, in the wish's folder or on a simulated rig of *chain*.

    In a folder it runs in a process of its own: the window and it don't slow each other.

    The *records* of earlier runs tell whether the unit is at rest.
    Raises DiskError, or BadValueError where there is no room or nothing connects.
    """
    test = wish.test
    if test.needs_folder and wish.folder is None:
        _require_folder(test)
    testbed, rest = _testbed(wish, chain, ambient_c, workplace), rest_of(chain, ambient_c, records)
    if test.protocol is not None:
        plan = plan_protocol(test.protocol, testbed, wish.loads)
        if isinstance(testbed, RigTestbed):
            testbed.speed = rig_speed(plan.bytes_to_write / max(_lasting_bytes_per_s(chain), 1.0))
        return ProtocolProof(ProtocolRun(plan, testbed, wish.loads, first_rest=rest))
    if test.kind == RECORDER:
        if isinstance(testbed, RigTestbed):
            testbed.speed = rig_speed(load_together(wish.loads).duration_s)
        return testbed.record(wish.loads)
    if test.kind == TURNS:
        return TurnsProof(_turns(wish, chain, ambient_c, workplace, rest))
    if test.needs_folder:
        return testbed.files(_file_plan(wish))
    room = testbed.room_bytes
    flat = _flat_plan(test, wish.amount, max(room, BURST_BYTES) if not wish.folder else room)
    if isinstance(testbed, RigTestbed):
        testbed.speed = rig_speed(_longest_s(flat, chain))
        rest = COOL
    return testbed.flat(flat, rest, with_fan=False)
