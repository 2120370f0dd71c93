"""Recorder tests as evidence: what a run proved, and whether it answers for a take."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from vastcellar.core.chain import Chain
from vastcellar.core.needs import Need
from vastcellar.core.shoot import Camera

# A test paced this much below the need's average still counts as that average.
_PACE_TOLERANCE = 0.005
# Written to the end of the flush this much below its pace, a run was slow, not merely short.
_SLOW_SHARE = 0.9
# A run in a room this much cooler says little about a hotter one.
_COOLER_ROOM_K = 3.0


@dataclass(frozen=True, slots=True)
class RecorderProof:
    """The outcome of one recorder test on a unit, with the conditions that decide its reach."""

    run_id: int
    unit_tag: str
    enclosure_key: str
    mode_key: str
    measured_at: datetime
    is_simulated: bool
    is_complete: bool
    load_bytes_per_s: float
    duration_s: float
    buffer_bytes: int
    ambient_c: float
    achieved_bytes_per_s: float
    slowest_second_ability_bytes_per_s: float
    frames_dropped: int
    worst_backlog_bytes: int


def why_not_covering(
    proof: RecorderProof, camera: Camera, need: Need, chain: Chain, ambient_c: float
) -> str:
    """Say why *proof* does not answer for *camera* on *chain*, or return "".

    A run answers for the same unit in the same enclosure on the same link mode, at no lower
    pace and no larger buffer, for the whole take, in a room about as warm. Frames dropped at an
    easier load answer too: a harder one can't go better.
    """
    if other := _other_setup(proof, chain):
        return other
    if proof.frames_dropped:
        is_easier = (
            proof.load_bytes_per_s <= need.average_bytes_per_s * (1 + _PACE_TOLERANCE)
            and proof.buffer_bytes >= camera.buffer_bytes
            and proof.duration_s <= camera.longest_take_s
            and proof.ambient_c <= ambient_c + _COOLER_ROOM_K
        )
        return "" if is_easier else "it dropped frames under a harder load"
    if not proof.is_complete:
        return "it was not finished"
    if proof.load_bytes_per_s < need.average_bytes_per_s * (1 - _PACE_TOLERANCE):
        return "it was paced slower than this camera records"
    if proof.duration_s < camera.longest_take_s:
        return "it was shorter than the longest take"
    if proof.buffer_bytes > camera.buffer_bytes:
        return "it had a larger buffer than this camera"
    if proof.ambient_c < ambient_c - _COOLER_ROOM_K:
        return "the room was cooler"
    return ""


def newest_covering(
    proofs: tuple[RecorderProof, ...], camera: Camera, need: Need, chain: Chain, ambient_c: float
) -> RecorderProof | None:
    """Return the newest of *proofs* that answers for *camera* on *chain*, or None."""
    covering = [
        proof for proof in proofs if not why_not_covering(proof, camera, need, chain, ambient_c)
    ]
    return max(covering, key=lambda proof: proof.measured_at, default=None)


def newest_against(
    proofs: tuple[RecorderProof, ...], camera: Camera, need: Need, chain: Chain, ambient_c: float
) -> RecorderProof | None:
    """Return the newest run on this very setup, if it was slower than *camera* records.

    Too short to prove that the take fails, it still speaks against a model that says it holds.
    A later run that kept the camera's pace takes the word back; one at an easier pace doesn't.
    """
    telling = [
        proof
        for proof in proofs
        if not _other_setup(proof, chain)
        and proof.ambient_c <= ambient_c + _COOLER_ROOM_K
        and (
            _was_too_slow(proof, need)
            or proof.load_bytes_per_s >= need.average_bytes_per_s * (1 - _PACE_TOLERANCE)
        )
    ]
    newest = max(telling, key=lambda proof: proof.measured_at, default=None)
    return newest if newest is not None and _was_too_slow(newest, need) else None


def _was_too_slow(proof: RecorderProof, need: Need) -> bool:
    asked = min(proof.load_bytes_per_s, need.average_bytes_per_s)
    return (
        proof.achieved_bytes_per_s < asked * _SLOW_SHARE
        and proof.slowest_second_ability_bytes_per_s < need.average_bytes_per_s
    )


def _other_setup(proof: RecorderProof, chain: Chain) -> str:
    """Say what else *proof* ran on than *chain*, or return ""."""
    unit = chain.parts.unit
    if unit is None or proof.unit_tag != unit.tag:
        return "it ran on another unit"
    enclosure_key = chain.parts.enclosure.key if chain.parts.enclosure else ""
    if proof.enclosure_key != enclosure_key:
        return "it ran in another enclosure"
    if chain.mode is None or proof.mode_key != chain.mode.key:
        return "it ran on another link mode"
    return ""
