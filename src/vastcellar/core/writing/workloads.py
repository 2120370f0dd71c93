"""What is asked of a drive over time: flat out, paced, a day of takes, card after card."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vastcellar.core.checks import require_above_zero, require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.media import DayOnMedia
from vastcellar.core.shoot.rolls import Take
from vastcellar.core.writing.write_profile import Phase

Workload = tuple[Phase, ...]


def flat_out(duration_s: float) -> Workload:
    """Return writing as fast as it goes for so long."""
    return (Phase(math.inf, duration_s),)


def paced(bytes_per_s: float, duration_s: float) -> Workload:
    """Return a recorder's take: so many bytes a second for so long."""
    require_above_zero("workload", bytes_per_s=bytes_per_s)
    return (Phase(bytes_per_s, duration_s),)


def takes_and_pauses(takes: Sequence[Take], bytes_per_s: float) -> Workload:
    """Return a day's takes with the pauses between them, in which a drive folds and cools.

    Raises BadValueError without a take.
    """
    if not takes:
        raise BadValueError("there is no take", where="workload", mend="Plan at least one take")
    phases: list[Phase] = []
    end_s = takes[0].start_s
    for take in takes:
        if take.start_s - end_s > 1e-6:
            phases.append(Phase(0.0, take.start_s - end_s))
        phases.append(Phase(bytes_per_s, take.duration_s))
        end_s = take.end_s
    return tuple(phases)


def medium_over_a_day(day: DayOnMedia, bytes_per_s: float) -> Workload:
    """Return what the medium of the longest take sees over the day, pauses and all.

    Of a day without the longest take it is the fullest medium.
    Raises BadValueError where nothing is recorded.
    """
    if not day.media:
        raise BadValueError("nothing is recorded", where="workload", mend="Choose another day")
    longest = next((take for take in day.takes if take.is_longest), None)
    medium = max(day.media, key=lambda each: each.recorded_bytes)
    if longest is not None:
        medium = next(
            m for m in day.media if any(s.start_s >= longest.start_s - 1e-6 for s in m.stretches)
        )
    takes = [Take(s.start_s, s.end_s - s.start_s) for s in medium.stretches]
    return takes_and_pauses(takes, bytes_per_s)


def cards_in_a_row(
    count: int, card_bytes: float, source_bytes_per_s: float, pause_s: float = 0.0
) -> Workload:
    """Return the offload of *count* cards, one after the other, with a pause to swap them.

    A copy waits for a drive that takes less than the card reads: it ends with its last byte.
    """
    require_above_zero("cards", count=count, card_bytes=card_bytes)
    if source_bytes_per_s != math.inf:
        require_above_zero("cards", source_bytes_per_s=source_bytes_per_s)
    require_not_negative("cards", pause_s=pause_s)
    copy = Phase(source_bytes_per_s, math.inf, card_bytes)
    phases = [copy]
    for _ in range(count - 1):
        phases += [Phase(0.0, pause_s), copy] if pause_s > 0 else [copy]
    return tuple(phases)
