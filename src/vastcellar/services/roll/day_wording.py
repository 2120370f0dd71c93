"""A planned day in words: waits, levers, and the sums behind its moments."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.roll.card_fill import CameraWait
from vastcellar.core.roll.claims import ClaimChecked
from vastcellar.core.roll.copy_log import KeptCopy
from vastcellar.core.roll.day import RollDay
from vastcellar.core.roll.day_run import CardTrip, DayRun
from vastcellar.core.roll.drawn_days import DrawnDays, Spread
from vastcellar.core.roll.later import LaterRun
from vastcellar.core.roll.learned import Learned
from vastcellar.core.roll.levers import LeverKind, Pulled
from vastcellar.core.roll.offloading import HASH, LINK
from vastcellar.core.roll.pools import SmallestPool
from vastcellar.core.units import PLAIN, NumberFormat
from vastcellar.services.roll.day_planning import PlannedDay
from vastcellar.services.sums.sum_lines import Sum, SumLine

LAST_SUM, FILLS_SUM, HOME_SUM = "roll-last", "roll-fills", "roll-home"
LATER_SUM = "roll-later"
_CARD = "card"  # what the card is called in a copy that nothing else is known of
_AS_PLANNED_SHARE = 0.05
NEVER = "never"


def moment(at_s: float, fmt: NumberFormat) -> str:
    """Return a moment of the day: "19:42", or "never"."""
    return fmt.time_of_day(at_s) if math.isfinite(at_s) else NEVER


def minutes(seconds: float, fmt: NumberFormat) -> str:
    """Return a time to the minute: a plan isn't as exact as seconds."""
    whole = round(seconds / 60) * 60 if math.isfinite(seconds) else seconds
    return fmt.duration(whole)


def wait_sum_key(wait: CameraWait) -> str:
    """Return the key of the sum behind *wait*."""
    return f"roll-wait {wait.camera_key} {wait.from_s:.0f}"


def trip_sum_key(trip: CardTrip) -> str:
    """Return the key of the sum behind the way of a card."""
    return f"roll-card {trip.card_tag} {trip.out_s:.0f}"


def waits_verdict(run: DayRun) -> Verdict:
    """Return whether the cameras have a card whenever they want one."""
    return Verdict.FALLS_SHORT if run.waits else Verdict.HOLDS


def waits_text(run: DayRun, fmt: NumberFormat) -> str:
    """Return who waits, how often and how long: the headline of the day."""
    if not run.waits:
        return "No camera waits"
    keys = list(dict.fromkeys(wait.camera_key for wait in run.waits))
    said = []
    for key in keys:
        mine = run.waits_of(key)
        whole_s = sum(wait.duration_s for wait in mine)
        if math.isinf(whole_s):
            said.append(f"{key} has no card from {moment(mine[-1].from_s, fmt)} on")
            continue
        at = f"at {moment(mine[0].from_s, fmt)}" if len(mine) == 1 else f"{len(mine)} times"
        said.append(f"{key} waits {minutes(whole_s, fmt)}, {at}")
    return " · ".join(said)


def last_text(run: DayRun, fmt: NumberFormat) -> str:
    """Return the moment that decides when the technician goes home."""
    if not run.trips:
        return "Nothing is recorded on this day"
    what = "Last verified copy" if run.is_every_copy_verified else "Last copy, not all verified,"
    return f"{what} {moment(run.last_verified_s, fmt)}"


def later_text(later: Sequence[LaterRun], fmt: NumberFormat) -> str:
    """Return when the copies are verified that are made later; "" where there is none."""
    return "; ".join(
        f"{each.copy.name}, made later from {each.copy.from_tag}, {moment(each.verified_s, fmt)}"
        for each in later
    )


