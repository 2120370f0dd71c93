"""Text from files and names, as it may be shown: nothing in it steers a terminal."""

from __future__ import annotations

import re

# Control codes but line feed and tab, and those that turn the direction of writing around.
_STEERING = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069]")


def printable(text: str) -> str:
    """Return *text* with a mark for every character that steers and isn't seen.

    The name of a shoot, a folder or a clip may be anybody's; printed as it stands, it could
    clear the screen or hide what is beside it.
    """
    return _STEERING.sub("\ufffd", text)


def escaped(json_text: str) -> str:
    """Return JSON in which those characters stand escaped: the same content, fit to be printed."""
    return _STEERING.sub(lambda found: f"\\u{ord(found[0]):04x}", json_text)
