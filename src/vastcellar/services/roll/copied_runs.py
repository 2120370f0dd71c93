"""A copy as a run of each unit that it went to: its rate, its bytes, and its wear."""

from __future__ import annotations

from collections.abc import Iterable

from vastcellar.core.errors import VastCellarError
from vastcellar.core.links.seen import LinkKind, mode_seen
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.roll.copies import CopyState
from vastcellar.core.roll.copy_log import KeptCopy
from vastcellar.core.roll.learned import MeasuredCopy
from vastcellar.services.workplace.rescuing import add_run
from vastcellar.services.workplace.run_records import COPIED
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.run_record import RunRecord

_NO_TRACE = "elapsed_s,written_bytes,temperature_c\n"
_PACE_SHARE = 0.8
"""A drive that was busy for so much of the time set the pace."""


def keep_copied_runs(workplace: Workplace, kept: KeptCopy) -> tuple[str, ...]:
    """Keep a run under each unit that something was written to; return their tags.

    Only what is bound to a device is a unit here, so the run is that of this very drive.
    Raises CellarError; the runs are then kept in rescue files.
    """
    found: list[str] = []
    trouble: VastCellarError | None = None
    for number, each in enumerate(kept.outcome.destinations):
        tag = kept.places[number].unit_tag
        if not tag or not each.written_bytes or each.busy_s <= 0:
            continue
        try:
            add_run(workplace, _record(kept, number), _NO_TRACE, each.written_bytes)
        except VastCellarError as error:
            trouble = error
        else:
            found.append(tag)
    if trouble is not None:
        raise trouble
    return tuple(found)


def measured_copies(
    records: Iterable[RunRecord], tag: str, catalog: Catalog
) -> tuple[MeasuredCopy, ...]:
    """Return the copies onto a unit that say how fast it is, newest first.

    It set their pace, all of it was written and came back the same, and the link is known.
    """
    found = []
    for each in records:
        if each.unit_tag != tag or each.kind != COPIED or not each.is_complete:
            continue
        figures = each.figures
        bits = float(each.conditions.get("usb_bits_per_s") or 0.0)
        mode = mode_seen(LinkKind.USB, bits, catalog.modes)
        is_whole = figures["verified_bytes"] >= figures["written_bytes"]
        if mode is None or not figures["sets_pace"] or figures["different"] or not is_whole:
            continue
        found.append(
            MeasuredCopy(
                figures["written_bytes"],
                int(figures["files"]),
                figures["whole_s"],
                mode.typical_bytes_per_s,
            )
        )
    return tuple(found)


def _record(kept: KeptCopy, number: int) -> RunRecord:
    outcome, each = kept.outcome, kept.outcome.destinations[number]
    different = [f.name for f in outcome.files if f.on[number].state is CopyState.DIFFERENT]
    sets_pace = each.busy_s >= _PACE_SHARE * outcome.elapsed_s
    return RunRecord(
        unit_tag=kept.places[number].unit_tag,
        kind=COPIED,
        measured_at=kept.made_at,
        is_simulated=False,
        is_complete=not outcome.is_cancelled and not each.dropped_by,
        conditions={
            "folder": each.name,
            "destinations": len(outcome.destinations),
            "usb_bits_per_s": kept.places[number].usb_bits_per_s,
        },
        figures={
            "card": kept.card_name,
            "log": kept.copy_id,
            "written_bytes": each.written_bytes,
            "verified_bytes": each.verified_bytes,
            "bytes_per_s": each.written_bytes / each.busy_s,
            "files": len(outcome.files),
            "whole_s": outcome.elapsed_s,
            "sets_pace": sets_pace,
            "different": different,
            "ended_by": each.dropped_by,
        },
    )
