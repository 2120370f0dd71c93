"""What a run and a question can differ in, and what each difference does to a proof, and why.

The table in docs/reach.md is made from this one.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum


class Condition(StrEnum):
    """What a run and a question can differ in."""

    UNIT = "unit"
    REHEARSAL = "rehearsal"
    PLACE = "place"
    DEVICE = "device"
    SIZE = "size"
    DATE = "date"
    SOURCE = "source"
    INCIDENT = "incident"
    MODULE = "module"
    ENCLOSURE = "enclosure"
    HOST = "host"
    PORT = "port"
    CABLE = "cable"
    LINK = "link"
    RATE = "rate"
    HUB = "hub"
    SHARING = "sharing"
    FILE_SYSTEM = "file system"
    ENCRYPTION = "encryption"
    FILL = "fill"
    ROOM = "room"
    COOLING = "cooling"
    HOST_MEMORY = "host memory"
    LOAD = "other load"
    OTHER_TEST = "another test"
    SLEEP = "sleep"
    STANDSTILL = "standstill"
    CLOCK = "clock"
    COMPLETE = "complete"
    PACE = "pace"
    CREST = "crest"
    LENGTH = "length"
    BUFFER = "buffer"
    AGE = "age"
    WRITTEN_SINCE = "written since"
    CALIBRATION = "calibration"


class Relation(StrEnum):
    """How the run's condition compares to the one that is asked about."""

    EASIER = "easier"
    """The run had it easier: having passed, it says nothing of the harder."""
    HARDER = "harder"
    """The run had it harder: having failed, it says nothing of the easier."""
    OTHER = "other"
    UNKNOWN = "unknown"


class Effect(StrEnum):
    """What a difference does to a proof."""

    VOIDS = "voids"
    WEAKENS = "weakens"
    NOTHING = "nothing"


@dataclass(frozen=True, slots=True)
class Rule:
    """What a difference in one condition does to a run that passed, and why.

    For a run that failed, easier and harder change places: it speaks for what is harder still.
    """

    why: str
    easier: Effect = Effect.NOTHING
    harder: Effect = Effect.NOTHING
    other: Effect = Effect.NOTHING
    unknown: Effect = Effect.NOTHING


_V, _W = Effect.VOIDS, Effect.WEAKENS
RULES: Mapping[Condition, Rule] = {
    Condition.UNIT: Rule("Samples of one model differ", other=_V),
    Condition.REHEARSAL: Rule("A simulated rig is no drive", other=_V),
    Condition.PLACE: Rule("Memory and network are no drive of this computer", other=_V),
    Condition.DEVICE: Rule("Tags get swapped; the device says which it is", other=_V, unknown=_V),
    Condition.SIZE: Rule("A device of another size isn't what the record says", other=_V),
    Condition.DATE: Rule("A run that is dated ahead can't have been made yet", other=_V),
    Condition.SOURCE: Rule(
        "What comes with an import somebody states; its own trace may bear it out, or not",
        other=_W,
        unknown=_V,
    ),
    Condition.INCIDENT: Rule(
        "What fell, got wet or lost frames since may not do it again", easier=_V
    ),
    Condition.MODULE: Rule("Another module in the case is another drive", other=_V),
    Condition.ENCLOSURE: Rule("The case decides the heat, its bridge the rate", other=_V),
    Condition.HOST: Rule("Controllers differ little at one link mode", other=_W),
    Condition.PORT: Rule("Ports differ little at one link mode", other=_W),
    Condition.CABLE: Rule("A cable shows in what the link settles on", other=_W),
    Condition.LINK: Rule(
        "A slower link may carry less; a faster one no less", easier=_V, other=_V, unknown=_V
    ),
    Condition.RATE: Rule(
        "It took more than the stated link carries: link or figure is wrong", other=_W
    ),
    Condition.HUB: Rule("A hub delays little unless others are busy behind it", other=_W),
    Condition.SHARING: Rule("Devices behind one hub share its uplink", easier=_V),
    Condition.FILE_SYSTEM: Rule(
        "Some file systems write slower; as fast a one may still differ", easier=_V, other=_W
    ),
    Condition.ENCRYPTION: Rule("Encryption can cost two thirds of the write rate", easier=_V),
    Condition.FILL: Rule(
        "The fast cache shrinks as a drive fills: the model says whether that matters",
        easier=_V,
        other=_W,
    ),
    Condition.ROOM: Rule("A hotter room throttles earlier", easier=_V, unknown=_V),
    Condition.COOLING: Rule("No fan blows on the take", easier=_V),
    Condition.HOST_MEMORY: Rule(
        "Each write was waited for, yet the host's memory took part", other=_W
    ),
    Condition.LOAD: Rule("A busy computer measures itself", other=_V),
    Condition.OTHER_TEST: Rule("Two tests on one disk measure each other", other=_V),
    Condition.SLEEP: Rule("The drive cools and folds while the computer sleeps", easier=_V),
    Condition.STANDSTILL: Rule("The drive cools and folds meanwhile", easier=_V),
    Condition.CLOCK: Rule("The moments of the run can't be trusted", other=_V),
    Condition.COMPLETE: Rule("What came after its end isn't known", easier=_V),
    Condition.PACE: Rule("Slower writing leaves a drive time to fold and to cool", easier=_V),
    Condition.CREST: Rule("The worst seconds were milder", easier=_V, unknown=_V),
    Condition.LENGTH: Rule("Cache and heat show late", easier=_V),
    Condition.BUFFER: Rule("A larger buffer forgives longer stalls", easier=_V),
    Condition.AGE: Rule("Drives age, hosts change", other=_W),
    Condition.WRITTEN_SINCE: Rule("Drives wear", other=_W),
    Condition.CALIBRATION: Rule("Later runs of the unit were slower", other=_W),
}
