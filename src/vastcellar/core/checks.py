"""Checks that values make of themselves once, so that nothing downstream checks again."""

import math

from vastcellar.core.errors import BadValueError


def require_above_zero(where: str, **values: float) -> None:
    """Raise BadValueError naming the first of *values* that is not finite and above 0."""
    for name, value in values.items():
        if not (math.isfinite(value) and value > 0):
            raise BadValueError(f"{name} is {value:g}", where=where, mend="Give a number above 0")


def require_not_negative(where: str, **values: float) -> None:
    """Raise BadValueError naming the first of *values* that is not finite or below 0."""
    for name, value in values.items():
        if not (math.isfinite(value) and value >= 0):
            raise BadValueError(f"{name} is {value:g}", where=where, mend="Give 0 or more")


def require_between(where: str, low: float, high: float, **values: float) -> None:
    """Raise BadValueError naming the first of *values* outside low..high."""
    for name, value in values.items():
        if not low <= value <= high:
            raise BadValueError(
                f"{name} is {value:g}",
                where=where,
                mend=f"Give a number from {low:g} to {high:g}",
            )
