"""Find on the shelf as one types: words of a unit, and filters in words."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date

from vastcellar.core.cellar.findings import FindingKind
from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import free_bytes_on
from vastcellar.core.units import parse_size
from vastcellar.services.cellar.unit_memory import Remembered

_MONTH_DAYS = 31


@dataclass(frozen=True)
class SearchShelf:
    """All that can be searched, prepared once: 10,000 units are searched as one types."""

    texts: dict[str, str]
    """What stands in each unit's record, folded to small letters, by tag."""
    filters: dict[str, frozenset[str]]
    """The tags that each filter in words leaves."""
    free_bytes: dict[str, float]

    def find(self, wanted: str, clips: Callable[[str], frozenset[str]] | None = None) -> list[str]:
        """Return the tags of the units that *wanted* finds, in their order.

        Filters in words ("slower than it was", "free 2 TB") and any other words, all of which must
        stand in a unit's record. "clip NAME" asks *clips* on which units that lies.
        """
        rest = " ".join(wanted.casefold().split())
        left: set[str] | None = None

        def keep(tags: frozenset[str]) -> None:
            nonlocal left
            left = set(tags) if left is None else left & tags

        for name in sorted(self.filters, key=len, reverse=True):
            pattern = rf"(?<!\S){re.escape(name)}(?!\S)"
            if re.search(pattern, rest):
                keep(self.filters[name])
                rest = re.sub(pattern, " ", rest)
        if free := re.search(r"(?<!\S)free (\S+ ?[kmgt]i?b)(?!\S)", rest):
            size = _size(free.group(1))
            if size is not None:
                keep(frozenset(tag for tag, room in self.free_bytes.items() if room >= size))
                rest = rest.replace(free.group(0), " ")
        if clip := re.search(r"(?<!\S)clip (\S+)", rest):
            keep(clips(clip.group(1)) if clips else frozenset())
            rest = rest.replace(clip.group(0), " ")
        words = rest.split()
        return [
            tag
            for tag, text in self.texts.items()
            if (left is None or tag in left) and all(word in text for word in words)
        ]

    def offers(self) -> list[tuple[str, int]]:
        """Return the filters that would find something, each with how many, fewest first."""
        counted = [(name, len(tags)) for name, tags in self.filters.items() if tags]
        return sorted(counted, key=lambda each: (each[1], each[0]))


def _size(text: str) -> float | None:
    try:
        return parse_size(re.sub(r"([kmgt])(i?)b", lambda m: f"{m[1].upper()}{m[2]}B", text))
    except VastCellarError:
        return None


_FOUND = {
    "slower than it was": (FindingKind.SLOWER, FindingKind.SLOWER_ELSEWHERE),
    "stalls": (FindingKind.STALLS,),
    "false capacity": (FindingKind.FALSE_CAPACITY,),
    "label swapped": (FindingKind.SWAPPED,),
    "nearly worn": (FindingKind.WORN,),
    "overdue": (FindingKind.OVERDUE,),
    "not seen for a year": (FindingKind.NOT_SEEN, FindingKind.LIES_TOO_LONG),
    "proof too old": (FindingKind.PROOF_OLD,),
}


def search_shelf(known: Remembered, catalog: Catalog, today: date) -> SearchShelf:
    """Return what can be searched on the shelf as it is *today*."""
    units = known.shelf.units
    filters: dict[str, frozenset[str]] = {
        name: frozenset(each.tag for each in known.findings if each.kind in kinds)
        for name, kinds in _FOUND.items()
    }
    filters["to look at"] = frozenset(each.tag for each in known.findings)
    filters |= {
        state: frozenset(unit.tag for unit in units if unit.state == state)
        for state in ("ready", "on loan", "in doubt", "retired")
    }
    tested = {
        tag: (today - facts.points[-1].at.astimezone().date()).days
        for tag, facts in known.facts.items()
        if facts.points
    }
    filters["tested this month"] = frozenset(t for t, days in tested.items() if days < _MONTH_DAYS)
    filters["never tested"] = frozenset(unit.tag for unit in units if unit.tag not in tested)
    filters["proved"] = frozenset(known.shelf.standing_proofs)
    filters["empty"] = frozenset(unit.tag for unit in units if unit.used_bytes == 0)
    drives = catalog.drives
    return SearchShelf(
        texts={unit.tag: _text(unit.tag, known, catalog) for unit in units},
        filters=filters,
        free_bytes={
            unit.tag: free_bytes_on(drives[unit.drive_key], unit)
            for unit in units
            if unit.drive_key in drives
        },
    )


def _text(tag: str, known: Remembered, catalog: Catalog) -> str:
    unit = known.shelf.unit(tag)
    assert unit is not None
    facts = known.facts.get(tag)
    drive, case = catalog.drives.get(unit.drive_key), catalog.cases.get(unit.enclosure_key)
    parts: Sequence[str] = [
        tag,
        drive.name if drive else unit.drive_key,
        drive.kind.value.replace("_", " ") if drive else "",
        drive.medium if drive else "",
        case.name if case else "",
        unit.state,
        unit.note,
        unit.device.serial if unit.device else "",
        unit.device.model if unit.device else "",
        unit.acceptance.duty if unit.acceptance else "",
        facts.story.place if facts else "",
        facts.story.loan.to if facts and facts.story.loan else "",
        *(event.note for event in (facts.story.events if facts else ())),
    ]
    return " ".join(part for part in parts if part).casefold()
