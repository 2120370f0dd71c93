"""How long a hot case has to lie before it may be touched."""

from __future__ import annotations

import math

from vastcellar.core.build.layout import Layout

BURNS_C = 60.0
"""Bare metal of that temperature burns within seconds (typical, after EN ISO 13732-1)."""
TOUCHED_C = 43.0
"""Metal may be held for minutes below it (typical, after EN ISO 13732-1)."""
USUAL_ROOM_C = 24.0
_TO_THE_ROOM = 5.0
"""Time constants after which what stays warm in a hot room is as cool as it gets."""


def cooling_s(layout: Layout, case_c: float | None, room_c: float = USUAL_ROOM_C) -> float:
    """Return the seconds from *case_c* until the case can be held; 0 where it already can.

    Where nobody knows how hot it gets, it counts as hot enough to burn. By Newton's law of
    cooling, drive and case as one body: T(t) = room + (case - room) e^(-t / RC).
    """
    hot_c = BURNS_C if case_c is None else case_c
    if hot_c <= TOUCHED_C:
        return 0.0
    case, behaviour = layout.enclosure.case, layout.drive.behaviour
    own = behaviour.heat_capacity_j_per_k if behaviour is not None else 0.0
    constant_s = (case.heat_capacity_j_per_k + own) * case.case_to_room_k_per_w
    if room_c >= TOUCHED_C - 1:
        return _TO_THE_ROOM * constant_s
    return constant_s * math.log((hot_c - room_c) / (TOUCHED_C - room_c))
