"""Whether a kept run shows something that is wrong whatever was asked of the drive."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from vastcellar.services.workplace.run_records import COPIED, RECORDER

_FAILED_BY: dict[str, Callable[[dict[str, Any]], bool]] = {
    RECORDER: lambda figures: bool(figures["frames_dropped"]),
    "capacity": lambda figures: _came_back_wrong(figures["read"]),
    "write": lambda figures: _came_back_wrong(figures["read"]),
    "offload": lambda figures: bool(figures["different"]),
    COPIED: lambda figures: bool(figures["different"]),
    "cut": lambda figures: bool(figures["late_frames"]),
    "edit": lambda figures: figures["most_streams"] < figures["plan"]["streams"],
}
"""The only thing about each that is wrong whatever was asked."""


def _came_back_wrong(read: dict[str, Any] | None) -> bool:
    return read is not None and bool(read["wrong_blocks"])


def has_failed(kind: str, figures: dict[str, Any]) -> bool:
    """Return whether a run of *kind* failed by its own figures; other kinds can't."""
    failed = _FAILED_BY.get(kind)
    return failed is not None and failed(figures)
