"""An edit plan in words: the headline, the store, what would help."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from vastcellar.core.edit.arrays import Level
from vastcellar.core.edit.edit_store import StageKind
from vastcellar.core.edit.editors import DAY_S, SOUND, TRACK_BYTES_PER_S, Desk, Spell, Used
from vastcellar.core.edit.ladder import Given
from vastcellar.core.parts.parts import Drive
from vastcellar.core.units import PLAIN, NumberFormat
from vastcellar.services.edit.edit_planning import PlannedEdit, PlannedStore
from vastcellar.services.edit.helping import Help, HelpKind
from vastcellar.services.edit.stores import level_of
from vastcellar.services.edit.timelines import TimelineDemand

LEVEL_NAMES = {
    Level.SINGLE: "single drive",
    Level.EACH: "each by itself",
    Level.STRIPE: "RAID 0",
    Level.MIRROR: "RAID 1, mirrored",
    Level.PARITY: "RAID 5",
    Level.DOUBLE_PARITY: "RAID 6",
    Level.STRIPED_MIRRORS: "RAID 10",
}


def streams_text(count: int) -> str:
    """Return "one stream", "5 streams"."""
    return {0: "no stream", 1: "one stream"}.get(count, f"{count} streams")


def headline(planned: PlannedStore) -> str:
    """Return how many streams it holds, beside how many are wanted."""
    held, kind = planned.ladder.held, planned.load.stream.name
    holds = "Holds no stream" if held == 0 else f"Holds {streams_text(held)}"
    spell = planned.busiest
    if spell is None:
        return f"{holds} of {kind}; {planned.streams} wanted"
    asked = PLAIN.rate(spell.asked_bytes_per_s, 0)
    return f"{holds} of {kind}; editors ask for {asked} from {hours_text(spell, PLAIN)}"


def hours_text(spell: Spell, fmt: NumberFormat) -> str:
    """Return from when to when, as a clock shows it: "14:00 to 18:00"."""
    return f"{fmt.time_of_day(spell.start_s % DAY_S)} to {fmt.time_of_day(spell.end_s % DAY_S)}"


def used_name(used: Used) -> str:
    """Return the stage that is used, as it is named in a sentence; a desk's own with its name."""
    name = given_name(Given(used.kind, used.name, 0.0))
    return f"{used.desk}'s {used.name} link" if used.desk else name


def desk_text(desk: Desk, fmt: NumberFormat) -> str:
    """Return what goes on at a desk, in a few words."""
    parts = [f"{streams_text(desk.streams)} of {desk.stream.name}"] if desk.streams else []
    for each in desk.beside:
        if each.name == SOUND:
            tracks = round(each.read_bytes_per_s / TRACK_BYTES_PER_S)
            parts.append("1 track of sound" if tracks == 1 else f"{tracks} tracks of sound")
            continue
        if each.write_bytes_per_s:
            parts.append(f"writes {fmt.rate(each.write_bytes_per_s, 0)}")
        if each.read_bytes_per_s:
            parts.append(f"reads {fmt.rate(each.read_bytes_per_s, 0)} beside")
    return ", ".join(parts) or "nothing"


def spell_line(spell: Spell, fmt: NumberFormat) -> str:
    """Return who works in a spell, what they ask, and what that does to the store."""
    who = ", ".join(each.name for each in spell.desks)
    limit, late = spell.limit, spell.late_frames_per_minute
    asked = f"{streams_text(spell.streams)}, {fmt.rate(spell.asked_bytes_per_s, 0)}"
    used = f"{used_name(limit)} {fmt.percent(limit.share)} in use"
    end = f"{fmt.number(late, 0)} frames late a minute" if late else "nothing late"
    return f"{hours_text(spell, fmt)}, {who}: {asked}; {used}, {end}"


def busiest_line(planned: PlannedStore, fmt: NumberFormat) -> str:
    """Return when the editors ask most; "" where none are named."""
    spell = planned.busiest
    return f"Busiest {spell_line(spell, fmt)}." if spell is not None else ""


def evidence_line(planned: PlannedStore) -> str:
    """Return what the verdict rests on."""
    proof = planned.proof
    if proof is None:
        return "computed, typical seeks"
    simulated = ", simulated" if proof.is_simulated else ""
    when = proof.measured_at.astimezone().date().isoformat()
    late = "with late frames" if proof.late_frames_per_minute else "in time"
    return f"{planned.setup.unit_tag}: {streams_text(proof.streams)} {late} on {when}{simulated}"


