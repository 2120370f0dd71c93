"""Kinds of planned tests: how each is reckoned, told in a sentence, and made ready to run."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import dataclass, replace

from vastcellar.core.chain.chain import Chain
from vastcellar.core.protocols.protocols import StepKind
from vastcellar.core.protocols.steady import ROUNDS
from vastcellar.core.units import NumberFormat
from vastcellar.core.writing.write_profile import Phase
from vastcellar.services.proving.alternating import AlternatingEdit, AlternatingRun, TurnsProof
from vastcellar.services.proving.file_proving import (
    FilePlan,
)
from vastcellar.services.proving.flat_proving import (
    FlatPlan,
)
from vastcellar.services.proving.keeping import AnyProof
from vastcellar.services.proving.places import Place
from vastcellar.services.proving.protocol_run import ProtocolProof, ProtocolRun
from vastcellar.services.proving.protocols import ProtocolPlan
from vastcellar.services.proving.reckoned_time import (
    flat_out_phase,
    flat_test_s,
    reading_s,
    writing_s,
)
from vastcellar.services.proving.recorder_proving import (
    load_together,
    rig_speed,
)
from vastcellar.services.proving.testbeds import Testbed
from vastcellar.services.proving.tests_offered import Wish
from vastcellar.services.runs.resting import COOL, Rest

_LEAST_SHARE = 0.001
_UNKNOWN_RIG_S = 3600.0


@dataclass(frozen=True)
class PlannedTest(ABC):
    """What a test will do here; its kind says how that is reckoned, told and made."""

    wish: Wish
    chain: Chain | None
    """What leads to the drive; None of a device that is measured for itself."""
    ambient_c: float
    place: Place | None
    """The folder that it runs in; None for a simulated rig."""

    @property
    @abstractmethod
    def bytes_to_write(self) -> int:
        """The most that it writes, to all places together."""

    @property
    @abstractmethod
    def most_s(self) -> float:
        """How long it takes by the model, at most; infinite where the model is silent."""

    @abstractmethod
    def parts(self, fmt: NumberFormat) -> list[str]:
        """Say what it does, in parts of one sentence; wear and time are added."""

    @abstractmethod
    def proof(self, testbed: Testbed, rest: Rest) -> AnyProof:
        """Return it ready to run. Raises DiskError, BadValueError."""

    @property
    def leads_with_purpose(self) -> bool:
        """Whether what it is for is said first."""
        return True

    def text(self, fmt: NumberFormat) -> str:
        """Return what it would do, how long that takes and what it wears, in a sentence."""
        parts = self.parts(fmt)
        if math.isfinite(self.most_s):
            parts.append(f"up to {fmt.duration(max(math.ceil(self.most_s), 1))}")
        elif self.wish.link_bytes_per_s:
            least_s = self.bytes_to_write / self.wish.link_bytes_per_s
            parts.append(f"at least {fmt.duration(max(math.ceil(least_s), 1))} by its link")
        tbw = self.chain.parts.drive.tbw_bytes if self.chain else self.wish.tbw_bytes
        if self.chain is None and not tbw:
            parts.append("its rated endurance isn't known")
        elif tbw:
            share = self.bytes_to_write / tbw
            least = f"under {fmt.percent(_LEAST_SHARE)}"
            worn = fmt.percent(share) if share >= _LEAST_SHARE else least
            parts.append(f"{worn} of its rated endurance")
        purpose = f"{self.wish.test.purpose_sentence} " if self.leads_with_purpose else ""
        return f"{purpose}{', '.join(parts)}."

    def where(self, fmt: NumberFormat) -> str:
        """Say what the test runs on."""
        place = self.place
        if place is None:
            return "Simulated: nothing is written to a disk."
        caution = f" {place.caution[0].upper()}{place.caution[1:]}." if place.caution else ""
        free = fmt.size(place.mount.free_bytes)
        return f"{place.mount.file_system}, {free} free.{caution}"

    @property
    def rig_speed(self) -> float:
        """How much faster than life a rig of it runs."""
        return rig_speed(self.most_s if math.isfinite(self.most_s) else _UNKNOWN_RIG_S)


class PlannedRecorder(PlannedTest):
    """A take, frame by frame, of one camera or of several at once."""

    @property
    def bytes_to_write(self) -> int:
        """Of all cameras."""
        return sum(load.total_bytes for load in self.wish.loads)

    @property
    def most_s(self) -> float:
        """A take is as long as it is: the drive is what has to keep up."""
        return load_together(self.wish.loads).duration_s

    @property
    def leads_with_purpose(self) -> bool:
        """A take explains itself."""
        return False

    def parts(self, fmt: NumberFormat) -> list[str]:
        """Say how much is sent, and how fast."""
        loads = self.wish.loads
        together = f" from {len(loads)} cameras at once" if len(loads) > 1 else ""
        rate = fmt.rate(load_together(loads).average_bytes_per_s)
        return [f"{fmt.size(self.bytes_to_write)} paced at {rate}{together}"]

    def where(self, fmt: NumberFormat) -> str:
        """On a rig time is not life's."""
        if self.place is not None:
            return super().where(fmt)
        faster = fmt.number(self.rig_speed, 0)
        return f"Simulated, {faster} times faster than life: nothing is written to a disk."

    def proof(self, testbed: Testbed, rest: Rest) -> AnyProof:
        """Return the recorder test."""
        return testbed.record(self.wish.loads)


