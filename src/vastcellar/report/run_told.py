"""What a run has to tell, whatever kind it was: sentences, lines, trace and figures."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass, field
from functools import singledispatch
from typing import Any

from vastcellar.core.trace import Trace
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.alternating import TurnsProof, turn_text, turns_sentence
from vastcellar.services.proving.file_kinds import file_figures, file_sentence
from vastcellar.services.proving.file_proving import FileProof
from vastcellar.services.proving.flat_proving import (
    FlatProof,
    FlatResult,
    conditions_of,
    diagnosis_of_proof,
    flat_figures,
)
from vastcellar.services.proving.keeping import AnyProof
from vastcellar.services.proving.protocol_run import ProtocolProof, protocol_sentence
from vastcellar.services.proving.recorder_proving import Proof, RecorderResult, cameras_sentence
from vastcellar.services.runs.diagnosing import cause_sentence, diagnosis_figures, evidence_sentence
from vastcellar.services.workplace.run_records import recorder_figures


@dataclass(frozen=True)
class Told:
    """A run that has ended, ready to be laid out."""

    head: str = ""
    evidence: str = ""
    lines: tuple[tuple[str, str], ...] = ()
    trace: Trace | None = None
    marks_s: tuple[float, ...] = ()
    """Moments of the trace at which something was found."""
    notes: tuple[str, ...] = ()
    figures: dict[str, Any] = field(default_factory=dict)


@singledispatch
def told(proof: AnyProof, fmt: NumberFormat) -> Told:
    """Return what the run of *proof*, which has ended, has to tell."""
    raise TypeError(f"nothing to tell of {type(proof).__name__}")


@told.register
def _flat(proof: FlatProof, fmt: NumberFormat) -> Told:
    result = proof.run.result
    assert result is not None, "the run must have ended"
    found = diagnosis_of_proof(proof, result)
    return Told(
        head=cause_sentence(found, fmt) if found else "",
        evidence=evidence_sentence(found, fmt) if found else "",
        lines=tuple(_flat_lines(proof, result, fmt)),
        trace=result.write.trace,
        marks_s=tuple(finding.at_s for finding in found.findings) if found else (),
        notes=result.notes,
        figures={
            "figures": flat_figures(result),
            "conditions": conditions_of(proof, result),
            "diagnosis": diagnosis_figures(found) if found else None,
        },
    )


@told.register
def _recorder(proof: Proof, fmt: NumberFormat) -> Told:
    result = proof.run.result
    assert result is not None, "the run must have ended"
    conditions = proof.conditions(result) if proof.conditions else None
    return Told(
        evidence=cameras_sentence(result, fmt) if len(result.cameras) > 1 else "",
        lines=tuple(_recorder_lines(result, fmt)),
        trace=result.trace,
        figures={
            "figures": recorder_figures(result),
            "conditions": asdict(conditions) if conditions else None,
        },
    )


@told.register
def _files(proof: FileProof, fmt: NumberFormat) -> Told:
    result = proof.run.result
    assert result is not None
    head, evidence = file_sentence(result, fmt)
    conditions = asdict(proof.conditions(result))
    return Told(
        head=head,
        evidence=evidence,
        lines=(("where", proof.target), ("how", str(conditions["write_mode"]))),
        trace=proof.what.trace(result),
        notes=result.notes,
        figures={"figures": file_figures(result), "conditions": conditions},
    )


@told.register
def _turns(proof: TurnsProof, fmt: NumberFormat) -> Told:
    result = proof.run.result
    assert result is not None
    head, evidence = turns_sentence(result, fmt)
    lines = [
        (f"{number + 1} in {'AB'[side]}", turn_text(rates, fmt))
        for number, (side, rates) in enumerate(proof.run.turns)
    ]  # fmt: skip
    return Told(
        head=head,
        evidence=evidence,
        lines=(("where", proof.target), ("how", result.write_mode), *lines),
        notes=result.notes,
        figures={"figures": result.figures, "conditions": proof.run.conditions},
    )


@told.register
def _protocol(proof: ProtocolProof, fmt: NumberFormat) -> Told:
    run = proof.run
    head, evidence = protocol_sentence(run, fmt)
    steps = [told(each, fmt) for each in run.proofs]
    decided = next(iter(run.writes), None)
    drawn = [step for each, step in zip(run.proofs, steps, strict=True) if each is decided]
    first = next(iter(drawn or [step for step in steps if step.trace is not None]), Told())
    marks: tuple[float, ...] = ()
    if run.diagnosis is not None:
        evidence = f"{evidence_sentence(run.diagnosis, fmt)} {evidence}".strip()
        marks = tuple(finding.at_s for finding in run.diagnosis.findings)
        head = f"{cause_sentence(run.diagnosis, fmt)} {head}"
    return Told(
        head=head,
        evidence=evidence,
        lines=tuple(
            (f"{number + 1} {name}" if not index else "", text)
            for number, step in enumerate(steps)
            for index, (name, text) in enumerate(step.lines[:2])
        ),
        trace=first.trace,
        marks_s=marks or first.marks_s,
        figures={"figures": run.figures(), "conditions": [e.figures["conditions"] for e in steps]},
    )


def _flat_lines(proof: FlatProof, result: FlatResult, fmt: NumberFormat) -> list[tuple[str, str]]:
    write, conditions = result.write, conditions_of(proof, result)
    lines = [
        ("written", f"{fmt.size(write.moved_bytes)} at {fmt.rate(write.bytes_per_s, 1)}"),
        ("slowest second", fmt.rate(write.slowest_second_bytes)),
        ("99 and 99.9 of 100 writes in",
         f"{fmt.number(write.latency.p99_s * 1e3)} and "
         f"{fmt.number(write.latency.p999_s * 1e3)} ms"),
        ("stalls of 0.25 s or more", fmt.number(len(write.stalls), 0)),
        ("block and depth", f"{result.shape.block_bytes // 1024} KiB, {result.shape.depth}"),
        ("how", result.write_mode),
        ("where", proof.target),
    ]  # fmt: skip
    if result.read is not None:
        wrong = (
            "every block right"
            if result.read.first_wrong_at is None
            else (f"first wrong at byte {result.read.first_wrong_at:,}")
        )
        lines.insert(1, ("read back", f"{fmt.rate(result.read.bytes_per_s, 1)}, {wrong}"))
    for key, word in (
        ("file_system", "file system"),
        ("device_model", "device"),
        ("kernel", "kernel"),
    ):
        if conditions[key]:
            lines.append((word, str(conditions[key])))
    if not math.isnan(conditions["ambient_c"]):
        lines.append(("room", fmt.temperature(conditions["ambient_c"])))
    return lines


def _recorder_lines(result: RecorderResult, fmt: NumberFormat) -> list[tuple[str, str]]:
    return [
        ("written at", fmt.rate(result.achieved_bytes_per_s, 1)),
        ("asked for", fmt.rate(result.load.average_bytes_per_s, 1)),
        ("take", fmt.duration(result.load.duration_s)),
        ("frames dropped", f"{result.frames_dropped} of {result.frames_arrived}"),
        ("worst backlog", fmt.size(result.worst_backlog_bytes)),
        ("slowest second", fmt.rate(result.slowest_second_ability_bytes_per_s)),
        ("how", result.write_mode),
    ]
