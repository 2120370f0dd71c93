"""Verdicts in words: a sentence with a figure, the reason, the evidence."""

from __future__ import annotations

from typing import NamedTuple

from vastcellar.core.candidates.mends import Change, Mend
from vastcellar.core.chain.chain import Chain
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.shoot.shoot import Camera
from vastcellar.core.units import NumberFormat
from vastcellar.core.verdict.bottlenecks import Bottleneck
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.core.writing.drive_in_use import EventKind
from vastcellar.services.words.reach_wording import beside_words, differences_words
from vastcellar.services.words.said_wording import said_words

SHORT_WORDS = {
    Verdict.HOLDS: "holds",
    Verdict.TIGHT: "tight",
    Verdict.FALLS_SHORT: "short",
    Verdict.NOT_KNOWN: "not known",
}


def short_verdict(judgement: Judgement, fmt: NumberFormat) -> str:
    """Return word and margin: "short −58 %"."""
    word = SHORT_WORDS[judgement.verdict]
    if judgement.margin is None or judgement.bottleneck is Bottleneck.NOT_CONNECTED:
        return word if judgement.bottleneck is not Bottleneck.NOT_CONNECTED else "no link"
    return f"{word} {fmt.percent(judgement.margin, signed=True)}"


class VerdictTold(NamedTuple):
    """A verdict as it is shown: two marks with their words."""

    verdict: Verdict
    evidence: Evidence
    sentence: str
    evidence_line: str


def told_verdict(judgement: Judgement, camera: Camera, fmt: NumberFormat) -> VerdictTold:
    """Return *judgement* of *camera* as marks and words."""
    return VerdictTold(
        judgement.verdict,
        judgement.evidence,
        verdict_sentence(judgement, camera, fmt),
        evidence_line(judgement, fmt),
    )


def verdict_sentence(judgement: Judgement, camera: Camera, fmt: NumberFormat) -> str:
    """Return the verdict as a sentence with a figure."""
    take = f"{fmt.duration(camera.longest_take_s)} take"
    if judgement.bottleneck is Bottleneck.NOTHING_CHOSEN:
        return f"Not known: choose what camera {camera.key} records to"
    if judgement.against is not None:
        run = judgement.against
        if run.frames_dropped and run.achieved_bytes_per_s >= judgement.need.average_bytes_per_s:
            lost = f"lost {fmt.number(run.frames_dropped, 0)} frames"
            return f"Not known: by its parts it should hold, but a newer run {lost}"
        wrote = f"{fmt.duration(run.duration_s)} wrote at {fmt.rate(run.achieved_bytes_per_s)}"
        return f"Not known: by its parts it should hold, but a run of {wrote}"
    if judgement.bottleneck is Bottleneck.NOT_MEASURED and judgement.proof is None:
        return "Not known: its box promises enough for a short burst"
    if judgement.bottleneck is Bottleneck.NOT_CONNECTED:
        return "Delivers nothing"
    if judgement.proof is not None:
        return _proved_sentence(judgement, take, fmt)
    if judgement.verdict is Verdict.FALLS_SHORT:
        if judgement.bottleneck is Bottleneck.SPACE:
            full_s = judgement.free_bytes / judgement.need.average_bytes_per_s
            return f"Full after {fmt.duration(full_s)} of a {take}"
        if judgement.fails_at_s:
            return f"Falls short after {fmt.duration(judgement.fails_at_s)} of a {take}"
        return (
            f"Falls short from the first second: {fmt.rate(judgement.lowest_ability_bytes_per_s)} "
            f"of {fmt.rate(judgement.need.needed_write_bytes_per_s)}"
        )
    margin = fmt.percent(judgement.margin or 0.0)
    if judgement.verdict is Verdict.TIGHT:
        return f"Tight: holds the {take} with {margin} to spare"
    return f"Holds the whole {take}, {margin} to spare"


