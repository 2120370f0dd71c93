"""A build in words: one sentence for the whole, one for every check, one for every step."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vastcellar.core.build.steps import BuildKind, Caution, Step
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.fitting import Fit, FitKind
from vastcellar.core.units import NumberFormat
from vastcellar.services.build.building import Build, Gain, Instead, KindChoice
from vastcellar.services.words.said_wording import said_words
from vastcellar.services.words.verdict_wording import SHORT_WORDS, short_verdict

CHECK_NAMES = {
    FitKind.PROTOCOL: "protocol",
    FitKind.LENGTH: "length",
    FitKind.KEY: "notch",
    FitKind.UNDER: "under the board",
    FitKind.BODY: "height",
    FitKind.WIDTH: "width",
    FitKind.LANES: "lanes",
    FitKind.GAP: "pad and lid",
    FitKind.PRESSED: "pad and lid",
    FitKind.POWER: "power",
    FitKind.LINK: "link",
    FitKind.WEIGHT: "weight",
    FitKind.SPLASH: "wet",
    FitKind.PAIR: "known to be bad",
}
FIT_WORDS = {
    Verdict.HOLDS: "fits",
    Verdict.TIGHT: "tight",
    Verdict.FALLS_SHORT: "doesn't fit",
    Verdict.NOT_KNOWN: "not known",
}
CAUTION_WORDS = {
    Caution.STATIC: "Static kills chips: stay grounded, hold it by its edges.",
    Caution.FORCE: "Never force it: turn it round instead.",
    Caution.WARRANTY: "Taking a label off may end the warranty.",
    Caution.FOR_GOOD: "It can't be opened again.",
    Caution.HOT: "Over 60 °C metal burns: let it cool first.",
    Caution.MAINS: "Unplug the mains; power supplies and wiring are for licensed people.",
}
ALWAYS = "Follow the maker's manual and local rules."


def check_words(fit: Fit, fmt: NumberFormat) -> str:
    """Return one check: what it is, and why it is so."""
    return f"{CHECK_NAMES[fit.kind]}: {said_words(fit.said, fmt)}"


def mend_words(fit: Fit, fmt: NumberFormat, currency: str) -> str:
    """Return what would mend it, with its price; "" where nothing is known to."""
    if fit.mend is None:
        return ""
    words = said_words(fit.mend, fmt)
    price = dict(fit.mend.values).get("price")
    has_price = isinstance(price, (int, float)) and price > 0
    return f"{words}, {fmt.number(float(price), 0)} {currency}" if has_price else words  # type: ignore[arg-type]


def fit_headline(made: Build) -> str:
    """Say in a few words whether it fits, and what is in the way first."""
    if made.verdict is Verdict.HOLDS:
        return "It fits"
    wrong = [fit for fit in made.checks if fit.verdict is made.verdict]
    head = {
        Verdict.TIGHT: "It fits, tightly",
        Verdict.NOT_KNOWN: "Not known whether it fits",
        Verdict.FALLS_SHORT: "It doesn't fit",
    }[made.verdict]
    more = f" and {len(wrong) - 1} more" if len(wrong) > 1 else ""
    return f"{head}: {CHECK_NAMES[wrong[0].kind]}{more}"


def fit_sentence(made: Build, fmt: NumberFormat) -> str:
    """Say in a sentence whether it fits, and what is in the way first, with its figures."""
    if made.verdict is Verdict.HOLDS:
        told = made.of(FitKind.GAP) or made.of(FitKind.BODY) or made.checks[0]
        return f"It fits: {check_words(told, fmt)}"
    first = next(fit for fit in made.checks if fit.verdict is made.verdict)
    return f"{fit_headline(made)}: {said_words(first.said, fmt)}"


def step_words(step: Step, fmt: NumberFormat) -> str:
    """Return a step as an instruction, with its stop."""
    words = said_words(step.said, fmt)
    return words if words.endswith("?") else f"{words}."


def price_words(made: Build, fmt: NumberFormat, currency: str) -> str:
    """Say what is to be paid, and what it comes to for each TB."""
    bill = made.bill
    text = f"{fmt.number(bill.to_pay, 0)} {currency} to pay"
    if bill.all_new > bill.to_pay:
        text += f", {fmt.number(bill.all_new, 0)} all new"
    return f"{text}, {fmt.number(bill.per_tb, 0)} a TB"


KIND_WORDS = {
    BuildKind.SCREWED: "Screwed case",
    BuildKind.TOOL_LESS: "Tool-less",
    BuildKind.FAST: "40G case",
    BuildKind.SATA_CASE: '2.5" case',
    BuildKind.DISK_CASE: "Disk case",
    BuildKind.CARD_SHELL: "Card shell",
    BuildKind.MAGAZINE: "Magazine",
    BuildKind.CARRIER_BOX: "Carrier in a box",
}


def kind_verdict(choice: KindChoice, fmt: NumberFormat) -> str:
    """Return what a kind comes to in a few words."""
    if choice.margin is not None:
        return f"{SHORT_WORDS[choice.verdict]} {fmt.percent(choice.margin, signed=True)}"
    return FIT_WORDS[choice.verdict]


def build_title(made: Build) -> str:
    """Return what is built, as a heading."""
    return made.layout.drive.name


def bill_rows(made: Build, fmt: NumberFormat, currency: str) -> list[tuple[str, str, str]]:
    """Return the bill line by line: what, whence, what it costs now."""
    return [
        (
            line.name,
            f"from {line.reused_from}" if line.reused_from else "buy",
            "–" if line.reused_from else f"{fmt.number(line.price, 0)} {currency}",
        )
        for line in made.bill.lines
    ]


def bill_sentence(made: Build, instead: Sequence[Instead], fmt: NumberFormat, currency: str) -> str:
    """Return what it comes to, and what a closed drive as large would cost."""
    bill, parts = made.bill, [price_words(made, fmt, currency)]
    if math.isfinite(bill.per_lasting_mb_per_s):
        parts.append(f"{fmt.number(bill.per_lasting_mb_per_s, 2)} for each MB/s that lasts")
    if math.isfinite(bill.per_endurance_tb):
        parts.append(f"{fmt.number(bill.per_endurance_tb, 2)} for each TB of endurance")
    text = "; ".join(parts) + "."
    if instead:
        closed = instead[0].drive
        text += (
            f" Nothing to build: {closed.name}, {fmt.number(closed.price, 0)} {currency}, "
            f"{fmt.number(instead[0].price_per_tb, 0)} a TB."
        )
    return text


def build_state(made: Build, fmt: NumberFormat) -> str:
    """Return what the rail says of a build: its take where there is a camera, else its fit."""
    if made.verdict is Verdict.FALLS_SHORT or made.judgement is None:
        return FIT_WORDS[made.verdict]
    return short_verdict(made.judgement, fmt)


def gains_sentence(gains: Sequence[Gain], fmt: NumberFormat) -> str:
    """Say what each change would come to, in a sentence; "" for none."""
    told = []
    for gain in gains:
        name = {"pad": f"with {gain.part}", "case": f"in the {gain.part}", "fan": "with a fan"}
        warm = f"{fmt.temperature(gain.chips_c)}, " if gain.chips_c is not None else ""
        told.append(f"{name[gain.what]} {warm}{short_verdict(gain.judgement, fmt)}")
    return f"{told[0][0].upper()}{'; '.join(told)[1:]}." if told else ""