def given_name(given: Given) -> str:
    """Return a stage as it is named in a sentence."""
    match given.kind:
        case StageKind.DISKS:
            return "the disks"
        case StageKind.HUB:
            return f"the hub's {given.name} uplink"
        case StageKind.PORT:
            return f"its {given.name} port"
        case StageKind.DESK:
            return f"the desk's {given.name} link"
        case StageKind.ENCRYPTION:
            return f"decrypting at {given.name}"
        case _:
            return given.name


def limit_line(planned: PlannedStore, fmt: NumberFormat) -> str:
    """Return what ends the ladder, and what of the cut is late."""
    limit, rest = planned.ladder.limit, ""
    given = planned.ladder.rung(planned.ladder.held + 1).given
    if len(given) > 1 and limit.kind is not StageKind.DISKS:
        disks = next(each for each in given if each.kind is StageKind.DISKS)
        rest = f", not the disks: {fmt.rate(limit.bytes_per_s, 0)} against " \
               f"{fmt.rate(disks.bytes_per_s, 0)}"  # fmt: skip
    else:
        at = streams_text(planned.ladder.held + 1)
        rest = f": {fmt.rate(limit.bytes_per_s, 0)} at {at}"
    text = f"The limit is {given_name(limit)}{rest}{_busy_text(planned, fmt)}."
    return f"{text} {cut_line(planned, fmt)}".rstrip()


def _busy_text(planned: PlannedStore, fmt: NumberFormat) -> str:
    """Return how much is asked of what limits the editors; "" where none are named."""
    spell = planned.busiest
    if spell is None:
        return ""
    name = used_name(spell.limit)
    what = "it" if name == given_name(planned.ladder.limit) else name
    return f"; editors ask {fmt.percent(spell.limit.share)} of {what}"


def cut_line(planned: PlannedStore, fmt: NumberFormat) -> str:
    """Return what comes late when the cut is played once; "" without a cut."""
    played = planned.played
    if played is None:
        return ""
    if not played.late:
        carried = len(played.carried)
        how = f"; the read-ahead carries {carried} overlaps" if carried else ""
        return f"Played once, the cut is in time{how}."
    places = "at one place" if len(played.late) == 1 else f"at {len(played.late)} places"
    return f"Played once, {fmt.number(played.late_frames, 0)} frames of the cut are late {places}."


def cut_text(cut: TimelineDemand, fmt: NumberFormat) -> str:
    """Return what a cut is, and where the rates of its clips are from."""
    demand = cut.demand
    known = ", ".join(f"{count} by {source}" for source, count in cut.known_by)
    return (
        f"{cut.name}: {fmt.duration(round(demand.duration_s))}, {len(demand.clips)} clips; rates: "
        f"{known}"
    )


def measured_cut_text(planned: PlannedStore, fmt: NumberFormat) -> str:
    """Return what came of playing the cut from the store's unit; "" where nobody did."""
    found = planned.measured_cut
    if found is None:
        return ""
    when = found.measured_at.astimezone().date().isoformat()
    part = f"{position(found.from_s)} to {position(found.from_s + found.duration_s)}"
    said = f"{planned.setup.unit_tag} played {part} on {when}"
    if found.worst_second_s is None:
        return f"{said}: every frame in time"
    late, frames = (fmt.number(each, 0) for each in (found.late_frames, found.frames))
    return f"{said}: {late} of {frames} frames late, most at {position(found.worst_second_s)}"


def position(at_s: float) -> str:
    """Return a moment of a cut: "31:08", from an hour on "1:02:09"."""
    whole = round(at_s)
    hours, rest = divmod(whole, 3600)
    return f"{hours}:{rest // 60:02d}:{rest % 60:02d}" if hours else f"{rest // 60}:{rest % 60:02d}"


def milliseconds(seconds: float, fmt: NumberFormat) -> str:
    """Return a short time: what an editor notices is below a second."""
    return f"{fmt.number(seconds * 1e3, 0)} ms"


