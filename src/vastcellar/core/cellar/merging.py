"""Two cellars become one: units by what their devices say, conflicts one by one, nothing silent."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.units import LONGEST_TAG, Unit

_COMPARED = ("tag", "drive_key", "enclosure_key", "state", "note", "used_bytes")


class Take(StrEnum):
    """Whose is taken."""

    MINE = "mine"
    THEIRS = "theirs"


@dataclass(frozen=True, slots=True)
class Conflict:
    """One thing that both say of one unit, and differently."""

    tag: str
    """Mine."""
    what: str
    mine: Any
    theirs: Any

    @property
    def key(self) -> str:
        """What a decision names: the tag and what differs."""
        return f"{self.tag}.{self.what}"


@dataclass(frozen=True, slots=True)
class Pair:
    """A unit of theirs, and the one of mine that it is."""

    theirs: Unit
    mine: Unit | None
    """None for one that is new here."""
    new_tag: str
    """What it is called here: another tag than theirs where that one is taken."""
    conflicts: tuple[Conflict, ...] = ()
    told: tuple[str, ...] = ()
    """What is settled without a question, and said."""


@dataclass(frozen=True)
class MergePlan:
    """What becomes of each unit of theirs."""

    pairs: tuple[Pair, ...] = field(default=())

    @property
    def conflicts(self) -> tuple[Conflict, ...]:
        """All that has to be decided."""
        return tuple(each for pair in self.pairs for each in pair.conflicts)

    def tag_here(self, their_tag: str) -> str:
        """Return what a unit of theirs is called here, before any decision on its tag."""
        pair = next(each for each in self.pairs if each.theirs.tag == their_tag)
        return pair.mine.tag if pair.mine else pair.new_tag


def plan_merge(mine: Sequence[Unit], theirs: Sequence[Unit]) -> MergePlan:
    """Return which of *theirs* are which of *mine*, and what both say differently.

    The device decides where both know it; else the tag does, as long as nothing speaks against it.
    Two units of one tag and different devices are two: theirs gets another tag.
    """
    taken = {unit.tag for unit in mine} | {unit.tag for unit in theirs}
    by_tag = {unit.tag: unit for unit in mine}
    matched: set[str] = set()
    pairs = []
    for unit in sorted(theirs, key=lambda each: each.tag):
        same = next((each for each in mine if _is_same_device(each, unit)), None)
        if same is None:
            like = by_tag.get(unit.tag)
            same = like if like is not None and not _is_other_device(like, unit) else None
        if same is not None and same.tag in matched:
            same = None  # two of theirs can't be one of mine
        if same is None:
            tag = unit.tag
            told: tuple[str, ...] = ()
            if tag in by_tag:
                tag = _free_tag(tag, taken)
                taken.add(tag)
                told = (f"{unit.tag} is another device here: theirs is called {tag}",)
            pairs.append(Pair(unit, None, tag, (), told))
            continue
        matched.add(same.tag)
        pairs.append(_paired(same, unit))
    return MergePlan(tuple(pairs))


def _paired(mine: Unit, theirs: Unit) -> Pair:
    conflicts = tuple(
        Conflict(mine.tag, name, getattr(mine, name), getattr(theirs, name))
        for name in _COMPARED
        if getattr(mine, name) != getattr(theirs, name)
    )
    told = []
    if mine.written_bytes != theirs.written_bytes:
        told.append(
            f"{mine.tag}: written {mine.written_bytes / 1e12:.3f} TB here and "
            f"{theirs.written_bytes / 1e12:.3f} TB there: the larger counts"
        )
    return Pair(theirs, mine, mine.tag, conflicts, tuple(told))


def _is_same_device(one: Unit, other: Unit) -> bool:
    return bool(one.device and other.device and one.device.is_same_as(other.device))


def _is_other_device(one: Unit, other: Unit) -> bool:
    return bool(one.device and other.device and one.device.is_same_as(other.device) is False)


def _free_tag(tag: str, taken: set[str]) -> str:
    number = 2
    while True:
        suffix = f" ({number})"
        found = f"{tag[: LONGEST_TAG - len(suffix)]}{suffix}"
        if found not in taken:
            return found
        number += 1


def merged(pair: Pair, decided: Mapping[str, Take]) -> Unit:
    """Return the unit as it is here after the merge.

    Raises BadValueError for a conflict that nobody decided.
    """
    if pair.mine is None:
        return replace(pair.theirs, tag=pair.new_tag)  # with a baseline by their run numbers
    unit = pair.mine
    changes: dict[str, Any] = {}
    for conflict in pair.conflicts:
        take = decided.get(conflict.key)
        if take is None:
            raise BadValueError(
                f"{conflict.key} is {conflict.mine!r} here and {conflict.theirs!r} there",
                where="merge", mend=f"Decide it: {conflict.key}=mine or {conflict.key}=theirs",
            )  # fmt: skip
        if take is Take.THEIRS:
            changes[conflict.what] = conflict.theirs
    changes["written_bytes"] = max(unit.written_bytes, pair.theirs.written_bytes)
    if unit.device is None:
        changes["device"] = pair.theirs.device
    if {"drive_key", "enclosure_key"} & set(changes):
        changes["acceptance"] = pair.theirs.acceptance  # it was of those parts
    elif unit.acceptance is None:
        changes["acceptance"] = pair.theirs.acceptance
    return replace(unit, **changes)
