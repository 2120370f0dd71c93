"""Keep what was measured: each run under its unit, with its conditions and its trace."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from functools import singledispatch
from typing import Any

from vastcellar.core.diagnosis.causes import Diagnosis
from vastcellar.core.errors import VastCellarError
from vastcellar.core.trace import Trace
from vastcellar.services.proving.alternating import (
    AlternatingEdit,
    AlternatingRun,
    TurnsProof,
    TurnsResult,
)
from vastcellar.services.proving.file_kinds import FileResult, file_figures
from vastcellar.services.proving.file_proving import FileProof
from vastcellar.services.proving.flat_proving import (
    FlatProof,
    FlatResult,
    diagnosis_of_proof,
    flat_figures,
)
from vastcellar.services.proving.protocol_run import ProtocolProof, ProtocolResult, ProtocolRun
from vastcellar.services.proving.recorder_proving import Proof, RecorderResult, keep_proof
from vastcellar.services.proving.tests_offered import TURNS
from vastcellar.services.runs.calibrating import PredictionCheck, prediction_check_of
from vastcellar.services.runs.diagnosing import diagnosis_figures
from vastcellar.services.workplace.rescuing import add_run
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.run_record import RunRecord
from vastcellar.store.trace_csv import trace_text

__all__ = [
    "NO_TRACE",
    "AnyProof",
    "AnyResult",
    "KeptRun",
    "keep_any",
    "keep_flat_proof",
    "keep_protocol",
    "prediction_check_of_flat",
]

AnyProof = FlatProof | FileProof | Proof | ProtocolProof | TurnsProof
AnyResult = FlatResult | FileResult | RecorderResult | ProtocolResult | TurnsResult

NO_TRACE = "elapsed_s,written_bytes,temperature_c\n"
"""Of a run that has none."""


@dataclass(frozen=True, slots=True)
class KeptRun:
    """A run in the cellar, and how it came out beside the unit's model as it was before."""

    run_id: int
    prediction: PredictionCheck | None = None


def keep_flat_proof(
    workplace: Workplace,
    unit_tag: str,
    proof: FlatProof,
    *,
    found: Diagnosis | None = None,
    protocol: str = "",
    ended_at: datetime | None = None,
) -> KeptRun:
    """Keep a finished flat-out run under its unit, with what was predicted of it.

    *found* stands in for the run's own diagnosis, as a cooling pair decides it; *ended_at* is
    now where it isn't given. Simulated runs wear nothing.
    Raises CellarError, or UnknownPartError for the unit.
    """
    result = proof.run.result
    assert result is not None, "the run must have ended"
    found = found or diagnosis_of_proof(proof, result)
    record = _flat_record(unit_tag, proof, result, found, protocol, ended_at)
    prediction = _prediction_check(workplace, record, result.write.trace, found)
    record.figures["prediction"] = asdict(prediction) if prediction else None
    wear_bytes = 0 if result.is_simulated else result.written_bytes
    trace = trace_text(result.write.trace)
    return KeptRun(add_run(workplace, record, trace, wear_bytes), prediction)


def prediction_check_of_flat(
    workplace: Workplace, unit_tag: str, proof: FlatProof
) -> PredictionCheck | None:
    """Return a finished run beside what the unit's model predicted of it, before it is kept."""
    result = proof.run.result
    assert result is not None, "the run must have ended"
    found = diagnosis_of_proof(proof, result)
    record = _flat_record(unit_tag, proof, result, found, "", None)
    return _prediction_check(workplace, record, result.write.trace, found)


def _flat_record(
    unit_tag: str,
    proof: FlatProof,
    result: FlatResult,
    found: Diagnosis | None,
    protocol: str,
    ended_at: datetime | None,
) -> RunRecord:
    figures = {
        **flat_figures(result),
        "link_bytes_per_s": proof.link_bytes_per_s,
        "diagnosis": diagnosis_figures(found) if found else None,
        "protocol": protocol,
        "from_rest": proof.rest.is_enough,
    }
    return RunRecord(
        unit_tag=unit_tag,
        kind=result.plan.kind,
        measured_at=ended_at or datetime.now(UTC),
        is_simulated=result.is_simulated,
        is_complete=result.is_complete,
        conditions=asdict(proof.conditions(result)),
        figures=figures,
    )


