"""A proof's reach: whether a recorder test answers for what is asked, and if not, why not.

The one place that decides it. Verdicts, candidates, mends, computers, shelf, reports and the
terminal all ask here; nobody holds a run against a setup by rules of their own.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.needs import Need
from vastcellar.core.verdict.proof import RecorderProof
from vastcellar.core.verdict.reach.comparing import (
    PACE_TOLERANCE,
    Asked,
    Difference,
    differences,
    standing,
)
from vastcellar.core.verdict.reach.contradicting import contradicts
from vastcellar.core.verdict.reach.rules import RULES, Condition, Effect, Relation

_SLOW_SHARE = 0.9
"""Written to the end of the flush this much below its pace, a run was slow, not merely short."""
_TAKE = (Condition.COMPLETE, Condition.PACE, Condition.CREST, Condition.LENGTH, Condition.BUFFER)
"""Conditions of the take that was recorded; all others are of what it was recorded on."""


class Reach(StrEnum):
    """What a run says of the question."""

    COVERS = "covers"
    AGAINST = "speaks against"
    NOT = "doesn't reach"


@dataclass(frozen=True, slots=True)
class Reached:
    """A run held against a question, with the reasons."""

    proof: RecorderProof
    reach: Reach
    voids: tuple[Difference, ...] = ()
    """Why it doesn't cover; empty where it does."""
    weakens: tuple[Difference, ...] = ()
    """What is to be said beside its mark."""


def effect_of(difference: Difference, *, is_passed: bool) -> Effect:
    """Return what *difference* does to a run that passed, or that failed."""
    rule, relation = RULES[difference.condition], difference.relation
    if not is_passed and relation is Relation.EASIER:
        return Effect.NOTHING  # it failed although it had it easier: that speaks all the more
    if not is_passed and relation is Relation.HARDER:
        return rule.easier
    return {
        Relation.EASIER: rule.easier,
        Relation.HARDER: rule.harder,
        Relation.OTHER: rule.other,
        Relation.UNKNOWN: rule.unknown,
    }[relation]


def reach_of(proof: RecorderProof, asked: Asked) -> Reached:
    """Return what *proof* says of *asked*.

    It covers: what it showed is the answer. It speaks against: too short or too easy to prove
    that the take fails, it was slower than the camera all the same. Or it doesn't reach.
    """
    found = differences(proof, asked)
    effects = [effect_of(each, is_passed=proof.is_passed) for each in found]
    voids = tuple(d for d, effect in zip(found, effects, strict=True) if effect is Effect.VOIDS)
    weakens = tuple(d for d, effect in zip(found, effects, strict=True) if effect is Effect.WEAKENS)
    if not voids:
        return Reached(proof, Reach.COVERS, (), weakens)
    is_against = was_too_slow(proof, asked.need) and not any(
        effect_of(each, is_passed=False) is Effect.VOIDS for each in _of_setup(found)
    )
    return Reached(proof, Reach.AGAINST if is_against else Reach.NOT, voids, weakens)


def _of_setup(found: Iterable[Difference]) -> tuple[Difference, ...]:
    return tuple(each for each in found if each.condition not in _TAKE)


def was_too_slow(proof: RecorderProof, need: Need) -> bool:
    """Return whether the drive of *proof* was slower than the camera of *need* records."""
    asked = min(proof.load_bytes_per_s, need.average_bytes_per_s)
    return (
        proof.achieved_bytes_per_s < asked * _SLOW_SHARE
        and proof.slowest_second_ability_bytes_per_s < need.average_bytes_per_s
    )


@dataclass(frozen=True, slots=True)
class Answer:
    """What all runs together say of one question."""

    covering: Reached | None = None
    """The newest run that covers it."""
    against: Reached | None = None
    """The newest run that speaks against the model, where no later one took it back."""
    beside: Reached | None = None
    """The newest run on the unit that doesn't reach, where nothing covers."""


def answer(proofs: Iterable[RecorderProof], asked: Asked) -> Answer:
    """Return what *proofs* say of *asked*; the newest counts.

    A later run that kept the camera's pace on the same setup takes back what an earlier one said
    against it; one at an easier pace, or that had it easier, doesn't.
    """
    unit = asked.chain.parts.unit
    if unit is None:
        return Answer()
    mine = sorted(
        (proof for proof in proofs if proof.unit_tag == unit.tag),
        key=lambda proof: (proof.measured_at, proof.run_id),
        reverse=True,
    )
    reached = [reach_of(proof, asked) for proof in mine]
    covering = next((each for each in reached if each.reach is Reach.COVERS), None)
    if covering is not None and (broken := _contradiction(reached, covering, unit)) is not None:
        return Answer(against=broken)
    against = None
    for each in reached:
        if each.reach is Reach.AGAINST:
            against = each
            break
        if _takes_back(each, asked):
            break
    beside = None if covering or against else next(iter(reached), None)
    return Answer(covering, against, beside)


def _contradiction(reached: Sequence[Reached], covering: Reached, unit: Unit) -> Reached | None:
    """Return the newest failure since a pass that it can't stand beside, None where there is none.

    Both may have been made under harder conditions than are asked about: then the failure doesn't
    reach the question, and the pass would, were it not for the failure.
    """
    for each in reached[: reached.index(covering)]:
        if contradicts(each.proof, covering.proof) and _stands(each.proof, unit):
            return replace(each, reach=Reach.AGAINST)
    return None


def _stands(proof: RecorderProof, unit: Unit) -> bool:
    effects = (effect_of(each, is_passed=proof.is_passed) for each in standing(proof, unit))
    return Effect.VOIDS not in effects


def _takes_back(each: Reached, asked: Asked) -> bool:
    proof = each.proof
    kept = proof.load_bytes_per_s >= asked.need.average_bytes_per_s * (1 - PACE_TOLERANCE)
    return kept and not was_too_slow(proof, asked.need) and not _of_setup(each.voids)


def newest_standing(proofs: Iterable[RecorderProof], unit: Unit) -> RecorderProof | None:
    """Return the newest run that counts as one of *unit*, whatever is asked of it.

    One that was cut short counts where it had lost frames by then, as in every verdict.
    """
    mine = (proof for proof in proofs if proof.unit_tag == unit.tag)
    return max(
        (proof for proof in mine if _stands(proof, unit)),
        key=lambda proof: (proof.measured_at, proof.run_id),
        default=None,
    )
