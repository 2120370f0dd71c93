"""The cooling pair: the same run twice, with nothing changed but a fan on the case.

It decides most cases without a sensor. Pacing the second run instead would change two things,
since slower writing also folds more.
"""

from __future__ import annotations

from vastcellar.core.diagnosis.causes import Reason, Why
from vastcellar.core.diagnosis.dips import is_erratic
from vastcellar.core.diagnosis.drop_causes import SAME_RATE, DropCase, is_same_fall
from vastcellar.core.diagnosis.levels import Drop, RateLevels, apart
from vastcellar.core.said import Said, said
from vastcellar.core.trace import Trace

SAME_BYTES = 0.04
OTHER_BYTES = 0.09
# Lows at random rest a drive: it folds meanwhile, and its cache lasts longer on another day.
# In 3200 drawn setups 18 of 96 erratic samples that went on beyond had been called hot for it.
OTHER_BYTES_ERRATIC = 0.40


def weigh_with_fan(
    cases: list[DropCase], rest: RateLevels, fan: Trace, fan_levels: RateLevels
) -> None:
    """Add to *cases*, the drops of the run from rest, what the run with a fan says of them.

    Args:
        cases: drops of the first run, weighed by itself.
        rest: the first run's levels.
        fan: the run with the fan.
        fan_levels: its levels.

    """
    seen = float(fan.written_bytes[-1])
    erratic = is_erratic(rest.dips) or is_erratic(fan_levels.dips)
    beyond = 1 + (OTHER_BYTES_ERRATIC if erratic else OTHER_BYTES)
    for case in cases:
        if case.run:
            continue
        match = _same_fall(case.drop, fan_levels)
        if match is not None:
            _weigh_match(case, match, beyond)
        elif _is_known_cliff(case, rest, fan_levels):
            _overrule(
                case.against_heat,
                said("fan: full rate ended, too", here_bytes=case.drop.written_bytes),
                case.against_cache,
            )
        elif seen > case.drop.written_bytes * beyond and _at_full_rate(
            case.drop, fan_levels, beyond
        ):
            _overrule(
                case.against_cache,
                said("fan: went on beyond", here_bytes=case.drop.written_bytes),
                case.against_heat,
            )


def _is_known_cliff(case: DropCase, rest: RateLevels, fan_levels: RateLevels) -> bool:
    """Return whether a later drop came after the bytes at which the cooled run fell first."""
    if case.drop == rest.drops[0] or not fan_levels.drops:
        return False
    first = fan_levels.drops[0]
    is_full = apart(first.before_bytes_per_s, rest.levels[0].bytes_per_s) <= SAME_RATE
    return is_full and abs(first.written_bytes / case.drop.written_bytes - 1) <= SAME_BYTES


def _weigh_match(case: DropCase, match: Drop, beyond: float) -> None:
    times = match.written_bytes / case.drop.written_bytes
    here, there = case.drop.written_bytes, match.written_bytes
    if abs(times - 1) <= SAME_BYTES:
        _overrule(
            case.against_heat,
            said("fan: same bytes", here_bytes=here, there_bytes=there),
            case.against_cache,
        )
    elif times > beyond:
        _overrule(
            case.against_cache,
            said("fan: more bytes", here_bytes=here, there_bytes=there),
            case.against_heat,
        )


def _overrule(signs: list[Reason], word: Said, weaker: list[Reason]) -> None:
    """The fan changes one thing only: it outweighs what was read out of one run."""
    signs.insert(0, Reason(Why.FAN, word))
    weaker.clear()


def _same_fall(drop: Drop, fan_levels: RateLevels) -> Drop | None:
    """Return the fall of the run with the fan that leads from and to the same rates."""
    for other in fan_levels.drops:
        if is_same_fall(other, drop):
            return other
    return None


def _at_full_rate(drop: Drop, fan_levels: RateLevels, beyond: float) -> bool:
    """Return whether the run with the fan held the rate before *drop* clearly beyond its bytes."""
    for level in fan_levels.levels:
        is_same = apart(level.bytes_per_s, drop.before_bytes_per_s) <= SAME_RATE
        end_bytes = level.start_bytes + level.bytes_per_s * level.duration_s
        if is_same and end_bytes > drop.written_bytes * beyond:
            return True
    return False