def _prediction_check(
    workplace: Workplace, record: RunRecord, trace: Trace, found: Diagnosis | None
) -> PredictionCheck | None:
    """What was measured must not be lost because the model beside it can't be had."""
    try:
        return prediction_check_of(workplace, record, trace, found)
    except VastCellarError:
        return None


def keep_file_proof(
    workplace: Workplace,
    unit_tag: str,
    proof: FileProof,
    *,
    protocol: str = "",
    ended_at: datetime | None = None,
) -> KeptRun:
    """Keep a finished edit, project or offload test. Raises CellarError, UnknownPartError."""
    result = proof.run.result
    assert result is not None, "the run must have ended"
    figures: dict[str, Any] = {**file_figures(result), "protocol": protocol}
    record = RunRecord(
        unit_tag=unit_tag,
        kind=proof.kind,
        measured_at=ended_at or datetime.now(UTC),
        is_simulated=False,
        is_complete=result.is_complete,
        conditions=asdict(proof.conditions(result)),
        figures=figures,
    )
    trace = proof.what.trace(result)
    text = NO_TRACE if trace is None else trace_text(trace)
    return KeptRun(add_run(workplace, record, text, result.written_bytes))


def keep_protocol(workplace: Workplace, unit_tag: str, run: ProtocolRun) -> tuple[KeptRun, ...]:
    """Keep every test of a protocol as a run of its own, in their order.

    The first write of a cooling pair carries what the pair decided.
    """
    kept: list[KeptRun] = []
    key, decided = run.plan.protocol.key, next(iter(run.writes), None)
    for proof, ended_at in zip(run.proofs, run.ended_at, strict=True):
        if isinstance(proof, FlatProof):
            found = run.diagnosis if proof is decided else None
            kept.append(
                keep_flat_proof(
                    workplace, unit_tag, proof, found=found, protocol=key, ended_at=ended_at
                )
            )
        elif isinstance(proof, FileProof):
            kept.append(
                keep_file_proof(workplace, unit_tag, proof, protocol=key, ended_at=ended_at)
            )
        else:
            kept.append(KeptRun(keep_proof(workplace, unit_tag, proof, ended_at=ended_at)))
    return tuple(kept)


def keep_turns(
    workplace: Workplace, unit_tag: str, run: AlternatingRun | AlternatingEdit
) -> tuple[KeptRun, ...]:
    """Keep the turns in the first folder, which is the unit's; the other drive is none of it."""
    kept = []
    for turn in run.taken:
        if turn.side:
            continue
        proof, at = turn.proof, turn.ended_at
        if isinstance(proof, FileProof):
            made = keep_file_proof(workplace, unit_tag, proof, protocol=TURNS, ended_at=at)
        else:
            made = keep_flat_proof(workplace, unit_tag, proof, protocol=TURNS, ended_at=at)
        kept.append(made)
    return tuple(kept)


@singledispatch
def keep_any(proof: object, workplace: Workplace, unit_tag: str) -> tuple[KeptRun, ...]:
    """Keep whatever has ended; nothing where nothing was measured.

    A new kind of test registers here how it is kept.
    """
    raise TypeError(f"no way to keep {type(proof).__name__}")


@keep_any.register
def _(proof: FlatProof, workplace: Workplace, unit_tag: str) -> tuple[KeptRun, ...]:
    return (keep_flat_proof(workplace, unit_tag, proof),) if _measured(proof) else ()


@keep_any.register
def _(proof: FileProof, workplace: Workplace, unit_tag: str) -> tuple[KeptRun, ...]:
    return (keep_file_proof(workplace, unit_tag, proof),) if _measured(proof) else ()


@keep_any.register
def _(proof: Proof, workplace: Workplace, unit_tag: str) -> tuple[KeptRun, ...]:
    return (KeptRun(keep_proof(workplace, unit_tag, proof)),) if _measured(proof) else ()


@keep_any.register
def _(proof: ProtocolProof, workplace: Workplace, unit_tag: str) -> tuple[KeptRun, ...]:
    return keep_protocol(workplace, unit_tag, proof.run)


@keep_any.register
def _(proof: TurnsProof, workplace: Workplace, unit_tag: str) -> tuple[KeptRun, ...]:
    return keep_turns(workplace, unit_tag, proof.run)


def _measured(proof: FlatProof | FileProof | Proof) -> bool:
    result = proof.run.result
    return result is not None and result.written_bytes > 0
