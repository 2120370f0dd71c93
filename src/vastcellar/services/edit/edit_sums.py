"""The sums behind an edit plan's figures: every one opens its own."""

from __future__ import annotations

import math

from vastcellar.core.edit.edit_store import Stage, StageKind
from vastcellar.core.edit.editors import Spell
from vastcellar.core.evidence import Evidence
from vastcellar.core.units import NumberFormat
from vastcellar.services.edit.edit_planning import PlannedStore
from vastcellar.services.edit.edit_wording import (
    desk_text,
    given_name,
    hours_text,
    position,
    risk_text,
    streams_text,
    used_name,
)
from vastcellar.services.edit.ingesting import INGEST_BYTES, MEMORY_BYTES, SUITE_C
from vastcellar.services.sums.sum_lines import Sum, SumLine

HELD_SUM, DISKS_SUM, LATE_SUM, HOURS_SUM = "edit-held", "edit-disks", "edit-late", "edit-hours"
REBUILD_SUM, JUMP_SUM, MONTHS_SUM, STORE_SUM, INGEST_SUM = (
    "edit-rebuild", "edit-jump", "edit-months", "edit-store", "edit-ingest",
)  # fmt: skip
_TYPICAL = "typical seeks and shares of links; what each part carries is in the catalog"


def edit_sums(planned: PlannedStore, fmt: NumberFormat) -> dict[str, Sum]:
    """Return all sums of a store under what is asked of it."""
    sums = [
        held_sum(planned, fmt), disks_sum(planned, fmt), rebuild_sum(planned, fmt),
        jump_sum(planned, fmt), months_sum(planned, fmt), store_sum(planned, fmt),
        ingest_sum(planned, fmt),
    ]  # fmt: skip
    if planned.busiest is not None:
        sums.append(hours_sum(planned, planned.busiest, fmt))
    if planned.played is not None and planned.played.worst is not None:
        sums.append(late_sum(planned, fmt))
    return {each.key: each for each in sums}


def _sum(key: str, title: str, lines: list[SumLine], source: str = _TYPICAL) -> Sum:
    return Sum(key, title, tuple(lines), source, Evidence.COMPUTED)


def held_sum(planned: PlannedStore, fmt: NumberFormat) -> Sum:
    """Return how many streams each stage carries, and which one ends it."""
    stream, held = planned.load.stream, planned.ladder.held
    above = planned.ladder.rung(held + 1)
    lines = [
        SumLine("a stream", f"{stream.name}, {fmt.number(stream.frames_per_s)} frames a second",
                fmt.rate(stream.bytes_per_s))
    ]  # fmt: skip
    for given in above.given:
        stage = next((s for s in planned.store.stages if s.kind is given.kind), None)
        lines.append(
            SumLine(given_name(given), _how(stage, planned, fmt), fmt.rate(given.bytes_per_s, 1))
        )
    limit = above.limit
    lines += [
        SumLine(f"{streams_text(held + 1)} ask", f"{held + 1} × {fmt.rate(stream.bytes_per_s)}",
                fmt.rate(above.asked_bytes_per_s)),
        SumLine("held", f"the least of them, {given_name(limit)}: {fmt.rate(limit.bytes_per_s, 1)}"
                        f" ÷ {fmt.rate(stream.bytes_per_s)}", str(held)),
        SumLine("late frames a minute above it",
                f"{held + 1} × {fmt.number(stream.frames_per_s * 60)} × (1 − given ÷ asked)",
                fmt.number(above.late_frames_per_minute, 0)),
    ]  # fmt: skip
    return _sum(HELD_SUM, f"Holds {streams_text(held)}", lines)


def _how(stage: Stage | None, planned: PlannedStore, fmt: NumberFormat) -> str:
    if stage is None:
        return "see The disks"
    how = stage.how or "as typed in"
    if stage.is_per_desk:
        how += f", at each of {planned.load.desks} desks" if planned.load.desks > 1 else ""
    beside = planned.load.read_beside_bytes_per_s
    return f"{how}, less {fmt.rate(beside)} beside" if beside and stage.is_duplex else how


def disks_sum(planned: PlannedStore, fmt: NumberFormat) -> Sum:
    """Return what the disks give, visit by visit."""
    store, stream = planned.store, planned.load.stream
    array, filled = store.array, store.filled_share
    above = planned.ladder.rung(planned.ladder.held + 1)
    disks = next(each for each in above.given if each.kind is StageKind.DISKS)
    touched = array.touched(stream.visit_bytes)
    read = array.slowest_read_bytes_per_s(filled)
    seeks = above.streams > array.lanes
    visit_s = array.read_visit_s(stream.visit_bytes, filled, seeks=seeks)
    share = stream.visit_bytes / touched
    lines = [
        SumLine("the slowest disk reads", f"where it is filled to, {fmt.percent(filled)}",
                fmt.rate(read, 1)),
        SumLine("one visit reads of each",
                f"{fmt.size(stream.visit_bytes)} ÷ {touched} with data", fmt.size(share)),
        SumLine("and takes",
                f"{fmt.size(share)} ÷ {fmt.rate(read, 1)}"
                + (f" + access {fmt.number(array.access_s * 1e3, 2)} ms" if seeks
                   else ", no seek between"),
                f"{fmt.number(visit_s * 1e3, 2)} ms"),
        SumLine("the array gives", f"to {streams_text(above.streams)}",
                fmt.rate(disks.bytes_per_s, 1)),
    ]  # fmt: skip
    for each in planned.load.beside:
        rate = fmt.rate(each.write_bytes_per_s + each.read_bytes_per_s)
        lines.append(SumLine(f"beside: {each.name}", "its time of the disks is gone", rate))
    return _sum(DISKS_SUM, "The disks", lines)


