"""Run a protocol: its steps one after the other, with pauses and somebody's hands between."""

from __future__ import annotations

import contextlib
import math
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from vastcellar.bench.flat_run import FlatPlan
from vastcellar.bench.progress import CANCELLED, Progress
from vastcellar.core.diagnosis.causes import Diagnosis
from vastcellar.core.diagnosis.diagnose import diagnose_cooling_pair
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.protocols.protocols import StepKind
from vastcellar.core.protocols.steady import summarize
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.core.units import PLAIN, NumberFormat
from vastcellar.services.proving.file_kinds import file_figures, file_sentence
from vastcellar.services.proving.file_proving import (
    FileProof,
    ProjectPlan,
    usual_clips,
    usual_edit_plan,
)
from vastcellar.services.proving.flat_proving import FlatProof, diagnosis_of_proof, flat_figures
from vastcellar.services.proving.protocols import ProtocolPlan, StepPlan
from vastcellar.services.proving.recorder_proving import Proof
from vastcellar.services.proving.shown import AS_FLAT, ShownTest
from vastcellar.services.proving.testbeds import Testbed
from vastcellar.services.runs.diagnosing import diagnosis_figures
from vastcellar.services.runs.resting import COOL, UNKNOWN_REST_S, USUAL_ROOM_C, Rest, chain_rest_s
from vastcellar.services.workplace.run_records import recorder_figures

_LOOK_EVERY_S = 0.1

StepProof = FlatProof | Proof | FileProof


@dataclass(frozen=True, slots=True)
class ProtocolResult:
    """How a protocol ended; its figures are the run's."""

    is_complete: bool
    is_simulated: bool
    ended_by: str
    notes: tuple[str, ...]
    written_bytes: int


