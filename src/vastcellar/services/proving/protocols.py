"""Protocols: named sets of tests, and what each would write and take here."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.errors import BadValueError
from vastcellar.core.protocols.protocol_text import steps_text
from vastcellar.core.protocols.protocols import Protocol, ProtocolStep, StepKind
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.services.proving.file_proving import ProjectPlan, usual_clips, usual_edit_plan
from vastcellar.services.proving.flat_proving import BURST_BYTES
from vastcellar.services.proving.places import require_room
from vastcellar.services.proving.testbeds import Testbed
from vastcellar.services.runs.resting import USUAL_ROOM_C, chain_rest_s
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.own_catalog import own_key
from vastcellar.store.protocol_files import all_protocols, save_own_protocol

__all__ = [
    "Protocol",
    "ProtocolPlan",
    "StepKind",
    "StepPlan",
    "keep_own_protocol",
    "own_protocol",
    "plan_protocol",
    "protocol_named",
    "protocols_known",
]

_DEFAULT_WRITE_BYTES = 20_000_000_000
_WITH_FILES = (StepKind.EDIT, StepKind.PROJECT, StepKind.OFFLOAD)


def protocols_known(places: Folders) -> tuple[Protocol, ...]:
    """Return the shipped protocols and those of one's own. Raises BadFileError."""
    return tuple(all_protocols(places.protocols_folder).values())


def own_protocol(name: str, steps: tuple[ProtocolStep, ...], *, is_pair: bool = False) -> Protocol:
    """Return a protocol of one's own. Raises BadValueError without a name, or for a bad pair."""
    if not name.strip():
        raise BadValueError("it has no name", where="Name", mend="Give it one")
    return Protocol(own_key(name), name.strip(), steps_text(steps), steps, is_pair)


def keep_own_protocol(protocol: Protocol, places: Folders) -> None:
    """Keep a protocol of one's own. Raises BadFileError; the file is then as it was."""
    save_own_protocol(protocol, places.protocols_folder)


def protocol_named(key: str, places: Folders) -> Protocol:
    """Return the protocol *key*. Raises BadValueError for one that isn't known."""
    found = all_protocols(places.protocols_folder)
    if key not in found:
        raise BadValueError(
            f"there is no protocol {key!r}",
            where="protocol",
            mend=f"Choose one of {', '.join(sorted(found))}",
        )
    return found[key]


@dataclass(frozen=True)
class StepPlan:
    """A step as it will be done here: what it writes at most and how long it takes at most."""

    step: ProtocolStep
    bytes_to_write: int
    most_s: float
    """Infinite where only the drive's speed tells."""

    @property
    def reads_back(self) -> bool:
        """Whether what was written is read, too."""
        return self.step.kind in (StepKind.READ, StepKind.BURST, StepKind.CAPACITY)


@dataclass(frozen=True)
class ProtocolPlan:
    """All steps as they will be done here, each as often as it is done."""

    protocol: Protocol
    steps: tuple[StepPlan, ...]

    @property
    def bytes_to_write(self) -> int:
        """Of all steps together, at most."""
        return sum(each.bytes_to_write for each in self.steps)

    @property
    def waiting_s(self) -> float:
        """Of all pauses together."""
        return sum(each.most_s for each in self.steps if each.step.kind is StepKind.PAUSE)


def plan_protocol(
    protocol: Protocol, testbed: Testbed, loads: Sequence[RecorderLoad] = ()
) -> ProtocolPlan:
    """Return what each step would write and take on *testbed*.

    The rest of a cooling pair is as long as this drive in this case needs, where that is known.
    Raises BadValueError where there is no room, where a take is to be recorded and none is
    given, or for tests with files on a rig; DiskError where the folder can't be used.
    """
    plans: list[StepPlan] = []
    room = testbed.room_bytes
    for step in protocol.steps:
        if step.kind in _WITH_FILES and testbed.is_simulated:
            testbed.files(ProjectPlan())  # says why not
        plan = StepPlan(
            step, _step_bytes(step, room, loads), _step_s(protocol, step, testbed, loads)
        )
        require_room(plan.bytes_to_write, room, testbed.name)
        plans += [plan] * step.times
    return ProtocolPlan(protocol, tuple(plans))


def _step_bytes(step: ProtocolStep, room: int, loads: Sequence[RecorderLoad]) -> int:
    if step.kind is StepKind.PAUSE:
        return 0
    if step.kind is StepKind.BURST:
        return BURST_BYTES
    if step.kind is StepKind.RECORD:
        if not loads:
            raise BadValueError(
                "it records a take and none is given",
                where="protocol",
                mend="Give the camera's rate and the length of the take",
            )
        return sum(load.total_bytes for load in loads)
    if step.kind is StepKind.EDIT:
        return usual_edit_plan().bytes_to_write
    if step.kind is StepKind.PROJECT:
        return ProjectPlan().bytes_to_write
    if step.kind is StepKind.CAPACITY:
        return room
    if step.kind is StepKind.OFFLOAD:
        return usual_clips(step.bytes_of(room, _DEFAULT_WRITE_BYTES)).bytes_to_write
    return step.bytes_of(room, _DEFAULT_WRITE_BYTES)


def _step_s(
    protocol: Protocol, step: ProtocolStep, testbed: Testbed, loads: Sequence[RecorderLoad]
) -> float:
    if step.kind is StepKind.PAUSE:
        chain = testbed.chain
        if protocol.is_cooling_pair and chain is not None:
            return chain_rest_s(chain, USUAL_ROOM_C)
        return step.pause_s
    if step.kind is StepKind.RECORD and loads:
        return max(load.duration_s for load in loads)
    return step.most_s or math.inf