def jump_text(planned: PlannedStore, fmt: NumberFormat) -> tuple[float, str]:
    """Return what half of the jumps take, in seconds, and the rest in words: measured, where a
    test of so many streams jumped."""
    measured, jump = planned.measured_jump, planned.jump
    if measured is not None and measured.first_frame_s is not None:
        half_s, most_s = measured.first_frame_s
        how = "simulated" if measured.is_simulated else "measured"
        return half_s, f"to a first frame, 99 of 100 {milliseconds(most_s, fmt)}: {how}"
    return jump.half_s, f"to a first frame; 99 of 100 {milliseconds(jump.most_s, fmt)}"


def store_line(planned: PlannedStore) -> str:
    """Return what the store is, in a line."""
    setup, array = planned.setup, planned.store.array
    names = [each.name for each in array.disks]
    kinds = " + ".join(f"{names.count(name)} × {name}" for name in dict.fromkeys(names))
    return f"{kinds}, {LEVEL_NAMES[level_of(setup)]}"


def drive_sentence(drive: Drive, fmt: NumberFormat) -> str:
    """Return a store as the one drive that copies see: room, what it writes at first and after."""
    writes = drive.writes
    inner = writes.direct_write_bytes_per_s * writes.inner_share
    if writes.has_cache:
        after = f" until its cache is full, then {fmt.rate(writes.direct_write_bytes_per_s)}"
    else:
        after = f" empty, {fmt.rate(inner)} full" if writes.inner_share < 1 else ""
    first = fmt.rate(drive.claimed_write_bytes_per_s)
    return f"{fmt.size(drive.capacity_bytes)} as one drive; its disks write {first}{after}."


def risk_text(share: float, fmt: NumberFormat) -> str:
    """Return a risk in per cent: two of them are told apart by their tenths."""
    return f"{fmt.number(share * 100, 1 if 0 < share < 1 else 0)} %"


def rebuild_line(planned: PlannedStore, fmt: NumberFormat) -> str:
    """Return what a failed disk means."""
    rebuild = planned.rebuild
    if not rebuild.is_possible:
        lost = "all of it" if planned.store.array.count > 1 else "everything on it"
        if planned.store.array.level is Level.EACH:
            lost = "what is on it"
        return f"A disk that fails takes {lost} along: no copy is in it."
    hours = fmt.number(rebuild.seconds / 3600, 1)
    risk = risk_text(rebuild.unreadable_risk, fmt)
    held = streams_text(planned.rebuilding.held)
    return (
        f"{hours} h to rebuild a disk, {held} meanwhile; risk that a sector can't be read: {risk}. "
        "RAID is not a backup."
    )


def months_line(planned: PlannedStore, fmt: NumberFormat) -> str:
    """Return when it is full."""
    months = planned.months
    if math.isinf(months.full_after_months):
        return "It isn't full within ten years."
    count = fmt.number(months.full_after_months, 1)
    kept = fmt.percent(1 - months.room_bytes / months.usable_bytes)
    return f"Full in {count} months, {kept} kept free."


# What would help


def help_title(each: Help) -> str:
    """Return what is changed, in a few words."""
    match each.kind:
        case HelpKind.READ_AHEAD:
            return f"Read ahead {each.subject}"
        case HelpKind.PROXIES:
            return f"Proxies {each.subject}"
        case HelpKind.LARGER_FRAMES:
            return f"Frames of {each.subject}"
        case HelpKind.FASTER_PORT:
            return f"{each.subject} port in use"
        case HelpKind.MORE_DISKS:
            return f"One more {each.subject}"
        case _:
            return f"{each.subject} in the bays"


def help_lines(each: Help, before: PlannedStore, fmt: NumberFormat) -> tuple[str, str, str]:
    """Return what it does to the streams, to the cut, and what it costs."""
    planned = each.planned
    share = f" {fmt.percent(planned.margin, signed=True)}" if math.isfinite(planned.margin) else ""
    verdict = f"{planned.verdict.value}{share}"
    was, now = before.ladder.held, planned.ladder.held
    does = f"{streams_text(now)}, as before" if was == now else f"{streams_text(now)}, not {was}"
    if planned.played is not None and before.played is not None:
        late = planned.played.late_frames
        does += f"; {fmt.number(late, 0)} late" if late >= 0.5 else "; nothing late"
    price = f"{fmt.number(each.price, 0)} EUR" if each.price else "nothing to buy"
    if each.kind is HelpKind.FASTER_PORT:
        price += " for the store; switch and desk must have it too"
    return verdict, does, price