@dataclass(frozen=True)
class PlannedFlat(PlannedTest):
    """Writing flat out, and perhaps reading back."""

    plan: FlatPlan

    @property
    def bytes_to_write(self) -> int:
        """At most."""
        return self.plan.most_bytes

    @property
    def most_s(self) -> float:
        """Of writing and reading back."""
        return flat_test_s(self.plan, self.chain, self.ambient_c)

    def parts(self, fmt: NumberFormat) -> list[str]:
        """Say how much is written, and what may end it sooner."""
        plan = self.plan
        is_bounded = plan.until_steady or math.isfinite(plan.most_s)
        parts = [f"Writes {'at most ' if is_bounded else ''}{fmt.size(plan.most_bytes)}"]
        if plan.until_steady:
            parts.append(f"until {ROUNDS} rounds of {plan.round_s:.0f} s are steady")
        return parts

    def proof(self, testbed: Testbed, rest: Rest) -> AnyProof:
        """Return the flat-out test."""
        rest = COOL if testbed.is_simulated else rest
        return testbed.flat(self.plan, rest, with_fan=False)


@dataclass(frozen=True)
class PlannedFiles(PlannedTest):
    """Work with files: streams, a project, clips that are offloaded."""

    plan: FilePlan

    @property
    def bytes_to_write(self) -> int:
        """At most."""
        return self.plan.bytes_to_write

    @property
    def most_s(self) -> float:
        """How far streams and operations go is what the test finds out."""
        return math.inf

    def parts(self, fmt: NumberFormat) -> list[str]:
        """Say how much is written."""
        return [f"Writes up to {fmt.size(self.bytes_to_write)}"]

    def proof(self, testbed: Testbed, rest: Rest) -> AnyProof:
        """Return the test with files."""
        return testbed.files(self.plan)


@dataclass(frozen=True)
class PlannedTurns(PlannedTest):
    """Two folders, one after the other and back again."""

    run: AlternatingRun | AlternatingEdit

    @property
    def bytes_to_write(self) -> int:
        """Into A: its drive is the one that is worn here."""
        return self.run.bytes_to_write

    @property
    def most_s(self) -> float:
        """Nothing is known of the other drive."""
        return math.inf

    @property
    def leads_with_purpose(self) -> bool:
        """The turns explain themselves."""
        return False

    def parts(self, fmt: NumberFormat) -> list[str]:
        """Say how many turns there are, and what each folder gets."""
        total = fmt.size(self.bytes_to_write)
        return [
            f"{self.run.times} turns of up to {fmt.size(self.run.bytes_each)} each",
            f"{total} into A and as much into B",
        ]

    def proof(self, testbed: Testbed, rest: Rest) -> AnyProof:
        """Return the comparison."""
        if isinstance(self.run, AlternatingEdit):  # it reads: no rest to wait for
            return TurnsProof(replace(self.run, taken=[]))
        return TurnsProof(replace(self.run, rest=rest, taken=[]))


@dataclass(frozen=True)
class PlannedSet(PlannedTest):
    """A set of tests, one after the other, with rests between."""

    plan: ProtocolPlan

    @property
    def bytes_to_write(self) -> int:
        """Of all steps."""
        return self.plan.bytes_to_write

    @property
    def most_s(self) -> float:
        """Of all steps in a row: a cache that one has filled, the next one meets full."""
        phases, read_s = [], 0.0
        for each in self.plan.steps:
            kind = each.step.kind
            if kind is StepKind.PAUSE:
                phases.append(Phase(0.0, each.most_s))
            elif kind is StepKind.RECORD:
                phases.append(Phase(each.bytes_to_write / each.most_s, each.most_s))
            else:
                phases.append(flat_out_phase(each.bytes_to_write, each.most_s))
                read_s += reading_s(self.chain, each.bytes_to_write if each.reads_back else 0)
        return writing_s(self.chain, self.ambient_c, phases, self.bytes_to_write) + read_s

    @property
    def leads_with_purpose(self) -> bool:
        """The steps explain themselves."""
        return False

    def parts(self, fmt: NumberFormat) -> list[str]:
        """Say how much is written in all."""
        return [f"Writes up to {fmt.size(self.bytes_to_write)}"]

    def text(self, fmt: NumberFormat) -> str:
        """Name the steps, too."""
        steps = [
            f"{each.step.kind} {fmt.size(each.bytes_to_write)}"
            if each.bytes_to_write
            else f"rest {fmt.duration(each.most_s)}"
            for each in self.plan.steps
        ]
        return f"{super().text(fmt).removesuffix('.')}: {', '.join(steps)}."

    def proof(self, testbed: Testbed, rest: Rest) -> AnyProof:
        """Return the set as one test."""
        return ProtocolProof(ProtocolRun(self.plan, testbed, self.wish.loads, first_rest=rest))
