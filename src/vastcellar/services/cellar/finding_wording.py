"""What was found, in words: the line, what it rests on, and the steps that decide."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from vastcellar.core.cellar.changes import SURE
from vastcellar.core.cellar.findings import Finding, FindingKind, UnitFacts
from vastcellar.core.cellar.likeness import AMOUNT, FILL, LOADED, ROOM
from vastcellar.core.cellar.wear_ahead import RETENTION_DAYS
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.units import NumberFormat
from vastcellar.services.cellar.story_wording import day_words, event_words

_DIFFERS = {
    "kind": "kind of test",
    "is_simulated": "simulated and real",
    "drive": "module",
    "enclosure": "case",
    "host": "computer",
    "port": "port",
    "link_mode": "link",
    "cable": "cable",
    "file_system": "file system",
    "encryption": "encryption",
    "cooling": "cooling",
    "write_mode": "way past the computer's memory",
    "block": "block",
    "depth": "depth",
    ROOM: "room temperature",
    FILL: "how full it was",
    AMOUNT: "how much was written",
    LOADED: "other load on the computer",
}


@dataclass(frozen=True, slots=True)
class Step:
    """What to do next, and what each outcome means."""

    what: str
    means: str = ""
    duration_s: float | None = None
    """How long a test takes; None for what is no test."""
    proves: bool = False
    """Whether it is a test that Prove can make."""


@dataclass(frozen=True)
class FindingWords:
    """One finding as it is said."""

    short: str
    """A few words, for where there is little room."""
    line: str
    evidence: str
    """What it rests on, how sure it is, and what else there is to it."""
    steps: tuple[Step, ...]


def finding_words(
    finding: Finding, facts: UnitFacts, catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    """Return *finding* in words; *facts* are those of its unit."""
    return _SAY[finding.kind](finding, facts, catalog, fmt)


def differs_words(names: tuple[str, ...]) -> str:
    """Return in what runs differ, in words."""
    return ", ".join(_DIFFERS[each] for each in names)


def sure_words(share: float) -> str:
    """Return how sure something is."""
    if share >= 0.999:
        return "over 99.9 % sure"
    return "over 99 % sure" if share >= 1 - SURE else f"{share:.0%} sure".replace("%", " %")


def _runs(count: int) -> str:
    return "1 run" if count == 1 else f"{count} runs"


def _again_s(facts: UnitFacts, run_id: int = 0) -> float | None:
    """Return how long a test as the run *run_id* takes, or as the newest like one."""
    like = facts.trends.like
    newest = like.points[-1] if like else None
    if run_id:
        newest = next((each for each in facts.points if each.run_id == run_id), newest)
    if newest is None or not newest.bytes_per_s or not newest.moved_bytes:
        return None
    return newest.moved_bytes / newest.bytes_per_s


def _false_capacity(
    finding: Finding, _facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    holds, sold = (fmt.size(finding.values[name]) for name in ("holds_bytes", "sold_bytes"))
    return FindingWords(
        "false capacity",
        f"holds {holds}, sold as {sold}",
        f"A capacity proof (run {finding.run_ids[0]}) read back nothing beyond {holds}: what is "
        "recorded further on is lost, and no camera says so.",
        (Step("Retire it, or send it back", "nothing mends a false chip"),
         Step("Look at what it recorded before", "files beyond that place are gone")),
    )  # fmt: skip


def _wrong_bytes(
    finding: Finding, facts: UnitFacts, _catalog: Catalog, _fmt: NumberFormat
) -> FindingWords:
    return FindingWords(
        "wrong bytes",
        f"gave back other bytes on {day_words(finding.values['at'])}",
        f"Run {finding.run_ids[0]} read something else than it had written: drive, cable, port or "
        "memory of the computer.",
        (Step("The same test with another cable", "well again: it was the cable",
              _again_s(facts), proves=True),
         Step("The same test on another computer", "well there: look at the computer's memory",
              _again_s(facts), proves=True)),
    )  # fmt: skip


def _stalls(
    finding: Finding, facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    values = finding.values
    longest = fmt.duration(values["longest_s"])
    if "twins" in values:
        line = "stalls, its twins do not"
        evidence = (
            f"{values['stalled']} of {_runs(values['runs'])} stood still, for {longest} at most; "
            f"{values['twin_stalled']} of {_runs(values['twin_runs'])} of "
            f"{' and '.join(values['twins'])}, the same model under the same conditions."
        )
    elif "sure_share" in values:
        line = f"began to stall, for {longest}"
        evidence = f"{_runs(values['now_count'])} since; {sure_words(values['sure_share'])}."
    else:
        line = f"stalls, for {longest}"
        evidence = f"{values['stalled']} of {_runs(values['runs'])} stood still for over a second."
    return FindingWords(
        "stalls",
        line,
        f"{evidence} A camera whose buffer is shorter loses frames.",
        (
            Step("The same test in a twin's case", "it stalls there too: it is the module",
                 _again_s(facts), proves=True),
            Step("Give it a duty that waits: copies, or editing",
                 "a copy takes a little longer, nothing is lost"),
        ),
    )  # fmt: skip


def _collapses(
    finding: Finding, facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    first, last = (
        fmt.rate(finding.values[name]) for name in ("first_bytes_per_s", "last_bytes_per_s")
    )
    room = fmt.size(finding.values["room_bytes"])
    return FindingWords(
        "collapses",
        f"writes {first} at first and {last} in the end",
        f"A short test (run {finding.run_ids[0]}) against a write of {room} (run "
        f"{finding.run_ids[1]}). A short test says nothing of a take.",
        (
            Step("The long write once more, with a fan on it",
                 "faster: it is the heat; the same: it is the cache",
                 _again_s(facts, finding.run_ids[1]), proves=True),
            Step("Record what needs little to it, or keep it for copies", ""),
        ),
    )  # fmt: skip


def _swapped(
    finding: Finding, _facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    other, device = finding.values["with"], finding.values["device_bytes"]
    if device is not None:
        holds, record = fmt.size(device), fmt.size(finding.values["record_bytes"])
        swapped = f" {other}'s is the other way round: their labels are swapped." if other else ""
        return FindingWords(
            "label swapped?",
            f"swapped with {other}, the devices say" if other else f"its device holds {holds}",
            f"The device that it is bound to holds {holds}, and by its record it is one of "
            f"{record}.{swapped}",
            (Step("Plug it in", "the bar on top names the device, and the unit it is bound to"),
             Step("Swap the labels back, or release the device here",
                  "its next run binds it again")),
        )  # fmt: skip
    return FindingWords(
        "label swapped?",
        f"the same device as {other}",
        f"Both are bound to one device by its serial number: {finding.tag} or {other} wears the "
        "other's label, or one of them is recorded twice.",
        (Step("Plug in both, one after the other", "the bar on top names the device of each"),
         Step("Release the wrong one here, label it anew", "its next run binds it again")),
    )  # fmt: skip


def _doubted(
    finding: Finding, facts: UnitFacts, _catalog: Catalog, _fmt: NumberFormat
) -> FindingWords:
    what, day = finding.values["what"], day_words(finding.values["day"])
    return FindingWords(
        what,
        f"{what} on {day}, not proved since",
        "What was proved before that says nothing any more, for any camera.",
        (Step("Prove the duty it had, in full", "holds: in service again", _again_s(facts),
              proves=True),),
    )  # fmt: skip


def _slower(
    finding: Finding, facts: UnitFacts, catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    values = finding.values
    share = fmt.percent(abs(values["share"]))
    if "twins" in values:
        return FindingWords(
            "slower than twins",
            f"{share} slower than {' and '.join(values['twins'])}",
            f"{_runs(values['count'])} of the same model under the same conditions.",
            (Step("The same test in a twin's case", "as fast there: it is the case",
                  _again_s(facts), proves=True),),
        )  # fmt: skip
    was, now = fmt.rate(values["baseline"]), fmt.rate(values["now"])
    between = values["between"]
    when = f"since {day_words(between[1])}" if between else "little by little"
    told = [
        f"on {day_words(each.at)} {event_words(each, catalog, fmt)}" for each in values["events"]
    ]
    meanwhile = f" Meanwhile: {'; '.join(told)}." if told else " Nothing else differed."
    return FindingWords(
        "slower",
        f"{share} slower {when}",
        f"{was} in the median of {_runs(values['baseline_count'])} before, {now} in "
        f"{_runs(values['now_count'])} since, like runs only; {sure_words(values['sure_share'])}."
        f"{meanwhile}",
        _slower_steps(facts),
    )


def _slower_steps(facts: UnitFacts) -> tuple[Step, ...]:
    again_s = _again_s(facts)
    return (
        Step("Empty it, trim it, and the same test", "as it was: old blocks were in the way",
             again_s, proves=True),
        Step("The same test in another case", "as it was: it is the case", again_s, proves=True),
        Step("The same test with another cable", "as it was: it is the cable", again_s,
             proves=True),
        Step("Swap it with a unit that has more to spare", "nobody waits for it meanwhile"),
    )  # fmt: skip


def _elsewhere(
    finding: Finding, facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    values = finding.values
    differs = differs_words(values["differs"])
    share = fmt.percent(abs(values["share"]))
    return FindingWords(
        "slower since a change",
        f"{share} slower since {day_words(values['since'])}: another {differs}",
        f"{_runs(values['count'])} since, not like those before: {differs} differ. Whether the "
        "unit changed or only that isn't known.",
        (Step("One test under the conditions of before", "as it was: the unit is well",
              _again_s(facts), proves=True),),
    )  # fmt: skip


def _maybe(
    finding: Finding, facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    values = finding.values
    was, now = fmt.rate(values["before_bytes_per_s"]), fmt.rate(values["after_bytes_per_s"])
    return FindingWords(
        "slower?",
        f"maybe {fmt.percent(abs(values['share']))} slower since {day_words(values['since'])}",
        f"{now}, and {was} before. Chance alone does that once in "
        f"{fmt.number(1 / values['chance'], 0)}: it isn't sure.",
        (Step("The same test, two or three times", "as low again: then it is sure",
              _again_s(facts), proves=True),),
    )  # fmt: skip


def _hotter(
    finding: Finding, facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    values = finding.values
    was, now = fmt.temperature(values["baseline"]), fmt.temperature(values["now"])
    return FindingWords(
        "hotter",
        f"gets {now} hot, and {was} before",
        f"{_runs(values['now_count'])} since, like runs only; {sure_words(values['sure_share'])}. "
        "Its rate may be the next to go.",
        (Step("Look at its pad and its fan, then the same test", "as cool as before: it was that",
              _again_s(facts), proves=True),),
    )  # fmt: skip


def _worn(
    finding: Finding, _facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    values = finding.values
    ends = f", ends {day_words(values['ends_on'])}" if values["ends_on"] else ""
    by = "by what it says itself" if values["is_by_drive"] else "by what was written to it"
    return FindingWords(
        "nearly worn" if values["is_nearly"] else "well worn",
        f"{fmt.percent(values['share'])} of its endurance used{ends}",
        f"Rated by its maker, {by}. A drive goes on beyond that, and nobody promises for how long.",
        (Step("Take it off what can't be repeated", "copies that lie elsewhere too are well"),
         Step("Order the next one", "prove it before this one is retired")),
    )  # fmt: skip


def _lies(
    finding: Finding, _facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    values = finding.values
    return FindingWords(
        "lies too long",
        f"without power for {fmt.number(values['days'], 0)} days, with "
        f"{fmt.size(values['holds_bytes'])} on it",
        "Cells lose their charge: a client drive at the end of its endurance keeps data for "
        f"{RETENTION_DAYS:.0f} days at 30 °C (JEDEC JESD218), a new one many times longer.",
        (Step("Plug it in and read it all", "a read finds what faded, and the drive mends it"),
         Step("Copy what is only there", "two copies on different units")),
    )  # fmt: skip


def _overdue(
    finding: Finding, _facts: UnitFacts, _catalog: Catalog, _fmt: NumberFormat
) -> FindingWords:
    values = finding.values
    days = "1 day" if values["days"] == 1 else f"{values['days']} days"
    return FindingWords(
        "overdue",
        f"lent, {days} overdue",
        f"It is with {values['to']} and was due on {day_words(values['due_on'])}.",
        (Step(f"Ask {values['to']}", "note here that it is back, or until when it stays"),),
    )


def _not_seen(
    finding: Finding, _facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    return FindingWords(
        "not seen",
        f"not seen for {fmt.number(finding.values['days'], 0)} days",
        "No run, no copy, nothing that happened to it stands in the cellar since.",
        (Step("Look for it, plug it in once", "it is seen by its serial number"),
         Step("Retire it here if it is gone", "")),
    )  # fmt: skip


def _proof_old(
    finding: Finding, facts: UnitFacts, _catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    values = finding.values
    return FindingWords(
        "proof old",
        f"proved {fmt.number(values['days'], 0)} days ago, and camera {values['needed_by']} "
        "records to it",
        f"Its newest proof is of {day_words(values['at'])}. Drives age, hosts change.",
        (Step("Prove it again before the day", "holds: proved anew", _again_s(facts),
              proves=True),),
    )  # fmt: skip


def _not_wiped(
    _finding: Finding, _facts: UnitFacts, _catalog: Catalog, _fmt: NumberFormat
) -> FindingWords:
    return FindingWords(
        "not wiped?",
        "retired without a note on how it was wiped",
        "Nobody can say whether pictures of a client still lie on it.",
        (Step("Wipe it, or find out, and note how", ""),),
    )


def _warranty(
    finding: Finding, _facts: UnitFacts, _catalog: Catalog, _fmt: NumberFormat
) -> FindingWords:
    until = day_words(finding.values["until"])
    return FindingWords(
        "guarantee ends",
        f"guarantee ends on {until}",
        "What is wrong with it is still its maker's to mend.",
        (Step("One full test before that", "well: let it end; else send it in", proves=True),),
    )


def _capped(
    finding: Finding, facts: UnitFacts, catalog: Catalog, fmt: NumberFormat
) -> FindingWords:
    case = catalog.cases.get(facts.unit.enclosure_key)
    carried = fmt.rate(finding.values["case_bytes_per_s"])
    could = fmt.rate(finding.values["drive_bytes_per_s"])
    return FindingWords(
        "capped",
        f"its case carries {carried}, the drive {could}",
        f"{case.name if case else 'Its case'} is the limit of every test. The larger cache and "
        "endurance of the drive are still of use.",
        (Step("A faster case, where a port for it is at hand", "Build shows which"),
         Step("Or a plainer drive in this case", "as fast, and cheaper")),
    )  # fmt: skip


_SAY: Mapping[FindingKind, Callable[[Finding, UnitFacts, Catalog, NumberFormat], FindingWords]] = {
    FindingKind.FALSE_CAPACITY: _false_capacity,
    FindingKind.WRONG_BYTES: _wrong_bytes,
    FindingKind.STALLS: _stalls,
    FindingKind.COLLAPSES: _collapses,
    FindingKind.SWAPPED: _swapped,
    FindingKind.DOUBTED: _doubted,
    FindingKind.SLOWER: _slower,
    FindingKind.SLOWER_ELSEWHERE: _elsewhere,
    FindingKind.MAYBE_SLOWER: _maybe,
    FindingKind.HOTTER: _hotter,
    FindingKind.WORN: _worn,
    FindingKind.LIES_TOO_LONG: _lies,
    FindingKind.OVERDUE: _overdue,
    FindingKind.NOT_SEEN: _not_seen,
    FindingKind.PROOF_OLD: _proof_old,
    FindingKind.NOT_WIPED: _not_wiped,
    FindingKind.WARRANTY_ENDS: _warranty,
    FindingKind.CAPPED: _capped,
}
