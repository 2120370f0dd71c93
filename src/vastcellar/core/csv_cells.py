"""Text cells of a CSV file that a spreadsheet would take for a formula, escaped and read back."""

from __future__ import annotations

import re
from collections.abc import Iterable

_FORMULA = re.compile(r"'*[=+\-@\t\r]")
_ESCAPED = re.compile(r"'+[=+\-@\t\r]")


def safe_cell(value: object) -> object:
    """Return *value* for a cell: text that begins like a formula gets an apostrophe before it.

    Numbers stay numbers. ``plain_cell`` takes it off again, and nothing else.
    """
    if isinstance(value, str) and _FORMULA.match(value):
        return f"'{value}"
    return value


def plain_cell(text: str) -> str:
    """Return the text that ``safe_cell`` was given."""
    return text[1:] if _ESCAPED.match(text) else text


def safe_row(values: Iterable[object]) -> list[object]:
    """Return a row of safe cells."""
    return [safe_cell(value) for value in values]