def _proved_sentence(judgement: Judgement, take: str, fmt: NumberFormat) -> str:
    proof = judgement.proof
    assert proof is not None  # asked for only with a proof
    if proof.frames_dropped:
        return f"Proved to fall short: {fmt.number(proof.frames_dropped, 0)} frames dropped"
    word = "Held" if judgement.verdict is Verdict.HOLDS else "Tight: held"
    at = fmt.rate(proof.achieved_bytes_per_s)
    return f"{word} the whole {take} at {at}, no frame dropped"


def reason(judgement: Judgement, camera: Camera, fmt: NumberFormat) -> str:
    """Return why the verdict is what it is, in one line."""
    chain = judgement.chain
    if chain is None:
        return "A drive, an enclosure, a cable and a port make a verdict possible."
    if judgement.bottleneck is Bottleneck.NOT_CONNECTED:
        return f"{chain.problem[0].upper()}{chain.problem[1:]}."
    if judgement.against is not None:
        sent = fmt.rate(judgement.need.average_bytes_per_s)
        return f"The camera sends {sent}. Look for what slowed it, then prove the whole take."
    lowest = fmt.rate(judgement.lowest_ability_bytes_per_s)
    if judgement.bottleneck is Bottleneck.NOT_MEASURED:
        return f"The box says {lowest}; what it writes for a whole take only a proof can say."
    need = fmt.rate(judgement.need.needed_write_bytes_per_s)
    if judgement.bottleneck is Bottleneck.SPACE:
        needs = fmt.size(judgement.need.longest_take_bytes)
        return f"The take needs {needs}, {fmt.size(judgement.free_bytes)} are free."
    text = {
        Bottleneck.CACHE: _cache_reason(judgement, lowest, fmt),
        Bottleneck.HEAT: _heat_reason(judgement, lowest, fmt),
        Bottleneck.LINK: f"{_link_reason(chain, lowest, fmt)}{_wasted(judgement, fmt)}",
        Bottleneck.DRIVE: f"The drive itself takes {lowest}.",
    }[judgement.bottleneck]
    if judgement.verdict is Verdict.FALLS_SHORT:
        return f"{text} {_loss(judgement, camera, fmt)}"
    return f"{text} The need is {need}."


_WORTH_SAYING = 0.25
_FORMAT_WORDS = {"encryption": "Encryption", "file_system": "The file system", "hub": "The hub"}


def _link_reason(chain: Chain, lowest: str, fmt: NumberFormat) -> str:
    """Name what holds the link: itself, or the hub, file system or encryption on the way."""
    stage = chain.capping_stage
    if stage is None or stage.key not in _FORMAT_WORDS:
        return f"The link delivers {lowest}, {chain.negotiated.why}."
    return f"{_FORMAT_WORDS[stage.key]} leaves {lowest}: {said_words(stage.why, fmt)}."


def _wasted(judgement: Judgement, fmt: NumberFormat) -> str:
    """Say how much of what the drive writes can't pass, where that is a good deal."""
    chain = judgement.chain
    behaviour = chain.parts.drive.behaviour if chain else None
    if chain is None or behaviour is None:
        return ""
    share = 1 - chain.link_cap_bytes_per_s / behaviour.cache_write_bytes_per_s
    if share < _WORTH_SAYING:
        return ""
    return f" {fmt.percent(share)} of what this drive writes can't pass."


def _cache_reason(judgement: Judgement, lowest: str, fmt: NumberFormat) -> str:
    full = judgement.run.first(EventKind.CACHE_FULL) if judgement.run else None
    if full is None:
        return f"The fast cache lasts; the drive takes {lowest}."
    return f"The fast cache is full after {fmt.size(full.written_bytes)}, then {lowest}."


def _heat_reason(judgement: Judgement, lowest: str, fmt: NumberFormat) -> str:
    hot = judgement.run.first(EventKind.THROTTLE) if judgement.run else None
    if hot is None:
        return f"Heat caps it at {lowest}."
    return (
        f"It throttles at {fmt.temperature(hot.drive_c)} after {fmt.duration(hot.at_s)}, "
        f"then {lowest}."
    )


