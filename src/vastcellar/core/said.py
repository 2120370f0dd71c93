"""What was found, not yet worded: a kind of sentence, and values whose names carry their units.

Words, and how a country writes numbers, are for services: ``services/words/said_wording`` has a
sentence for every kind.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Said:
    """One statement: the key of its sentence, and its values by name.

    A name ends in its unit (``rate_bytes_per_s``, ``at_c``, ``depth_share``), or stands for a
    count or a text.
    """

    kind: str
    values: tuple[tuple[str, float | str], ...] = ()


def in_words(text: str) -> Said:
    """Return a statement that a part or a standard brings along in words of its own."""
    return Said("text", (("text", text),))


def said(kind: str, **values: float | str) -> Said:
    """Return a statement of *kind* about *values*."""
    return Said(kind, tuple(values.items()))