@dataclass
class ProtocolRun:
    """One protocol on one testbed; ``snapshots`` does the work, ``stop`` ends it.

    Before a step that needs somebody's hands it says what to do and waits for ``go_on``; where
    *ready* is given, that is asked instead and returns False to give up.
    """

    plan: ProtocolPlan
    testbed: Testbed
    loads: tuple[RecorderLoad, ...] = ()
    ready: Callable[[str], bool] | None = None
    first_rest: Rest = COOL
    steps: list[dict[str, Any]] = field(default_factory=list)
    proofs: list[StepProof] = field(default_factory=list)
    """The tests that measured something, in their order; each knows its result."""
    ended_at: list[datetime] = field(default_factory=list)
    """When each of them ended."""
    error: VastCellarError | None = None
    ended_by: str = ""
    diagnosis: Diagnosis | None = None
    """Of the whole: what a cooling pair decided."""
    waits_for: str = ""
    """What somebody has to do now, "" for nothing."""

    def __post_init__(self) -> None:
        self._stop = threading.Event()
        self._go = threading.Event()
        self._current: Any = None
        self._rest = self.first_rest
        self._is_over = False

    @property
    def is_simulated(self) -> bool:
        """Whether nothing is written to a disk."""
        return self.testbed.is_simulated

    @property
    def is_stopped(self) -> bool:
        """Whether it was told to stop."""
        return self._stop.is_set()

    @property
    def is_complete(self) -> bool:
        """Whether every step was done."""
        return self.ended_by == ""

    @property
    def writes(self) -> list[FlatProof]:
        """The flat-out writes that measured something: of a cooling pair the two that count."""
        flat = [proof for proof in self.proofs if isinstance(proof, FlatProof)]
        return [proof for proof in flat if proof.plan.kind == StepKind.WRITE]

    @property
    def result(self) -> ProtocolResult | None:
        """How it ended; None before, or where nothing was measured."""
        if not self.proofs or not self._is_over:
            return None
        written = [p.run.result.written_bytes for p in self.proofs if p.run.result is not None]
        return ProtocolResult(self.is_complete, self.is_simulated, self.ended_by, (), sum(written))

    def stop(self) -> None:
        """End soon; what was measured so far is kept."""
        self._stop.set()
        if self._current is not None:
            self._current.stop()

    def go_on(self) -> None:
        """Say that what it waits for is done."""
        self._go.set()

    def snapshots(self) -> Iterator[Progress]:
        """Do all steps in turn. A disk that fails ends the protocol, its sentence kept."""
        count = len(self.plan.steps)
        for index, plan in enumerate(self.plan.steps):
            if self._stop.is_set() or self.error is not None:
                break
            yield from self._wait_for_hands(plan.step.instruction, index / count)
            if self._stop.is_set():
                break
            share = (index / count, 1 / count)
            if plan.step.kind is StepKind.PAUSE:
                yield from self._pause(plan.most_s, *share)
            else:
                yield from self._test(plan, *share)
        if self._stop.is_set():
            self.ended_by = CANCELLED
        elif self.error is not None:
            self.ended_by = str(self.error)
        self._conclude()
        self._is_over = True

    def _wait_for_hands(self, instruction: str, done: float) -> Iterator[Progress]:
        if not instruction:
            return
        if self.ready is not None:
            if not self.ready(instruction):
                self._stop.set()
            return
        self._go.clear()
        self.waits_for = instruction
        while not self._go.wait(_LOOK_EVERY_S) and not self._stop.is_set():
            yield Progress("your turn", 0.0, done, 0, 0.0, math.nan, instruction)
        self.waits_for = ""

    def _pause(self, pause_s: float, before: float, share: float) -> Iterator[Progress]:
        begin_s = time.monotonic()
        while not self.is_simulated and (gone_s := time.monotonic() - begin_s) < pause_s:
            if self._stop.wait(_LOOK_EVERY_S):
                return
            left = PLAIN.duration(max(round(pause_s - gone_s), 1))
            done = before + share * gone_s / pause_s
            yield Progress("resting", gone_s, done, 0, 0.0, math.nan, f"{left} left")
        self.testbed.passed(0.0, pause_s)
        self._rest = Rest(pause_s, self._needed_s())
        self.steps.append({"kind": "pause", "pause_s": pause_s})

    def _needed_s(self) -> float:
        chain = self.testbed.chain
        return chain_rest_s(chain, USUAL_ROOM_C) if chain else UNKNOWN_REST_S

    def _test(self, plan: StepPlan, before: float, share: float) -> Iterator[Progress]:
        name = f"{len(self.proofs) + 1} {plan.step.kind}"
        try:
            proof = self._make(plan)
        except VastCellarError as error:  # the disk may have gone while it rested
            self.error = error
            return
        self._current = proof.run
        if self._stop.is_set():  # told so before there was anything to stop
            return
        try:
            proof.begin()
            for snapshot in proof.run.snapshots():
                yield _as_progress(snapshot, name, before, share)
        except VastCellarError as error:
            self.error = error
        self.error = self.error or proof.run.error
        if proof.run.result is None:
            return
        self.proofs.append(proof)
        self.ended_at.append(datetime.now(UTC))
        self.steps.append(self._figures(proof))
        self._rest = Rest(0.0, self._needed_s())

    def _make(self, plan: StepPlan) -> StepProof:
        step, testbed = plan.step, self.testbed
        if step.kind is StepKind.RECORD:
            return testbed.record(self.loads)
        if step.kind is StepKind.EDIT:
            return testbed.files(usual_edit_plan())
        if step.kind is StepKind.PROJECT:
            return testbed.files(ProjectPlan())
        if step.kind is StepKind.OFFLOAD:
            return testbed.files(usual_clips(plan.bytes_to_write))
        is_pair = self.plan.protocol.is_cooling_pair
        flat = FlatPlan(
            str(step.kind),
            plan.bytes_to_write,
            most_s=step.most_s or math.inf,
            until_steady=step.until_steady,
            reads_back=plan.reads_back,
            fills_up=step.kind is StepKind.CAPACITY,
        )
        # A cooling pair waits for a full rest before each of its two.
        rest = COOL if is_pair else self._rest
        return testbed.flat(flat, rest, with_fan=is_pair and bool(self.writes))

    def _figures(self, proof: StepProof) -> dict[str, Any]:
        if isinstance(proof, FlatProof):
            result = proof.run.result
            assert result is not None  # it has measured something
            read_s = result.read.elapsed_s if result.read else 0.0
            self.testbed.passed(result.write.elapsed_s, read_s)
            found = diagnosis_of_proof(proof, result)
            figures = flat_figures(result)
            return {**figures, "diagnosis": diagnosis_figures(found) if found else None}
        if isinstance(proof, FileProof):
            assert proof.run.result is not None
            return file_figures(proof.run.result)
        assert proof.run.result is not None
        return {"kind": "record", **recorder_figures(proof.run.result)}

    def _conclude(self) -> None:
        writes = self.writes
        if not self.plan.protocol.is_cooling_pair or len(writes) != 2:
            return
        rest, fan = (proof.run.result for proof in writes)
        assert rest is not None  # both have ended
        assert fan is not None
        with contextlib.suppress(BadValueError):
            self.diagnosis = diagnose_cooling_pair(
                rest.write.trace,
                fan.write.trace,
                writes[0].link_bytes_per_s,
                is_direct=rest.is_direct and fan.is_direct,
            )

    def figures(self) -> dict[str, Any]:
        """Return what all steps measured; several of one kind with median and spread."""
        rates: dict[str, list[float]] = {}
        for step in self.steps:
            if step.get("write"):
                rates.setdefault(f"{step['kind']}_write", []).append(step["write"]["bytes_per_s"])
            if step.get("read"):
                rates.setdefault(f"{step['kind']}_read", []).append(step["read"]["bytes_per_s"])
        return {
            "protocol": self.plan.protocol.key,
            "target": self.testbed.name,
            "is_simulated": self.is_simulated,
            "is_complete": self.is_complete,
            "ended_by": self.ended_by,
            "steps": self.steps,
            "summary": {
                name: {**asdict(summarize(values)), "spread_share": summarize(values).spread_share}
                for name, values in rates.items()
            },
            "diagnosis": diagnosis_figures(self.diagnosis) if self.diagnosis else None,
        }