def late_sum(planned: PlannedStore, fmt: NumberFormat) -> Sum:
    """Return the worst place of the cut."""
    assert planned.played is not None  # it was played
    worst = planned.played.worst
    assert worst is not None  # something of it is late
    stream = planned.load.stream
    lines = [
        SumLine("more is asked than given from", ", ".join(worst.clips[:3]),
                position(worst.from_s)),
        SumLine("the read-ahead carries", f"{fmt.number(stream.read_ahead_s)} s of each clip",
                f"{fmt.number(worst.start_s - worst.from_s, 2)} s"),
        SumLine("late from", "its read-ahead is used up", position(worst.start_s)),
        SumLine("late frames", f"of {fmt.number(worst.of_frames, 0)} until "
                f"{position(worst.end_s)}", fmt.number(worst.frames, 0)),
        SumLine("late in all", f"at {len(planned.played.late)} places",
                fmt.number(planned.played.late_frames, 0)),
    ]  # fmt: skip
    return _sum(LATE_SUM, f"{position(worst.start_s)} comes late", lines)


def hours_sum(planned: PlannedStore, spell: Spell, fmt: NumberFormat) -> Sum:
    """Return how busy the editors keep each stage at their busiest."""
    lines = [
        SumLine(each.name, desk_text(each, fmt), fmt.rate(each.asked_bytes_per_s, 1))
        for each in spell.desks
    ]
    for used in spell.used:
        how = f"streams {fmt.percent(used.streams_share)}"
        if used.beside_share:
            how += f" + beside them {fmt.percent(used.beside_share)}"
        lines.append(SumLine(used_name(used), f"{how} of what it gives", fmt.percent(used.share)))
    limit = spell.limit
    if spell.streams:
        lines.append(
            SumLine("of what is asked the streams get",
                    f"{used_name(limit)}: (1 − {fmt.percent(limit.beside_share)}) ÷ "
                    f"{fmt.percent(limit.streams_share)}",
                    fmt.percent(limit.given_share))
        )  # fmt: skip
    lines.append(
        SumLine("late frames a minute", "frames played a minute × (1 − given ÷ asked)",
                fmt.number(spell.late_frames_per_minute, 0))
    )  # fmt: skip
    return _sum(HOURS_SUM, f"Busiest {hours_text(spell, fmt)}", lines)


def rebuild_sum(planned: PlannedStore, fmt: NumberFormat) -> Sum:
    """Return how long a rebuild takes, and what may go wrong."""
    rebuild, array = planned.rebuild, planned.store.array
    if not rebuild.is_possible:
        lines = [SumLine("a disk fails", "no copy, no parity", "lost")]
        return _sum(REBUILD_SUM, "A failed disk", lines)
    per_bit = max(each.unreadable_per_bit for each in array.disks)
    size = rebuild.seconds * rebuild.disk_bytes_per_s
    read = planned.store.array.slowest_read_bytes_per_s(planned.store.filled_share)
    lines = [
        SumLine("rebuilt in", f"{fmt.size(size)} ÷ {fmt.rate(rebuild.disk_bytes_per_s, 0)}",
                f"{fmt.number(rebuild.seconds / 3600, 1)} h"),
        SumLine("read for it", "of all disks that are needed", fmt.size(rebuild.read_bytes)),
        SumLine("a sector that can't be read",
                f"1 − (1 − {per_bit:.0e})^({fmt.size(rebuild.read_bytes)} × 8)"
                if rebuild.unreadable_risk else "another disk stands in",
                risk_text(rebuild.unreadable_risk, fmt)),
        SumLine("left for editors",
                f"1 − {fmt.rate(rebuild.disk_bytes_per_s, 0)} ÷ {fmt.rate(read, 0)} of the time",
                fmt.percent(rebuild.left_share)),
        SumLine("streams meanwhile", "the same ladder with that", str(planned.rebuilding.held)),
    ]  # fmt: skip
    return _sum(REBUILD_SUM, "A failed disk", lines)


