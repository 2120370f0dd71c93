"""Will it hold? A camera's take judged against what its setup can take, moment by moment."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.setup_parts import heat_path
from vastcellar.core.evidence import LEAST_SHORTFALL, Evidence, Verdict, verdict_for_margin
from vastcellar.core.recording.recorder import FluidOutcome, profile_outcome
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Camera
from vastcellar.core.verdict.bottlenecks import Bottleneck, held_by_room, lowest_of
from vastcellar.core.verdict.proof import RecorderProof
from vastcellar.core.verdict.reach.comparing import Asked, Difference
from vastcellar.core.verdict.reach.reaching import Reached, answer
from vastcellar.core.writing.workloads import Workload, paced
from vastcellar.core.writing.write_profile import WriteProfile, write_profile


@dataclass(frozen=True, slots=True)
class Judgement:
    """A verdict with all that it rests on; the wording is made from it elsewhere.

    ``margin`` is the lowest ability over the need, as a share of the need; None if unknown.
    ``fails_at_s`` is when the take first meets less than it needs; None where it never does.
    """

    verdict: Verdict
    evidence: Evidence
    margin: float | None
    bottleneck: Bottleneck
    need: Need
    chain: Chain | None = None
    run: WriteProfile | None = None
    outcome: FluidOutcome | None = None
    fails_at_s: float | None = None
    lowest_ability_bytes_per_s: float = 0.0
    free_bytes: float = 0.0
    proof: RecorderProof | None = None
    weakened: tuple[Difference, ...] = ()
    """What is to be said beside the mark of *proof*."""
    against: RecorderProof | None = None
    """A run too short to prove anything, slower than the camera all the same."""
    beside: Reached | None = None
    """The newest run on the unit where none covers: made, and no answer to this."""


def not_judged(need: Need) -> Judgement:
    """Return the judgement of a camera that nothing is assigned to yet."""
    return Judgement(
        Verdict.NOT_KNOWN,
        Evidence.COMPUTED,
        margin=None,
        bottleneck=Bottleneck.NOTHING_CHOSEN,
        need=need,
    )


def take_profile(
    camera: Camera,
    need: Need,
    chain: Chain,
    ambient_c: float,
    workload: Workload | None = None,
) -> WriteProfile:
    """Return the write profile of the longest take, paced at the camera's average.

    The average fills the cache and makes the heat; the crest is asked of the ability. Another
    *workload* stands in for the take, for example a day of takes and pauses.
    """
    return write_profile(
        chain.parts.drive.writes,
        heat_path(chain.parts, ambient_c),
        chain.link_cap_bytes_per_s,
        workload or paced(need.average_bytes_per_s, camera.longest_take_s),
        free_bytes=chain.free_bytes,
        capacity_bytes=chain.parts.drive.capacity_bytes,
    )


def judge_take(
    camera: Camera,
    need: Need,
    chain: Chain,
    ambient_c: float,
    proofs: tuple[RecorderProof, ...] = (),
    workload: Workload | None = None,
    now: datetime | None = None,
) -> Judgement:
    """Return whether *chain* holds the longest take of *camera*, on the best evidence there is.

    Args:
        camera: with its take and buffer.
        need: of that camera.
        chain: what it records to.
        ambient_c: of the room.
        proofs: recorder tests on record; the newest that covers this take outranks the model.
            Where none does, or an older one, a run that was slower than the camera makes it not
            known.
        workload: in place of the take alone; then only the model counts.
        now: for the age of proofs; without it they don't age.

    """
    if chain.problem:
        return Judgement(
            Verdict.FALLS_SHORT,
            Evidence.COMPUTED,
            margin=-1.0,
            bottleneck=Bottleneck.NOT_CONNECTED,
            need=need,
            chain=chain,
            fails_at_s=0.0,
        )
    if chain.parts.drive.behaviour is None:
        computed = _by_its_box(need, chain)
    else:
        computed = _computed(camera, need, chain, ambient_c, workload)
    if workload is not None:
        return computed
    if computed.bottleneck is Bottleneck.SPACE:  # no run makes room
        return computed
    found = answer(proofs, Asked(camera, need, chain, ambient_c, now))
    covering, against = found.covering, found.against
    if covering is not None and not _is_newer(against, covering):
        return _proved(computed, covering)
    if against is None or computed.verdict is Verdict.FALLS_SHORT:
        return replace(computed, beside=found.beside)
    return replace(computed, verdict=Verdict.NOT_KNOWN, margin=None, against=against.proof)


def _is_newer(one: Reached | None, other: Reached) -> bool:
    return one is not None and one.proof.measured_at > other.proof.measured_at


def _by_its_box(need: Need, chain: Chain) -> Judgement:
    """Judge a drive of which only the box is known: it can be ruled out, never in."""
    most, needed = chain.at_first_bytes_per_s, need.needed_write_bytes_per_s
    room = chain.free_bytes
    bottleneck = Bottleneck.LINK if most >= chain.link_cap_bytes_per_s else Bottleneck.DRIVE
    if room <= 0:
        most, bottleneck = 0.0, Bottleneck.SPACE
    margin, bottleneck = held_by_room(most / needed - 1, bottleneck, room, need.longest_take_bytes)
    known = margin < 0
    return Judgement(
        Verdict.FALLS_SHORT if known else Verdict.NOT_KNOWN,
        Evidence.CLAIMED,
        margin=margin if known else None,
        bottleneck=bottleneck if known else Bottleneck.NOT_MEASURED,
        need=need,
        chain=chain,
        fails_at_s=0.0 if known else None,
        lowest_ability_bytes_per_s=most,
        free_bytes=room,
    )


def _computed(
    camera: Camera, need: Need, chain: Chain, ambient_c: float, workload: Workload | None
) -> Judgement:
    run = take_profile(camera, need, chain, ambient_c, workload)
    needed = need.needed_write_bytes_per_s
    lowest, bottleneck = lowest_of(run, chain.parts.drive.writes, chain.link_cap_bytes_per_s)
    failing = next((i for i in run.intervals if i.ability_bytes_per_s < needed), None)
    room, asked = chain.free_bytes, need.longest_take_bytes
    if workload is not None:
        asked = sum(each.offered_bytes_per_s * each.duration_s for each in workload)
    margin, bottleneck = held_by_room(lowest / needed - 1, bottleneck, room, asked)
    return Judgement(
        verdict_for_margin(margin),
        Evidence.COMPUTED,
        margin=margin,
        bottleneck=bottleneck,
        need=need,
        chain=chain,
        run=run,
        outcome=profile_outcome(run, need.average_bytes_per_s, camera.buffer_bytes),
        fails_at_s=failing.start_s if failing else None,
        lowest_ability_bytes_per_s=lowest,
        free_bytes=room,
    )


def _proved(computed: Judgement, covering: Reached) -> Judgement:
    """Put the measurement in place of the model: its verdict, its margin."""
    proof = covering.proof
    needed = computed.need.needed_write_bytes_per_s
    margin = proof.slowest_second_ability_bytes_per_s / needed - 1
    if proof.is_passed:
        # It held the take, crest, buffer and all. A second slower than the need was bridged: then
        # nothing is proved to spare, and nothing is short either.
        margin = max(margin, 0.0)
    else:
        margin = min(margin, proof.achieved_bytes_per_s / needed - 1, -LEAST_SHORTFALL)
    verdict = verdict_for_margin(margin)
    return Judgement(
        verdict,
        Evidence.PROVED,
        margin=margin,
        bottleneck=computed.bottleneck,
        need=computed.need,
        chain=computed.chain,
        run=computed.run,
        outcome=computed.outcome,
        fails_at_s=computed.fails_at_s if verdict is Verdict.FALLS_SHORT else None,
        lowest_ability_bytes_per_s=computed.lowest_ability_bytes_per_s,
        free_bytes=computed.free_bytes,
        proof=proof,
        weakened=covering.weakens,
    )
