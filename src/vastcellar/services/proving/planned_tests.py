"""A test planned once: announced in a sentence, and then run as it was announced."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

import numpy as np

from vastcellar.core.chain.chain import Chain
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.trace import FloatArray
from vastcellar.core.units import NumberFormat
from vastcellar.core.writing.write_profile import sample
from vastcellar.services.proving.alternating import USUAL_TURNS, AlternatingEdit, AlternatingRun
from vastcellar.services.proving.file_proving import (
    FilePlan,
    ProjectPlan,
    usual_clips,
    usual_edit_plan,
)
from vastcellar.services.proving.flat_proving import (
    BURST_BYTES,
    FlatPlan,
    burst_plan,
    capacity_plan,
    fit_to_room,
)
from vastcellar.services.proving.keeping import AnyProof
from vastcellar.services.proving.offloading import clips_in
from vastcellar.services.proving.places import find_place, require_room_for
from vastcellar.services.proving.planned_kinds import (
    PlannedFiles,
    PlannedFlat,
    PlannedRecorder,
    PlannedSet,
    PlannedTest,
    PlannedTurns,
)
from vastcellar.services.proving.protocols import plan_protocol
from vastcellar.services.proving.reckoned_time import (
    flat_out_phase,
    model_profile,
)
from vastcellar.services.proving.recorder_proving import (
    load_together,
    plan_folder_proof,
    require_room_for_takes,
)
from vastcellar.services.proving.testbeds import FolderTestbed, RigTestbed, Testbed
from vastcellar.services.proving.tests_offered import RECORDER, Test, Wish
from vastcellar.services.runs.resting import (
    COOL,
    UNKNOWN_REST_S,
    Rest,
    rest_of,
    seconds_since_last_run,
)
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.run_record import RunRecord

__all__ = [
    "Expected",
    "PlanText",
    "PlannedTest",
    "expected_profile",
    "make_proof",
    "plan_test",
    "plan_text",
]

_EXPECTED_POINTS = 400


def plan_test(
    wish: Wish, chain: Chain | None, ambient_c: float, workplace: Workplace
) -> PlannedTest:
    """Return what *wish* comes to here: what it writes, and how long that takes.

    Raises DiskError where a folder can't be used; BadValueError where there is no room, where
    nothing connects, or for files on a rig.
    """
    test = wish.test
    if test.needs_folder and wish.folder is None:
        raise BadValueError(
            "a simulated rig has no files to work with",
            where=test.name,
            mend="Choose “Real folder” and a folder on the drive",
        )
    if test.records_a_take and not wish.loads:
        raise BadValueError(
            "a take is a camera's", where=test.name, mend="Add a camera in Shoot (Ctrl+1)"
        )
    place = find_place(wish.folder) if wish.folder else None
    base = wish, chain, ambient_c, place
    testbed = _testbed(wish, chain, ambient_c, workplace)
    if test.protocol is not None:
        return PlannedSet(*base, plan_protocol(test.protocol, testbed, wish.loads))
    if test.kind == RECORDER:
        if wish.folder is not None:
            require_room_for_takes(plan_folder_proof(wish.folder, load_together(wish.loads)))
        return PlannedRecorder(*base)
    if test.is_by_turns:
        return PlannedTurns(*base, _turns(wish, chain, ambient_c, workplace))
    if test.needs_folder:
        files = _file_plan(wish)
        if place is not None:
            require_room_for(files.bytes_to_write, place)
        return PlannedFiles(*base, files)
    room = testbed.room_bytes
    flat = _flat_plan(test, wish, room if place else max(room, BURST_BYTES))
    if place is None:  # a rig writes no more than its drive has room for
        return PlannedFlat(*base, replace(flat, most_bytes=max(min(flat.most_bytes, room), 1)))
    return PlannedFlat(*base, fit_to_room(flat, place))


def make_proof(
    planned: PlannedTest, workplace: Workplace, records: Sequence[RunRecord] = ()
) -> AnyProof:
    """Return the test ready to run as it was planned, in its folder or on a simulated rig.

    In a folder it runs in a process of its own: the window and it don't slow each other. The
    *records* of earlier runs tell whether the unit is at rest.
    Raises DiskError, or BadValueError where there is no room any more.
    """
    wish, chain, ambient_c = planned.wish, planned.chain, planned.ambient_c
    testbed = _testbed(wish, chain, ambient_c, workplace)
    if isinstance(testbed, RigTestbed):
        testbed.speed = planned.rig_speed
    if chain is not None:
        return planned.proof(testbed, rest_of(chain, ambient_c, records))
    rested_s = seconds_since_last_run(records, wish.unit_tag, datetime.now(UTC))
    return planned.proof(testbed, Rest(rested_s, UNKNOWN_REST_S))


def _testbed(wish: Wish, chain: Chain | None, ambient_c: float, workplace: Workplace) -> Testbed:
    if wish.folder is not None:
        notes = workplace.folders.test_notes
        return FolderTestbed(wish.folder, notes, chain, ambient_c, apart=True, drive_c=wish.drive_c)
    if chain is None:
        raise BadValueError(
            "there is nothing to simulate",
            where="simulated rig",
            mend="Choose what the camera records to in Match (Ctrl+2), or a folder on a drive",
        )
    return RigTestbed(chain, ambient_c, workplace)


def _flat_plan(test: Test, wish: Wish, room_bytes: int) -> FlatPlan:
    amount = wish.amount
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
    if wish.test.plays_streams:
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


def _turns(
    wish: Wish, chain: Chain | None, ambient_c: float, workplace: Workplace
) -> AlternatingRun | AlternatingEdit:
    if wish.folder is None or wish.other_folder is None:
        raise BadValueError(
            "the second folder isn't named", where=wish.test.name, mend="Choose a folder for B"
        )
    if wish.folder.resolve() == wish.other_folder.resolve():
        raise BadValueError(
            "A and B are the same folder", where=wish.test.name, mend="Choose another one for B"
        )
    both, notes = (wish.folder, wish.other_folder), workplace.folders.test_notes
    if wish.test.plays_streams:
        plan = usual_edit_plan(wish.stream, wish.streams)
        return AlternatingEdit(both, plan, notes, chain=chain, ambient_c=ambient_c, apart=True)
    return AlternatingRun(
        both,
        burst_plan(),
        notes,
        USUAL_TURNS,
        chain=chain,
        ambient_c=ambient_c,
        rest=COOL,
        apart=True,
    )


@dataclass(frozen=True, slots=True)
class PlanText:
    """What a test would do, in a sentence, and what is in its way."""

    text: str
    planned: PlannedTest | None = None
    trouble: VastCellarError | None = None


def plan_text(
    wish: Wish, chain: Chain | None, ambient_c: float, workplace: Workplace, fmt: NumberFormat
) -> PlanText:
    """Plan the test and say what it would write here, how long that takes and what it wears."""
    try:
        planned = plan_test(wish, chain, ambient_c, workplace)
        return PlanText(f"{planned.text(fmt)} {planned.where(fmt)}", planned)
    except VastCellarError as error:
        return PlanText(wish.test.purpose_sentence, trouble=error)


@dataclass(frozen=True)
class Expected:
    """What the model expects of a flat-out write; both arrays of shape (n,)."""

    minutes: FloatArray
    bytes_per_s: FloatArray


def expected_profile(wish: Wish, chain: Chain, ambient_c: float) -> Expected:
    """Return the write profile that the chain's model has for a flat-out test, from rest.

    Empty where nothing connects, or where only the drive's box is known.
    """
    plan = _flat_plan(wish.test, wish, max(int(chain.free_bytes), BURST_BYTES))
    phases = [flat_out_phase(plan.most_bytes, plan.most_s)]
    run = model_profile(chain, ambient_c, phases, plan.most_bytes)
    if run is None:
        return Expected(np.empty(0), np.empty(0))
    moments = np.linspace(0.0, run.duration_s, _EXPECTED_POINTS)
    return Expected(moments / 60, sample(run, moments).written_bytes_per_s)