def _as_progress(snapshot: Progress, name: str, before: float, share: float) -> Progress:
    """Return a step's progress as part of the whole."""
    return replace(
        snapshot,
        phase=f"{name}: {snapshot.phase}",
        done_share=before + share * snapshot.done_share,
    )


@dataclass(frozen=True)
class ProtocolProof(ShownTest):
    """A protocol ready to run."""

    run: ProtocolRun
    shown = AS_FLAT
    share_is_time = False  # its steps count alike, however long each takes

    @property
    def can_calibrate(self) -> bool:  # type: ignore[override]
        """Whether one of its tests does."""
        return any(proof.can_calibrate for proof in self.run.proofs)

    @property
    def waits_for(self) -> str:  # type: ignore[override]
        """What somebody has to do before its next step."""
        return self.run.waits_for

    def go_on(self) -> None:
        """Say that what it waits for is done."""
        self.run.go_on()

    @property
    def is_simulated(self) -> bool:
        """Whether nothing is written to a disk."""
        return self.run.is_simulated

    def begin(self) -> tuple[str, ...]:
        """Each step looks at the computer's other load for itself."""
        return ()


def protocol_sentence(run: ProtocolRun, fmt: NumberFormat) -> tuple[str, str]:
    """Return what a protocol came to, in a sentence, and its steps one by one."""
    figures = run.figures()
    medians = [
        f"{name.replace('_write', ', written').replace('_read', ', read back')} at "
        f"{fmt.rate(each['median'])}"
        + (f" (median of {each['count']}, spread {fmt.percent(each['spread_share'])})"
           if each["count"] > 1 else "")
        for name, each in figures["summary"].items()
    ]  # fmt: skip
    parts = [
        " ".join(file_sentence(proof.run.result, fmt))
        for proof in run.proofs
        if isinstance(proof, FileProof) and proof.run.result is not None
    ]
    head = "; ".join(medians)
    head = f"{head[:1].upper()}{head[1:]}." if head else f"{run.plan.protocol.name}."
    return head, " ".join(parts)