def later_sum(each: LaterRun, fmt: NumberFormat) -> Sum:
    """Return how a copy that is made later comes to its time."""
    copy, drive = each.copy, each.copy.drive
    lines = [SumLine(f"the day on {copy.from_tag}", "every card that it has",
                     fmt.size(each.size_bytes))]  # fmt: skip
    if math.isfinite(each.verified_s):
        copy_s, check_s = each.copied_s - each.start_s, each.verified_s - each.copied_s
        waits = "not before the time that was set"
        how = waits if each.start_s == copy.not_before_s else f"all of it is on {copy.from_tag}"
        lines += [
            SumLine("begins", how, moment(each.start_s, fmt)),
            SumLine(f"copied to {drive.tag}: {fmt.duration(round(copy_s))}",
                    f"{fmt.size(each.size_bytes)} ÷ {fmt.rate(each.size_bytes / copy_s)}",
                    moment(each.copied_s, fmt)),
            SumLine(f"the rest is read back: {fmt.duration(round(check_s))}", "one file behind",
                    moment(each.verified_s, fmt)),
        ]  # fmt: skip
    else:
        free = f"{fmt.size(drive.free_bytes)} free"
        lines.append(SumLine(f"on {drive.tag}", free if not each.has_room else "no card", NEVER))
    title = f"{copy.name}, made later: {moment(each.verified_s, fmt)}"
    return Sum(f"{LATER_SUM} {copy.name}", title, tuple(lines),
               "after the day, with the computer to itself: typical figures",
               Evidence.COMPUTED)  # fmt: skip


def pool_text(pool: SmallestPool, day: RollDay, fmt: NumberFormat) -> str:
    """Return the smallest pool without waiting, and what is missing for it."""
    if not pool.counts:
        return "Nothing is recorded: no pool is needed"
    have = {camera.key: len(camera.cards) for camera in day.cameras}
    counts = ", ".join(f"{count} for {key}" for key, count in pool.counts)
    more = [f"{count - have[key]} for {key}" for key, count in pool.counts if count > have[key]]
    sure = "" if pool.is_proved else " (found by adding: a smaller one may do)"
    missing = f"; missing: {', '.join(more)}" if more else ""
    last = moment(pool.run.last_verified_s, fmt)
    return f"Smallest pool without waits: {counts}{missing}; last verified then {last}{sure}"


def drawn_text(drawn: DrawnDays, fmt: NumberFormat) -> str:
    """Return how late it gets in half and in nine of ten days."""
    if not drawn.last_verified_s.any():
        return "Nothing is recorded on any drawn day"
    count = fmt.number(drawn.last_verified_s.size, 0)
    return (
        f"{count} drawn days: half of them before {moment(drawn.percentile_s(50), fmt)}, "
        f"nine of ten before {moment(drawn.percentile_s(90), fmt)}"
    )


def spread_text(spread: Spread, fmt: NumberFormat) -> str:
    """Return what the days were drawn from: nobody measured it."""
    late, wrap = minutes(spread.wrap_late_s, fmt), minutes(spread.wrap_sd_s, fmt)
    return (
        f"Assumed: wraps come {late} late, ± {wrap}; what cameras roll ± "
        f"{fmt.percent(spread.volume_sd_share)}, how fast drives are ± "
        f"{fmt.percent(spread.drive_sd_share)}"
    )


def moved_by_text(drawn: DrawnDays, fmt: NumberFormat) -> str:
    """Return what the last verified copy depends on most."""
    named = [
        f"{_input(name)} {fmt.percent(share)}" for name, share in drawn.moved_by if share >= 0.02
    ]
    if not named:
        return "Nothing that was drawn moves it"
    return f"What moves it: {', '.join(named)} of what straight lines explain " + (
        f"({fmt.percent(drawn.explained_share)} of all)"
    )


def _input(name: str) -> str:
    return name if name == "wrap" else f"what {name} rolls" if len(name) <= 2 else f"{name}'s rate"


def limit_text(limit: str, card_tag: str = "") -> str:
    """Return what sets the pace of a copy, in words."""
    if limit == HASH:
        return "the checksum"
    if limit == card_tag:
        return "what comes off the card" if limit == _CARD else f"what comes off {limit}"
    tag, link, _way = limit.partition(LINK)
    return f"the link of {tag}" if link else tag


def beside_plan(planned: PlannedDay, copy: KeptCopy, fmt: NumberFormat) -> str:
    """Set a card that was copied beside its plan; "" where the plan has none of its name."""
    trips = [trip for trip in planned.run.trips if trip.card_tag == copy.card_name]
    if not trips or not math.isfinite(trips[0].over_s):
        return ""
    size = copy.outcome.size_bytes
    # The card may hold more or less than planned: its time is set beside that share of the plan.
    trip = min(trips, key=lambda each: abs(each.card_bytes - size))
    planned_s = (trip.over_s - trip.start_s) * size / trip.card_bytes
    took_s = copy.outcome.elapsed_s
    if planned_s <= 0 or took_s <= 0:
        return ""
    share = took_s / planned_s - 1
    word = "as planned" if abs(share) < _AS_PLANNED_SHARE else (
        f"{fmt.percent(share, signed=True)} beside the plan"
    )  # fmt: skip
    return (
        f"took {fmt.duration(round(took_s))}; the plan has {fmt.duration(round(planned_s))} for "
        f"{fmt.size(size)}: {word}"
    )


