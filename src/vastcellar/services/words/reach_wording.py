"""A proof's reach in words: why a run doesn't count here, and what is said beside its mark."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.units import NumberFormat
from vastcellar.core.verdict.proof import RecorderProof
from vastcellar.core.verdict.reach.comparing import Difference
from vastcellar.core.verdict.reach.reaching import Reached
from vastcellar.core.verdict.reach.rules import Condition, Relation

Words = Callable[[Difference, NumberFormat], str]


def difference_words(found: Difference, fmt: NumberFormat) -> str:
    """Return one difference as half a sentence about the run: "it was shorter than the take"."""
    return _WORDS[found.condition](found, fmt)


def differences_words(found: Iterable[Difference], fmt: NumberFormat) -> str:
    """Return all of them, one after the other."""
    return "; ".join(difference_words(each, fmt) for each in found)


def beside_words(reached: Reached, fmt: NumberFormat) -> str:
    """Say why the newest run on the unit is no answer here."""
    proof = reached.proof
    name = f"run {proof.run_id}" if proof.run_id else "the newest run"
    why = difference_words(reached.voids[0], fmt) if reached.voids else ""
    more = len(reached.voids) - 1
    also = f", and {more} more" if more > 0 else ""
    return f"{name} doesn't count here: {why}{also}"


def proof_word(proof: RecorderProof | None) -> str:
    """Return in a word or two what the newest run that counts says of its unit."""
    if proof is None:
        return "not proved yet"
    if proof.is_passed:
        word = "simulated" if proof.is_simulated else "proved"
        return f"{word}, imported" if proof.conditions.stated_by else word
    return "simulated, lost frames" if proof.is_simulated else "lost frames"


def _fixed(text: str) -> Words:
    return lambda _found, _fmt: text


def _rates(text: str) -> Words:
    return lambda found, fmt: text.format(fmt.rate(found.run), fmt.rate(found.asked))


def _device(found: Difference, _fmt: NumberFormat) -> str:
    if found.relation is Relation.UNKNOWN:
        if found.asked is None:
            return "the unit isn't bound to a device yet"
        return "which device it ran on isn't known"
    run = found.run
    named = run.serial if isinstance(run, DeviceIdentity) and run.has_own_serial else ""
    return "it ran on another device" + (f" (serial {named})" if named else "")


def _link(found: Difference, fmt: NumberFormat) -> str:
    if found.relation is Relation.UNKNOWN:
        return "on what link it ran isn't known"
    if found.relation is Relation.OTHER:
        return "it ran on another kind of link"
    gigabits = fmt.number(found.run / 1e9, 1)
    if found.relation is Relation.EASIER:
        return f"it ran on a faster link ({gigabits} Gb/s)"
    return f"it ran on a slower link ({gigabits} Gb/s)"


def _fill(found: Difference, fmt: NumberFormat) -> str:
    then, now = fmt.percent(1 - found.run), fmt.percent(1 - found.asked)
    if found.relation is Relation.HARDER:
        return f"the drive was fuller then ({then} against {now})"
    return f"the drive has filled since ({now} against {then} then)"


def _room(found: Difference, fmt: NumberFormat) -> str:
    if found.relation is Relation.UNKNOWN:
        return "how warm the room was isn't known"
    word = "hotter" if found.relation is Relation.HARDER else "cooler"
    return f"the room was {word} ({fmt.temperature(found.run)})"


def _sharing(found: Difference, _fmt: NumberFormat) -> str:
    if found.relation is Relation.HARDER:
        return f"{found.run} devices shared the hub then"
    return f"{found.asked} devices share the hub, {found.run} did then"


def _either(easier: str, harder: str) -> Words:
    return lambda found, _fmt: harder if found.relation is Relation.HARDER else easier


def _crest(found: Difference, fmt: NumberFormat) -> str:
    if found.relation is Relation.UNKNOWN:
        return "how its worst seconds were isn't known"
    word = "harder" if found.relation is Relation.HARDER else "milder"
    return f"its worst seconds were {word} ({fmt.rate(found.run)})"


def _length(found: Difference, fmt: NumberFormat) -> str:
    ran = fmt.duration(found.run)
    word = "longer" if found.relation is Relation.HARDER else "shorter"
    return f"it was {word} than the longest take ({ran})"


_WORDS: dict[Condition, Words] = {
    Condition.UNIT: _fixed("it ran on another unit"),
    Condition.REHEARSAL: _fixed("it was a rehearsal on a simulated rig"),
    Condition.PLACE: lambda found, _fmt: (
        "it ran in the computer's memory" if found.run == "memory" else "it ran over a network"
    ),
    Condition.DEVICE: _device,
    Condition.SIZE: lambda found, fmt: (
        f"the unit's device holds {fmt.size(found.run)}, its record says {fmt.size(found.asked)}"
    ),
    Condition.DATE: lambda found, _fmt: f"it is dated ahead ({found.run.astimezone():%d %b %Y})",
    Condition.SOURCE: lambda found, _fmt: (
        f"stated by {found.run}: {found.asked}" if found.asked else f"imported from {found.run}"
    ),
    Condition.INCIDENT: lambda found, _fmt: (
        f"made before it fell, got wet or lost frames ({found.asked.astimezone():%d %b %Y})"
    ),
    Condition.MODULE: _fixed("another drive was in it"),
    Condition.ENCLOSURE: _fixed("it ran in another enclosure"),
    Condition.HOST: _fixed("on another host"),
    Condition.PORT: _fixed("on another port"),
    Condition.CABLE: _fixed("with another cable"),
    Condition.LINK: _link,
    Condition.RATE: _rates("it took {0}, more than the stated link carries ({1})"),
    Condition.HUB: _fixed("behind other hubs"),
    Condition.SHARING: _sharing,
    Condition.FILE_SYSTEM: lambda found, _fmt: f"on {found.run}, not on {found.asked}",
    Condition.ENCRYPTION: _either("it was not encrypted then", "it was encrypted then"),
    Condition.FILL: _fill,
    Condition.ROOM: _room,
    Condition.COOLING: lambda found, _fmt: f"it had {found.run}",
    Condition.HOST_MEMORY: _fixed("the host's memory took part"),
    Condition.LOAD: lambda found, fmt: (
        f"the computer was busy with other things ({fmt.percent(found.run)})"
    ),
    Condition.OTHER_TEST: _fixed("another test ran on the disk meanwhile"),
    Condition.SLEEP: _fixed("the computer slept meanwhile"),
    Condition.STANDSTILL: lambda found, fmt: f"it was suspended for {fmt.duration(found.run)}",
    Condition.CLOCK: _fixed("the clock was set meanwhile"),
    Condition.COMPLETE: _fixed("it was not finished"),
    Condition.PACE: _either(
        "it was paced slower than this camera records", "it was paced faster than this camera"
    ),
    Condition.CREST: _crest,
    Condition.LENGTH: _length,
    Condition.BUFFER: _either(
        "it had a larger buffer than this camera", "it had a smaller buffer than this camera"
    ),
    Condition.AGE: lambda found, fmt: f"{fmt.number(found.run, 0)} days old",
    Condition.WRITTEN_SINCE: lambda found, fmt: (
        f"written full {fmt.number(found.run, 0)} times since"
    ),
    Condition.CALIBRATION: _rates("since calibrated slower ({1})"),
}
