"""Patterns of the trade: what kind of work it is, and how long its ordinary takes are."""

from __future__ import annotations

from enum import StrEnum


class RollPattern(StrEnum):
    """What kind of work it is, and so how long its ordinary takes are."""

    INTERVIEW = "interview"
    DOCUMENTARY = "documentary"
    EVENT = "event"
    DRONE = "drone"
    HIGH_SPEED = "high speed"


TYPICAL_TAKE_S = {
    RollPattern.INTERVIEW: 25 * 60.0,
    RollPattern.DOCUMENTARY: 3 * 60.0,
    RollPattern.EVENT: 60 * 60.0,
    RollPattern.DRONE: 18 * 60.0,  # a battery
    RollPattern.HIGH_SPEED: 8.0,
}
"""Length of an ordinary take; typical, and cut to the longest take where that is shorter."""

PATTERN_WORDS = {
    RollPattern.INTERVIEW: "few long takes",
    RollPattern.DOCUMENTARY: "many short takes",
    RollPattern.EVENT: "one take that can't be interrupted",
    RollPattern.DRONE: "flights as long as a battery",
    RollPattern.HIGH_SPEED: "bursts of seconds",
}