def claim_text(claim: ClaimChecked, fmt: NumberFormat) -> str:
    """Return what is to be said of a claim: what it asks, what is possible, what is in its way."""
    asked = (
        f"{fmt.size(claim.card_bytes)} in {fmt.duration(claim.claimed_s)} ask "
        f"{fmt.rate(claim.claimed_bytes_per_s)} of everything on the way"
    )
    copied, verified = (fmt.duration(round(s)) for s in (claim.copied_s, claim.verified_s))
    limits = " and ".join(limit_text(name, _CARD) for name, _seconds in claim.limits[:2])
    best = f"at best it is copied in {copied} and verified in {verified}, held by {limits}"
    word = {
        Verdict.HOLDS: "that can be",
        Verdict.TIGHT: "that can just be",
        Verdict.FALLS_SHORT: "that can't be",
    }[claim.verdict]
    return f"{asked}: {word}; {best}"


def home_sum(planned: PlannedDay, fmt: NumberFormat) -> Sum:
    """Return when everybody can go home, the first first."""
    cameras = {camera.key: camera.name for camera in planned.day.cameras}
    stays = planned.run.home_s[-1][0] if planned.run.home_s else ""
    lines = []
    for who, at_s in sorted(planned.run.home_s, key=lambda each: each[1]):
        if who in cameras:
            how = f"last take, then {fmt.duration(planned.day.walk_s)}"
            lines.append(SumLine(f"{who} {cameras[who]}", how, moment(at_s, fmt)))
        else:
            how = "stays for the last verified copy" if who == stays else "changes no card after it"
            lines.append(SumLine(who, how, moment(at_s, fmt)))
    return Sum(HOME_SUM, "Who can go home when", tuple(lines), _source(planned),
               Evidence.COMPUTED)  # fmt: skip


def fills_sum(planned: PlannedDay, fmt: NumberFormat) -> Sum:
    """Return which unit of each copy takes which day, and what is left on it."""
    lines = []
    for copy in planned.copies:
        for day in copy.filled:
            tag = copy.copy.unit_tags[day.drive]
            left = day.free_bytes - day.day_bytes
            value = fmt.size(left) if day.fits else "not the whole day"
            lines.append(
                SumLine(f"{copy.copy.name}, day {day.day}: {tag}",
                        f"{fmt.size(day.free_bytes)} free − {fmt.size(day.day_bytes)}", value)
            )  # fmt: skip
    return Sum(FILLS_SUM, "What fits on which drive", tuple(lines),
               "the shoot's days with its reserve; units as they are full now",
               Evidence.COMPUTED)  # fmt: skip


# What would help

_FIXED_TITLES = {
    LeverKind.READER: "Two copies at once",
    LeverKind.FASTER_CARDS: "Cards and readers twice as fast",
    LeverKind.OTHER_PORTS: "Drives in other ports",
}


def lever_title(pulled: Pulled, fmt: NumberFormat) -> str:
    """Return what is changed, in a few words."""
    lever = pulled.lever
    subject, unit = lever.subject, lever.with_what
    match lever.kind:
        case LeverKind.ORDER:
            return f"Order: {subject}"
        case LeverKind.POOL:
            return f"{unit} into the pool of {subject}"
        case LeverKind.CARD:
            return f"One more card for {subject}"
        case LeverKind.SMALLEST_POOL:
            return f"Cards: {unit}"
        case LeverKind.EARLY_CHANGE:
            return f"{subject} changes its card at {fmt.time_of_day(float(unit))}"
        case LeverKind.COOLER:
            return f"A fan on {subject}"
        case LeverKind.OTHER_DRIVE:
            return f"{unit} in the place of {subject}"
        case LeverKind.SKIP_CHECK:
            return f"Skip reading {subject} back"
        case _:
            return _FIXED_TITLES[lever.kind]


