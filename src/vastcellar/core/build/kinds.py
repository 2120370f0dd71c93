"""The kinds of build, by case and by what the cases go into."""

from __future__ import annotations

from enum import StrEnum

from vastcellar.core.build.layout import Layout
from vastcellar.core.parts.dimensions import m2_length_mm


class BuildKind(StrEnum):
    """What is built, by the case."""

    SCREWED = "screwed"
    TOOL_LESS = "tool-less"
    FAST = "40g"
    SATA_CASE = "sata-case"
    DISK_CASE = "disk-case"
    CARD_SHELL = "card-shell"
    MAGAZINE = "magazine"
    CARRIER_BOX = "carrier-box"
    DOCK = "dock"
    STORE = "nas"


def kind_of(layout: Layout) -> BuildKind:
    """Return what is built: as the case says, else by what goes in."""
    case = layout.enclosure
    if layout.dock is not None:
        return BuildKind.DOCK
    if case.kind:
        try:
            return BuildKind(case.kind)
        except ValueError:
            pass  # a word of somebody's own: what goes in tells
    if m2_length_mm(layout.drive.form) is not None:
        return BuildKind.TOOL_LESS if case.is_tool_less else BuildKind.SCREWED
    return BuildKind.DISK_CASE if layout.drive.form == "3.5" else BuildKind.SATA_CASE
