"""One run held against another: a failure under conditions no harder outlives no pass.

What is true of a run under harder conditions is true under easier ones in its direction only. A
pass covers what is easier than it was; a failure covers what is harder. Two runs may both have been
made under harder conditions than are asked about, so neither's distance from the question says
which of them counts: that takes the one held against the other.
"""

from __future__ import annotations

import math

from vastcellar.core.verdict.proof import RecorderProof, RunConditions
from vastcellar.core.verdict.reach.comparing import (
    LIKE_FILLED_SHARE,
    is_pace_of,
    is_peak_of,
    link_relation,
    room_relation,
)
from vastcellar.core.verdict.reach.rules import Relation


def contradicts(failed: RecorderProof, passed: RecorderProof) -> bool:
    """Return whether *failed* shows that what *passed* showed isn't so any more.

    It does unless it is known to have had it harder in some condition, or was another set-up. What
    isn't known of it, as how warm the room was, takes nothing away from it: a promise that may be
    broken is none.
    """
    if failed.is_passed or not passed.is_passed:
        return False
    one, other = failed.conditions, passed.conditions
    if (one.drive_key, one.enclosure_key) != (other.drive_key, other.enclosure_key):
        return False
    return not (_is_harder_take(failed, passed) or _is_harder_place(one, other))


def _is_harder_take(one: RecorderProof, other: RecorderProof) -> bool:
    pace, other_pace = one.load_bytes_per_s, other.load_bytes_per_s
    if pace > other_pace and not is_pace_of(pace, other_pace):
        return True
    peaks = pace * one.crest, other_pace * other.crest
    if all(map(math.isfinite, peaks)) and peaks[0] > peaks[1] and not is_peak_of(*peaks):
        return True
    return one.duration_s > other.duration_s or one.buffer_bytes < other.buffer_bytes


def _is_harder_place(one: RunConditions, other: RunConditions) -> bool:
    if one.sharing > other.sharing or (one.is_encrypted and not other.is_encrypted):
        return True
    if other.cooling and not one.cooling:
        return True
    relations = (
        room_relation(one.ambient_c, other.ambient_c),
        _link_between(one, other),
        _file_system_between(one, other),
    )
    if Relation.HARDER in relations:
        return True
    shares = one.free_share, other.free_share
    return (
        None not in shares and (other.free_share or 0) - (one.free_share or 0) > LIKE_FILLED_SHARE
    )


def _link_between(one: RunConditions, other: RunConditions) -> Relation | None:
    if one.link_bits_per_s and other.link_bits_per_s:
        return link_relation(one.link_bits_per_s, other.link_bits_per_s)
    stated = one.link_ceiling_bytes_per_s, other.link_ceiling_bytes_per_s
    return link_relation(*stated) if all(stated) else None


def _file_system_between(one: RunConditions, other: RunConditions) -> Relation | None:
    share, other_share = one.file_system_write_share, other.file_system_write_share
    if one.file_system == other.file_system or share is None or other_share is None:
        return None
    return Relation.HARDER if share < other_share else Relation.EASIER