def lever_lines(pulled: Pulled, fmt: NumberFormat) -> tuple[str, str, str]:
    """Return what it does to the waits, to the evening, and what it costs or risks."""
    run = pulled.run
    keys = list(dict.fromkeys(wait.camera_key for wait in run.waits))
    waits = "no waits"
    if keys and math.isinf(run.waited_s):
        waits = f"{', '.join(keys)} without a card"
    elif keys:
        verb = "waits" if len(keys) == 1 else "wait"
        waits = f"{', '.join(keys)} {verb} {minutes(run.waited_s, fmt)}"
    earlier_s = pulled.home_earlier_s
    if math.isinf(run.last_verified_s):
        home = "home: never all verified"
    elif math.isinf(earlier_s):
        home = f"all verified at {moment(run.last_verified_s, fmt)}"
    elif abs(earlier_s) < 60:
        home = "home as before"
    else:
        way = "earlier" if earlier_s > 0 else "later"
        home = f"home {minutes(abs(earlier_s), fmt)} {way}"
    return waits, home, _price(pulled)


def _price(pulled: Pulled) -> str:
    match pulled.lever.kind:
        case LeverKind.SKIP_CHECK:
            return "nobody knows then whether that copy can be read"
        case LeverKind.CARD | LeverKind.SMALLEST_POOL:
            return "to buy or to borrow"
        case LeverKind.FASTER_CARDS:
            return "to buy, cards and readers"
        case LeverKind.POOL | LeverKind.OTHER_DRIVE:
            return "free on the shelf"
        case LeverKind.READER if pulled.lever.day.readers != pulled.before.day.readers:
            return "a reader to buy"
        case _:
            return "nothing to buy"


# Sums


def roll_sums(planned: PlannedDay, fmt: NumberFormat) -> dict[str, Sum]:
    """Return the sums behind the moments of a day: the last verified copy, and each wait."""
    found = {LAST_SUM: last_sum(planned, fmt), FILLS_SUM: fills_sum(planned, fmt)}
    found[HOME_SUM] = home_sum(planned, fmt)
    for each in planned.later:
        told = later_sum(each, fmt)
        found[told.key] = told
    for wait in planned.run.waits:
        found[wait_sum_key(wait)] = wait_sum(planned, wait, fmt)
    for trip in planned.run.trips:
        found[trip_sum_key(trip)] = trip_sum(planned, trip, fmt)
    return found


def trip_sum(planned: PlannedDay, trip: CardTrip, fmt: NumberFormat) -> Sum:
    """Return the way of a card: when it is where, and what held it up."""
    lines = _trip_lines(planned.run, trip, fmt)
    for each in sorted(trip.on, key=lambda each: each.done_s):
        how = "no room" if each.has_no_room else "verified" if each.is_verified else "copied"
        lines.append(SumLine(f"on {each.drive_tag}", how, moment(each.done_s, fmt)))
    lines.append(
        SumLine("safe to wipe", f"{planned.day.verified_copies} on drives of their own",
                moment(trip.safe_s, fmt))
    )  # fmt: skip
    lines.append(SumLine("free at the camera", "", moment(trip.free_s, fmt)))
    title = f"{trip.card_tag} of {trip.camera_key}"
    return Sum(trip_sum_key(trip), title, tuple(lines), _source(planned), Evidence.COMPUTED)


def last_sum(planned: PlannedDay, fmt: NumberFormat) -> Sum:
    """Return how the last verified copy comes to its time."""
    run = planned.run
    last = max(run.trips, key=lambda trip: trip.over_s, default=None)
    lines: list[SumLine] = []
    if last is not None:
        lines = [*_trip_lines(run, last, fmt), *_check_lines(last, last.over_s, fmt)]
    lines.append(SumLine("last verified copy", "all of it together",
                         moment(run.last_verified_s, fmt)))  # fmt: skip
    for card, drive in run.without_room:
        lines.append(SumLine(f"{card} on {drive}", "no room: that copy isn't made", "missing"))
    title = f"Last verified copy {moment(run.last_verified_s, fmt)}"
    return Sum(LAST_SUM, title, tuple(lines), _source(planned), Evidence.COMPUTED)


