"""A build in words: one sentence for the whole, one for every check, one for every step."""

from __future__ import annotations

from collections.abc import Sequence

from vastcellar.core.build.kinds import BuildKind
from vastcellar.core.build.steps import Caution, Step
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.fitting import Fit, FitKind
from vastcellar.core.units import NumberFormat
from vastcellar.services.build.building import Build
from vastcellar.services.build.variants import Gain, KindChoice
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
    FitKind.PLUG: "plug",
    FitKind.SLOT: "slot",
    FitKind.SHARED: "uplink",
    FitKind.MIRROR: "mirror",
    FitKind.NETWORK: "network",
    FitKind.SEALED: "sealed or open",
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
    Caution.HOT_IRON: "The iron burns, and hot glue and plastic stick to the skin.",
    Caution.SPRING: "A spring jumps: hold it down, and never cut one short.",
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
        most_telling = (FitKind.MIRROR, FitKind.GAP, FitKind.BODY)
        told = next(filter(None, map(made.of, most_telling)), made.checks[0])
        return f"It fits: {check_words(told, fmt)}"
    first = next(fit for fit in made.checks if fit.verdict is made.verdict)
    return f"{fit_headline(made)}: {said_words(first.said, fmt)}"


def step_words(step: Step, fmt: NumberFormat) -> str:
    """Return a step as an instruction, with its stop."""
    words = said_words(step.said, fmt)
    return words if words.endswith("?") else f"{words}."


KIND_WORDS = {
    BuildKind.SCREWED: "Screwed case",
    BuildKind.TOOL_LESS: "Tool-less",
    BuildKind.FAST: "40G case",
    BuildKind.SATA_CASE: '2.5" case',
    BuildKind.DISK_CASE: "Disk case",
    BuildKind.CARD_SHELL: "Card shell",
    BuildKind.MAGAZINE: "Magazine",
    BuildKind.CARRIER_BOX: "Carrier box",
    BuildKind.DOCK: "Dock",
    BuildKind.STORE: "NAS",
}


def kind_verdict(choice: KindChoice, fmt: NumberFormat) -> str:
    """Return what a kind comes to in a few words."""
    if choice.margin is not None:
        return f"{SHORT_WORDS[choice.verdict]} {fmt.percent(choice.margin, signed=True)}"
    return FIT_WORDS[choice.verdict]


def build_title(made: Build) -> str:
    """Return what is built, as a heading."""
    layout = made.layout
    if len({each.key for each in layout.drives}) > 1:
        return f"{layout.bays} drives"
    return f"{layout.bays} × {layout.drive.name}" if layout.bays > 1 else layout.drive.name


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