@dataclass(frozen=True)
class CompareRow:
    """A measure that stores are compared by."""

    name: str
    values: tuple[str, ...]
    """One for each store."""
    numbers: tuple[float, ...] = ()
    """To draw them by; () for words. What isn't known or has no end is nan or infinite."""
    less_is_better: bool = False

    @property
    def shares(self) -> tuple[float | None, ...]:
        """Of the largest, 0 to 1; None for a value that can't be drawn."""
        known = [value for value in self.numbers if math.isfinite(value)]
        most = max(known, default=0.0)
        return tuple(
            value / most if math.isfinite(value) and most > 0 else None for value in self.numbers
        )

    @property
    def best(self) -> frozenset[int]:
        """Which stores are best by it; none where all are alike."""
        known = {n: value for n, value in enumerate(self.numbers) if not math.isnan(value)}
        if len(set(known.values())) < 2:
            return frozenset()
        wanted = min(known.values()) if self.less_is_better else max(known.values())
        return frozenset(n for n, value in known.items() if value == wanted)


def compare_rows(edit: PlannedEdit, fmt: NumberFormat) -> tuple[CompareRow, ...]:
    """Return what stores are compared by."""
    stores = edit.stores

    def of(
        name: str, value: Callable[[PlannedStore], float], text: Callable[[float], str],
        *, less: bool = False,
    ) -> CompareRow:  # fmt: skip
        numbers = tuple(float(value(each)) for each in stores)
        return CompareRow(name, tuple(text(number) for number in numbers), numbers, less)

    def whole(value: float) -> str:
        return fmt.number(value, 0)

    def money(value: float) -> str:
        return f"{fmt.number(value, 0)} EUR" if math.isfinite(value) else "not known"

    def months(value: float) -> str:
        return f"{fmt.number(value, 1)} months" if math.isfinite(value) else "over ten years"

    def hours(value: float) -> str:
        return f"{fmt.number(value, 1)} h" if math.isfinite(value) else "not at all"

    def late(value: float) -> str:
        return fmt.number(value, 0) if math.isfinite(value) else "no cut"

    def frames(value: float) -> str:
        return fmt.number(value, 1)

    def whole_duration(value: float) -> str:
        return fmt.duration(round(value))

    def short(value: float) -> str:
        return milliseconds(value, fmt)

    def risk(value: float) -> str:
        return risk_text(value, fmt)

    return (
        of("Streams held", lambda s: s.ladder.held, whole),
        CompareRow("Limit", tuple(given_name(s.ladder.limit) for s in stores)),
        *([of("Late a minute, busiest hours",
              lambda s: s.busiest.late_frames_per_minute if s.busiest else math.nan, whole,
              less=True)] if edit.plan.editors else ()),
        of("Late frames of the cut", lambda s: s.played.late_frames if s.played else math.nan,
           late, less=True),
        of("Usable", lambda s: s.store.array.usable_bytes, fmt.size),
        of("Wasted", lambda s: s.store.array.wasted_bytes, fmt.size, less=True),
        of("Disks that may fail", lambda s: s.store.array.survives, whole),
        of("To rebuild a disk", lambda s: s.rebuild.seconds / 3600, hours, less=True),
        of("Risk of a lost sector then", lambda s: s.rebuild.unreadable_risk, risk, less=True),
        of("Streams meanwhile", lambda s: s.rebuilding.held if s.rebuild.is_possible else 0,
           whole),
        of("First frame, half of jumps", lambda s: s.jump.half_s, short, less=True),
        of("First frame, 99 of 100", lambda s: s.jump.most_s, short, less=True),
        of("Frames a second while scrubbing", lambda s: s.scrub.shown_per_s, frames),
        of("A project of 4,000 files opens in", lambda s: s.opens_in_s, fmt.duration, less=True),
        of("500 GB copied onto it", lambda s: s.ingest.flushed_s, whole_duration, less=True),
        of("Full in", lambda s: s.months.full_after_months, months),
        of("Price", lambda s: s.store.price or math.nan, money, less=True),
        of("A usable TB", lambda s: s.price_per_tb, money, less=True),
        of("A held stream", lambda s: s.price_per_stream, money, less=True),
    )  # fmt: skip