def wait_sum(planned: PlannedDay, wait: CameraWait, fmt: NumberFormat) -> Sum:
    """Return why a camera waits: where the card was that it waits for."""
    run = planned.run
    back = next(
        (
            trip
            for trip in run.trips
            if trip.card_tag == wait.card_tag and abs(trip.free_s - wait.until_s) < 1
        ),
        None,
    )
    lines: list[SumLine] = [
        SumLine(f"{wait.camera_key} wants a card", "the next take", moment(wait.from_s, fmt))
    ]
    if back is None:
        lines.append(SumLine("no card comes back", "fewer verified copies than the rule asks for",
                             NEVER))  # fmt: skip
    else:
        walk_s = run.day.walk_s
        lines += [*_trip_lines(run, back, fmt), *_check_lines(back, back.safe_s, fmt)]
        rest_s = back.free_s - back.safe_s
        how = fmt.duration(walk_s)
        if rest_s > walk_s + 1:
            how = f"somebody is there, then {how}"
        lines += [
            SumLine("walk back, in the camera", how, moment(back.free_s, fmt)),
            SumLine("waits", f"{moment(wait.until_s, fmt)} − {moment(wait.from_s, fmt)}",
                    fmt.duration(round(wait.duration_s))),
        ]  # fmt: skip
    title = f"{wait.camera_key} waits from {moment(wait.from_s, fmt)}"
    return Sum(wait_sum_key(wait), title, tuple(lines), _source(planned), Evidence.COMPUTED)


def _trip_lines(run: DayRun, trip: CardTrip, fmt: NumberFormat) -> list[SumLine]:
    """Return the way of a card from the camera to the end of its copy."""
    lines = [
        SumLine(f"{trip.card_tag} comes out of {trip.camera_key}", fmt.size(trip.card_bytes),
                moment(trip.out_s, fmt)),
        SumLine("at the computer", f"walk {fmt.duration(trip.arrives_s - trip.out_s)}",
                moment(trip.arrives_s, fmt)),
    ]  # fmt: skip
    if math.isinf(trip.start_s):
        return lines
    before = [
        other.card_tag
        for other in run.trips
        if other is not trip and trip.arrives_s < other.over_s <= trip.start_s + 1
    ]
    behind = f"behind {', '.join(before)}" if before else "somebody is there, and a swap"
    lines.append(
        SumLine(f"its copy begins: {fmt.duration(round(trip.queue_s))} later", behind,
                moment(trip.start_s, fmt))
    )  # fmt: skip
    for limit, moved, seconds in _by_limit(run, trip):
        lines.append(
            SumLine(
                f"copied while {limit_text(limit, trip.card_tag)} limits",
                f"{fmt.size(moved)} ÷ {fmt.rate(moved / seconds)}",
                fmt.duration(round(seconds)),
            )
        )
    lines.append(SumLine("copied", "", moment(trip.copied_s, fmt)))
    return lines


def _by_limit(run: DayRun, trip: CardTrip) -> Sequence[tuple[str, float, float]]:
    """Return limit, bytes and seconds of the copy of a card, in their order; like ones joined."""
    joined: list[tuple[str, float, float]] = []
    for each in run.copies:
        is_it = each.card_tag == trip.card_tag and not each.is_reading_back
        if not is_it or not trip.start_s - 1 <= each.start_s < trip.copied_s:
            continue
        seconds = each.end_s - each.start_s
        moved = each.bytes_per_s * seconds
        if joined and joined[-1][0] == each.limit:
            _limit, known, known_s = joined[-1]
            joined[-1] = (each.limit, known + moved, known_s + seconds)
        else:
            joined.append((each.limit, moved, seconds))
    return joined


def _check_lines(trip: CardTrip, until_s: float, fmt: NumberFormat) -> list[SumLine]:
    if not math.isfinite(until_s):
        return []
    checked = [each for each in trip.on if each.done_s == until_s]
    where = checked[0].drive_tag if checked else ""
    how = f"on {where}, one file behind" if checked and checked[0].is_verified else "not read back"
    return [
        SumLine(f"the rest is read back: {fmt.duration(round(until_s - trip.copied_s))}", how,
                moment(until_s, fmt))
    ]  # fmt: skip


def _source(planned: PlannedDay) -> str:
    chains = [copy.placed[1] for copy in planned.copies if copy.placed is not None]
    fitted = [chain.parts.name for chain in chains if chain.parts.drive.is_calibrated]
    by = f"; {', '.join(fitted)} by figures fitted to their own runs" if fitted else ""
    for tag, learned in planned.learned:
        by += f"; {learned_text(tag, learned, PLAIN)}"
    return f"the day from event to event, on {planned.host.name}: typical figures{by}"


def learned_text(tag: str, learned: Learned, fmt: NumberFormat) -> str:
    """Return what measured copies say of a drive."""
    count = "a measured copy" if learned.copies == 1 else f"{learned.copies} measured copies"
    share = fmt.percent(learned.factor - 1, signed=True)
    return f"{tag} by {count}: {share} beside its profile"
