"""The table of a proof's reach as a page of the documentation: made from the rules themselves."""

from __future__ import annotations

from vastcellar.core.verdict.reach.rules import RULES, Condition, Effect, Rule

_HEAD = """# A proof's reach

A recorder test answers for a camera's take where nothing it was made under was easier than what is asked. Each condition is *read* from the
machine, *stated* by the user, or *unknown*. This page is made from the rules in `src/vastcellar/core/verdict/reach/rules.py` (`make schemas`).

- **easier**: the run had it easier (a cooler room, a shorter take). Having passed, it says nothing of the harder.
- **harder**: the run had it harder. A run that *passed* covers the easier; for a run that *failed* the two columns change places.
- **voids**: it proves nothing here; its reason stands beside the verdict. **weakens**: it counts, and this is said beside its mark.

A run that is void and was slower than the camera on a setup no harder than this one still *speaks against* the model: the verdict is then
*not known*, until a later run keeps the pace. Runs are held against each other, too: a newer run that *failed* under conditions no harder
than those of an older pass leaves nothing proved by that pass, even where both were made under harder conditions than are asked about;
what isn't known of the failure (how warm the room was) takes nothing away from it. Simulated rigs stand for drives in a demo's cellar only; elsewhere they are rehearsals.

**What an import can do, and what it can't.** Runs that come with `cellar import` and `cellar merge` are claims of somebody. A recorder
test counts where its own trace bears out its bytes, its length, its frames and its rate, and *imported from …* is said beside its mark,
on every screen. One without a trace, or whose trace says otherwise, is *stated by …*: it stands in the unit's history, and proves
nothing. One that is dated ahead counts for nothing until then. Binding still holds: a run proves only the device that its unit is bound
to, of the size that it had, and (cards in readers aside) of its model and bus. `cellar trace` brings figures for comparison, never a proof.

| condition | known | easier | harder | other | unknown | why |
|---|---|---|---|---|---|---|
"""  # noqa: E501
_READ = frozenset(
    {
        Condition.REHEARSAL,
        Condition.PLACE,
        Condition.DEVICE,
        Condition.SIZE,
        Condition.DATE,
        Condition.FILL,
        Condition.HOST_MEMORY,
        Condition.LOAD,
        Condition.OTHER_TEST,
        Condition.SLEEP,
        Condition.STANDSTILL,
        Condition.CLOCK,
        Condition.COMPLETE,
        Condition.RATE,
        Condition.AGE,
        Condition.WRITTEN_SINCE,
        Condition.CALIBRATION,
        Condition.FILE_SYSTEM,
        Condition.ENCRYPTION,
    }
)
_EITHER = frozenset({Condition.LINK})
_OF_TEST = frozenset({Condition.PACE, Condition.CREST, Condition.LENGTH, Condition.BUFFER})


def reach_page() -> str:
    """Return the page as Markdown."""
    return _HEAD + "".join(f"{_row(each, rule)}\n" for each, rule in RULES.items())


def _row(condition: Condition, rule: Rule) -> str:
    effects = (rule.easier, rule.harder, rule.other, rule.unknown)
    cells = " | ".join("–" if each is Effect.NOTHING else each.value for each in effects)
    return f"| {condition.value} | {_known(condition)} | {cells} | {rule.why} |"


def _known(condition: Condition) -> str:
    if condition in _EITHER:
        return "read, else stated"
    if condition in _OF_TEST:
        return "of the test"
    return "read" if condition in _READ else "stated"
