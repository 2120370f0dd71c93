"""A sentence for every kind of statement that core makes; numbers as this user writes them."""

from __future__ import annotations

import math
from collections.abc import Iterable

from vastcellar.core.said import Said
from vastcellar.core.units import NumberFormat
from vastcellar.services.words.fit_sentences import FIT_SENTENCES

_FINE = 1e-4

SENTENCES = {
    "text": "{text}",
    "share of what reaches it": "{left_share} of what reaches it (typical)",
    "encryption leaves": "{left_share} of what reaches it, a third to nine tenths (typical); "
    "reads stay",
    "devices share an uplink": "{devices} devices at once share its uplink of {mode}",
    "one uplink for all": "everything behind it shares one uplink of {mode}",
    "at its ceiling": "{mode} at its payload ceiling",
    "port at its ceiling": "{mode} at its payload ceiling; losses in use are counted at the bridge",
    "bridge in its best mode": "what this bridge reaches on {mode} (typical of its class)",
    "own limit of the bridge": "the bridge's own limit",
    "only its box": "what its box says; what it writes for a whole take is not known",
    "cache has room": "while its fast cache has room ({basis})",
    "cache full": "once the cache is full ({medium}, {basis})",
    "no cache": "it has no cache: the same rate all along",
    "in its zone": "in the zone it is filled to, {filled_share} from the outside",
    "innermost zone": "on its innermost zone, when it is full",
    "capped when hot": "capped at {on_c}",
    "never gets hot": "the rate that never warms the drive to {on_c} in a room of {room_c}",
    "stated rate": "stated, not measured here; typical would be {typical_bytes_per_s}",
    "measured rate": "measured on this host; typical would be {typical_bytes_per_s}",
    "fell": "from {before_bytes_per_s} to {after_bytes_per_s} after {written_bytes}",
    "memory may be full": "so early and from such a rate the host's memory may have been full",
    "signs contradict": "the signs contradict each other",
    "alike here": "a full cache and a throttling drive look alike here",
    "too few bytes": "only {written_bytes} had been written: that warms no drive to its limit",
    "swings after": "the rate swings every few seconds after it and didn't before: too quick for "
    "heat, usual past the cache",
    "too deep": "it fell to {left_share} in one step and stayed there for {held_s}: lower than a "
    "first throttle stage goes",
    "disturbed": "{by}: that may be what slowed it",
    "too cool": "at {at_c} no drive throttles",
    "hotter before": "it ran at full rate at {hottest_c}, hotter than the {at_c} here",
    "cooled": "it cooled {cooled_k} and stayed slow",
    "another heat": "the same drop came at {one_c} and at {other_c}",
    "same bytes again": "the same drop came after the same bytes again ({one_bytes} and "
    "{other_bytes})",
    "same as in run": "the same fall as in run {run}",
    "above the low": "it stayed above the {low_bytes_per_s} that the throttle had gone down to",
    "sawtooth later": "a throttle's sawtooth came later at {later_c}: its stage had not been "
    "reached before",
    "several drops": "{drops} lasting drops in one run: a cache runs out once, so heat is among "
    "them",
    "not both heat": "two throttle stages can't do both: on the heat of the rate after the first "
    "no drive goes on warming to a second",
    "cliff elsewhere": "the cache had run out elsewhere in this run",
    "second not hotter": "a second stage would have been hotter than the first",
    "fan: full rate ended, too": "with a fan, too, full rate ended after {here_bytes}",
    "fan: went on beyond": "with a fan it went on at full rate beyond {here_bytes}",
    "fan: same bytes": "with a fan it came after the same bytes ({here_bytes} and {there_bytes})",
    "fan: more bytes": "with a fan it came after more bytes ({there_bytes} instead of "
    "{here_bytes})",
    "sawtooth": "{lows} lows of equal depth ({depth_share} of the rate) and about {length_s} "
    "after a quiet warm-up, each from {from_c}: a throttle's sawtooth",
    "random lows": "{lows} lows at random times, down to {deepest_share} to {shallowest_share} of "
    "the rate, {stalls} of them stalls, the longest {longest_s}",
    "too few lows": "{lows} lows that came back: too few to tell heat from an erratic sample",
    "small cache or memory": "the first {excess_bytes} beyond the later rate came at "
    "{rate_bytes_per_s}: a small cache, or the host's memory",
    "over the link": "the first {first_s} came at {rate_bytes_per_s}, more than the "
    "{link_bytes_per_s} of the link: {excess_bytes} went into the host's memory",
    "over any link": "the first {first_s} came at {rate_bytes_per_s}, more than any link carries: "
    "{excess_bytes} went into the host's memory",
    "another link": "it went on at {rate_bytes_per_s}, more than the stated link carries "
    "({link_bytes_per_s}): it is another link",
    "no slowdown": "no slowdown in {seen_bytes} and {seen_s}",
    "fell evenly": "it fell evenly along the bytes, as a hard disk does towards its inner zones, "
    "in {seen_bytes} and {seen_s}",
    "link or drive": "whether the link or the drive ends at {rate_bytes_per_s} shows only with the "
    "link's ceiling",
    "flat at the link": "flat at {rate_bytes_per_s}, the ceiling of the link ({link_bytes_per_s})",
    "flat below the link": "flat below the link's {link_bytes_per_s}",
    **FIT_SENTENCES,
}
"""By the kind of what core says; a test holds that no kind is without its sentence."""


def said_words(said: Said, fmt: NumberFormat) -> str:
    """Return one statement in words."""
    sentence = SENTENCES[said.kind]
    values = dict(said.values)
    if said.kind == "sawtooth" and math.isnan(float(values["from_c"])):
        sentence = sentence.replace(", each from {from_c}", "")  # without a sensor
    return sentence.format(**{name: _shown(name, value, fmt) for name, value in values.items()})


def sentence_of(statements: Iterable[Said], fmt: NumberFormat) -> str:
    """Return statements about one thing as one sentence, without its stop."""
    return "; ".join(said_words(each, fmt) for each in statements)


def measure_text(value_mm: float, fmt: NumberFormat) -> str:
    """Return a measure with as many decimals as it has, two at most: "0.5 mm", "80 mm"."""
    decimals = next((n for n in (0, 1) if abs(value_mm - round(value_mm, n)) < _FINE), 2)
    return f"{fmt.number(value_mm, decimals)} mm"


def _shown(name: str, value: float | str, fmt: NumberFormat) -> str:
    """Return a value as its name says: the end of a name is its unit."""
    if isinstance(value, str):
        return value
    if name.endswith("_bytes_per_s"):
        return fmt.rate(value, 0)
    if name.endswith("_bytes"):
        return fmt.size(value)
    if name.endswith("_share"):
        return fmt.percent(round(value, 2))
    if name.endswith("_s"):
        return fmt.duration(round(value) if value >= 1 else value)
    if name.endswith("_c"):
        return fmt.temperature(value)
    if name.endswith("_mm"):
        return measure_text(value, fmt)
    if name.endswith("_w"):
        return f"{fmt.number(value, 1)} W"
    if name.endswith("_g"):
        return f"{fmt.number(value, 0)} g"
    if name.endswith("_k"):
        return f"{fmt.number(value, 0)} K"
    return fmt.number(value, 0)