def jump_sum(planned: PlannedStore, fmt: NumberFormat) -> Sum:
    """Return what a jump to a first frame is made of."""
    jump = planned.jump

    def ms(seconds: float) -> str:
        return f"{fmt.number(seconds * 1e3, 1)} ms"

    lines = [
        SumLine("to the store and back", "", ms(jump.round_trip_s)),
        SumLine("seek and half a turn", "", ms(jump.access_s)),
        SumLine("a frame off the disks", "", ms(jump.disks_s)),
        SumLine("over the narrowest link", "", ms(jump.link_s)),
        SumLine("half of the jumps", "all of it together", ms(jump.half_s)),
        SumLine("what was asked for before", "a whole read-ahead, at worst", ms(jump.in_flight_s)),
        SumLine("99 of 100", "a guess, to be measured", ms(jump.most_s)),
    ]
    measured = planned.measured_jump
    if measured is not None and measured.first_frame_s is not None:
        half_s, most_s = measured.first_frame_s
        when = measured.measured_at.astimezone().date().isoformat()
        said = f"{streams_text(measured.streams)} of {planned.setup.unit_tag}, {when}"
        said += ", simulated" if measured.is_simulated else ""
        lines.append(SumLine("measured: half of them", said, ms(half_s)))
        lines.append(SumLine("measured: 99 of 100", said, ms(most_s)))
    dragged = planned.scrub
    lines.append(
        SumLine("scrubbing waits for others", "half of one of their visits, while they are there",
                ms(dragged.behind_s))
    )  # fmt: skip
    lines.append(
        SumLine("frames a second that follow the hand",
                f"1 ÷ ({ms(dragged.frame_s)} + {ms(dragged.behind_s)}), at most as it plays",
                fmt.number(dragged.shown_per_s, 1))
    )  # fmt: skip
    if measured is not None and measured.scrub_frame_p99_s is not None:
        lines.append(SumLine("measured: each frame of a scrub", "99 of 100",
                             ms(measured.scrub_frame_p99_s)))  # fmt: skip
    return _sum(JUMP_SUM, "Jump to a first frame", lines)


def ingest_sum(planned: PlannedStore, fmt: NumberFormat) -> Sum:
    """Return how long half a TB takes onto the store, and when its program says that it's done."""
    store, told = planned.store, planned.ingest
    fast, room = store.array.cached_write_bytes_per_s(store.filled_share)
    narrowest = store.narrowest
    lines = [SumLine("the disks write", "in the long run, all of them together",
                     fmt.rate(store.array.write_bytes_per_s(store.filled_share), 0))]  # fmt: skip
    if room:
        lines.append(SumLine("at first", f"{fmt.size(room)} of fast cache", fmt.rate(fast, 0)))
    if narrowest is not None:
        lines.append(SumLine("the narrowest link", narrowest.name,
                             fmt.rate(narrowest.bytes_per_s, 0)))  # fmt: skip
    if math.isfinite(told.throttles_after_s):
        lines.append(SumLine("its disks grow too hot", f"written flat out, in a room of "
                             f"{fmt.number(SUITE_C, 0)} °C",
                             f"after {fmt.duration(round(told.throttles_after_s))}"))  # fmt: skip
    lines += [
        SumLine("on the disks", f"{fmt.size(INGEST_BYTES)} by the least of them",
                fmt.duration(round(told.flushed_s))),
        SumLine("its program says it's done", f"{fmt.size(MEMORY_BYTES)} may wait in memory",
                fmt.duration(round(told.program_s))),
    ]  # fmt: skip
    return _sum(INGEST_SUM, "Copying 500 GB onto it", lines)


def months_sum(planned: PlannedStore, fmt: NumberFormat) -> Sum:
    """Return when the store is full."""
    months = planned.months
    added = months.used_bytes[1] - months.used_bytes[0] if len(months.used_bytes) > 1 else 0.0
    kept = months.usable_bytes - months.room_bytes
    full = months.full_after_months
    value = fmt.number(full, 1) if math.isfinite(full) else "never"
    lines = [
        SumLine("usable", "", fmt.size(months.usable_bytes)),
        SumLine("kept free", fmt.percent(kept / months.usable_bytes), fmt.size(kept)),
        SumLine("in use now", "", fmt.size(months.used_bytes[0])),
        SumLine("a month brings", "", fmt.size(added)),
        SumLine("full after", "(usable − kept free − in use) ÷ a month, where each is alike",
                f"{value} months"),
    ]  # fmt: skip
    return _sum(MONTHS_SUM, f"Full in {value} months", lines)


def store_sum(planned: PlannedStore, fmt: NumberFormat) -> Sum:
    """Return what becomes of the disks' bytes, and what they cost."""
    array, store = planned.store.array, planned.store
    whole = sum(each.capacity_bytes for each in array.disks)

    def money(value: float) -> str:
        return f"{fmt.number(value, 2)} EUR" if math.isfinite(value) else "not known"

    lines = [
        SumLine("all disks", f"{array.count} of them", fmt.size(whole)),
        SumLine("protective", array.level.value, fmt.size(array.protective_bytes)),
        SumLine("wasted", "beyond the smallest", fmt.size(array.wasted_bytes)),
        SumLine("usable", "what is left", fmt.size(array.usable_bytes)),
        SumLine("price", "disks, and the box or hub", money(store.price or math.nan)),
        SumLine("a TB", "price ÷ usable", money(planned.price_per_tb)),
        SumLine("a held stream", f"price ÷ {planned.ladder.held}", money(planned.price_per_stream)),
    ]
    return _sum(STORE_SUM, "The store", lines)