def _loss(judgement: Judgement, camera: Camera, fmt: NumberFormat) -> str:
    outcome, need = judgement.outcome, judgement.need
    if outcome is None or outcome.lost_bytes <= 0:
        below = need.peak_bytes_per_s > judgement.lowest_ability_bytes_per_s
        kept = "the average fits, the worst seconds don't" if below else "the headroom is gone"
        return f"No frame is lost at the average rate: {kept}."
    share = 1 - judgement.lowest_ability_bytes_per_s / need.average_bytes_per_s
    return (
        f"The buffer of {fmt.size(camera.buffer_bytes)} is full and the first frame lost after "
        f"{fmt.duration(outcome.first_loss_s)}; then {fmt.percent(share)} of all frames."
    )


def evidence_line(judgement: Judgement, fmt: NumberFormat) -> str:
    """Return what the verdict rests on: "proved · ..." or "computed · ...".

    What weakens it or doesn't reach comes first: a narrow window shows the beginning.
    """
    proof = judgement.proof
    if judgement.evidence is Evidence.PROVED and proof is not None:
        where = "on a simulated rig" if proof.is_simulated else "on the real disk"
        day = proof.measured_at.astimezone()
        beside = differences_words(judgement.weakened, fmt)
        return (
            f"proved {where}, {day.day} {day:%b %Y}"
            + (f" · but {beside}" if beside else "")
            + f" · slowest second {fmt.rate(proof.slowest_second_ability_bytes_per_s)}"
        )
    if judgement.evidence is Evidence.CLAIMED:
        return "claimed · printed on its box"
    if judgement.against is not None:
        where = "on a simulated rig" if judgement.against.is_simulated else "on the real disk"
        return f"computed · measured otherwise {where}"
    if judgement.verdict is Verdict.NOT_KNOWN:
        return "nothing to go by yet"
    basis = judgement.chain.parts.basis if judgement.chain else "typical figures"
    beside = f"{beside_words(judgement.beside, fmt)} · " if judgement.beside is not None else ""
    computed = f"computed · {beside}chain, cache and heat with {basis}"
    stated = [
        stage.name.lower()
        for stage in (judgement.chain.stages if judgement.chain else ())
        if stage.evidence is Evidence.STATED
    ]
    if stated:
        computed += f", {' and '.join(stated)} as stated"
    return computed


_CHANGE_WORDS = {
    Change.UNIT: "from the shelf",
    Change.DRIVE: "as drive",
    Change.ENCLOSURE: "as enclosure",
    Change.CABLE: "as cable",
    Change.PORT: "as port",
}


def mend_title(mend: Mend) -> str:
    """Return what to change, in three words."""
    parts = mend.parts
    name = {
        Change.UNIT: parts.name,
        Change.DRIVE: parts.drive.name,
        Change.ENCLOSURE: parts.enclosure.name if parts.enclosure else "",
        Change.CABLE: parts.cable.name if parts.cable else "",
        Change.PORT: parts.port.name,
    }[mend.change]
    return f"{name} {_CHANGE_WORDS[mend.change]}" if mend.change is Change.UNIT else name


def mend_detail(mend: Mend) -> str:
    """Return what the mend is made of and where it plugs in."""
    parts = mend.parts
    if mend.change is Change.UNIT:
        case = parts.enclosure.name if parts.enclosure else parts.port.name
        return f"{parts.drive.name}, {case}"
    if mend.change in (Change.DRIVE, Change.ENCLOSURE):
        return f"a new {mend.change.value} in place of this one"
    return f"another {mend.change.value}"


def price_text(price: float, currency: str, fmt: NumberFormat) -> str:
    """Return what must be paid: "nothing to buy" or the price."""
    return "nothing to buy" if price <= 0 else f"{fmt.number(price, 0)} {currency}"


def useless_sentence(useless: tuple[Mend, ...], fmt: NumberFormat) -> str:
    """Say plainly which kinds of part would not help, or return ""."""
    if not useless:
        return ""
    kinds = [mend.change.value for mend in useless]
    listed = kinds[0] if len(kinds) == 1 else f"{', '.join(kinds[:-1])} or {kinds[-1]}"
    best = max(mend.judgement.lowest_ability_bytes_per_s for mend in useless)
    return f"another {listed} would not help: {fmt.rate(best)} at best"
