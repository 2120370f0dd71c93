"""The tests of a duty as one set: announced together, made one after the other."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from vastcellar.core.chain.chain import Chain
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.planned_tests import plan_test
from vastcellar.services.proving.tests_offered import TESTS, Wish
from vastcellar.services.workplace.workplace import Workplace


@dataclass(frozen=True, slots=True)
class TestsAsked:
    """Which tests a duty still asks of a unit."""

    __test__ = False  # not a pytest class

    unit_tag: str
    """"" where no unit is named: then its tests are only shown."""
    duty: str
    kinds: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class SetPlan:
    """What the whole set comes to on what is chosen now."""

    bytes_to_write: int
    most_s: float
    """Infinite where the model is silent of one of them."""
    endurance_share: float | None
    """None where no endurance is rated."""


def test_names(kinds: tuple[str, ...]) -> tuple[str, ...]:
    """Return the tests' names, as Prove offers them."""
    names = {each.kind: each.name for each in TESTS}
    return tuple(names[kind] for kind in kinds)


test_names.__test__ = False  # type: ignore[attr-defined]  # not a pytest function


def plan_set(
    wish: Wish, kinds: tuple[str, ...], chain: Chain | None, ambient_c: float, workplace: Workplace
) -> SetPlan:
    """Plan every test of the set as it would be made. Raises what plan_test raises."""
    offered = {each.kind: each for each in TESTS}
    planned = [
        plan_test(replace(wish, test=offered[kind]), chain, ambient_c, workplace) for kind in kinds
    ]
    written = sum(each.bytes_to_write for each in planned)
    tbw = chain.parts.drive.tbw_bytes if chain else wish.tbw_bytes
    most_s = sum(each.most_s for each in planned)
    return SetPlan(written, most_s, written / tbw if tbw else None)


def set_sentence(
    asked: TestsAsked,
    wish: Wish,
    chain: Chain | None,
    ambient_c: float,
    workplace: Workplace,
    fmt: NumberFormat,
) -> str:
    """Say what the set writes, how long it takes and what it wears, or what is in its way."""
    try:
        plan = plan_set(wish, asked.kinds, chain, ambient_c, workplace)
    except VastCellarError as error:
        return str(error)
    parts = [f"writes {fmt.size(plan.bytes_to_write)}"]
    if math.isfinite(plan.most_s):
        parts.append(f"up to {fmt.duration(max(math.ceil(plan.most_s), 1))}")
    if plan.endurance_share is not None:
        parts.append(f"{fmt.percent(plan.endurance_share)} of its rated endurance")
    count = len(asked.kinds)
    return f"{count} {'test' if count == 1 else 'tests'} together: {', '.join(parts)}."


def require_same_unit(asked: TestsAsked, unit_tag: str, name: str) -> None:
    """Raise BadValueError where what is chosen isn't the unit that the tests are asked of."""
    if unit_tag != asked.unit_tag:
        raise BadValueError(
            f"what is chosen here is {name or 'nothing'}, not {asked.unit_tag}",
            where=f"{asked.duty}, {asked.unit_tag}",
            mend=f"Choose the device of {asked.unit_tag} above, or the camera that records to it",
        )
