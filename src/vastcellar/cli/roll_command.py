"""vast-cellar roll: a shooting day, card by card, and what would help."""

from __future__ import annotations

import math
from pathlib import Path

import click

from vastcellar.cli.known_shelf import known_shelf
from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.quantities import Quantity
from vastcellar.core.errors import BadValueError
from vastcellar.core.roll.claims import ClaimChecked, check_claim
from vastcellar.core.roll.drawn_days import DrawnDays
from vastcellar.core.roll.later import safe_with_later_s
from vastcellar.core.roll.levers import latest_start_s, that_night_s
from vastcellar.core.shoot.stations import station_names
from vastcellar.core.units import PLAIN, parse_duration, parse_size, parse_time_of_day
from vastcellar.services.roll.day_answers import DRAWN_DAYS, DayAnswers, answer_day, draw
from vastcellar.services.roll.day_planning import PlannedDay, plan_day
from vastcellar.services.roll.day_wording import (
    claim_text,
    drawn_text,
    last_text,
    later_text,
    lever_lines,
    lever_title,
    moment,
    moved_by_text,
    pool_text,
    spread_text,
    waits_text,
)
from vastcellar.services.shoot.shoots import shoot_in_file
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import folders


@click.command("roll")
@click.argument("shoot_file", type=click.Path(path_type=Path))
@click.option("--day", "number", default=1, show_default=True, help="Which day of the shoot.")
@click.option(
    "--drawn", default=DRAWN_DAYS, show_default=True, help="How many days to draw; 0 for none."
)
@click.option(
    "--home-by",
    "home_by_s",
    type=Quantity("time of day", parse_time_of_day),
    help="How late the day may start, to be home by then.",
)
@click.option("--claim", default="", help='Can that be? "2 TB in 30 min" at this station.')
@click.option("--station", help="Which further station; all of them, where none is named.")
@click.option("--demo", is_flag=True, help="With the demo's shelf instead of your own.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def roll_command(
    shoot_file: Path,
    number: int,
    drawn: int,
    home_by_s: float | None,
    claim: str,
    station: str | None,
    demo: bool,
    as_json: bool,
) -> None:
    """Let a day of SHOOT_FILE happen: who waits, when the last copy is verified, what helps."""
    places = folders(demo=demo)
    catalog = read_catalog(places)
    shoot = shoot_in_file(shoot_file, catalog)
    shelf = known_shelf(places, demo=demo)
    names = station_names(shoot) if station is None else (station,)
    told: list[dict[str, object]] = []
    for name in names:
        planned = plan_day(shoot, number, catalog, shelf, name)
        claimed = check_claim(planned.day, *_claimed(claim)) if claim else None
        answers = answer_day(planned, catalog, shelf)
        days = draw(planned, drawn) if drawn else None
        night_s = that_night_s(planned.day, home_by_s) if home_by_s is not None else None
        moved_s = latest_start_s(planned.day, night_s) if night_s is not None else None
        if as_json:
            told.append({**_as_json(planned, answers, days, moved_s), **_claim_json(claimed)})
            continue
        _print(planned, answers, days)
        if claimed is not None:
            echo(f"{claim_text(claimed, PLAIN)}.")
        if moved_s is not None:
            echo(_start_text(moved_s, night_s or 0.0))
    if as_json:
        print_json(told[0] if len(told) == 1 else _of_all(told))


def _of_all(told: list[dict[str, object]]) -> dict[str, object]:
    """Return what several stations come to together, and each of them."""
    lasts = [each["last_verified_copy_s"] for each in told]
    known = [at_s for at_s in lasts if isinstance(at_s, float)]
    last_s = max(known) if len(known) == len(lasts) else math.inf
    waits = [wait for each in told if isinstance(each["waits"], list) for wait in each["waits"]]
    return {
        "day": told[0]["day"],
        "evidence": "computed",
        "last_verified_copy": moment(last_s, PLAIN),
        "last_verified_copy_s": _finite(last_s),
        "waits": waits,
        "stations": told,
    }


def _claimed(text: str) -> tuple[float, float]:
    size, between, duration = text.partition(" in ")
    if not between:
        raise BadValueError(
            f"{text!r} is no claim", where="--claim", mend='Write it as "2 TB in 30 min"'
        )
    return float(parse_size(size, where="--claim")), parse_duration(duration, where="--claim")


def _claim_json(claim: ClaimChecked | None) -> dict[str, object]:
    if claim is None:
        return {}
    return {
        "claim": {
            "verdict": claim.verdict.value,
            "asks_bytes_per_s": claim.claimed_bytes_per_s,
            "copied_s": claim.copied_s,
            "verified_s": claim.verified_s,
            "limits": dict(claim.limits),
        }
    }


def _print(planned: PlannedDay, answers: DayAnswers, days: DrawnDays | None) -> None:
    run = planned.run
    where = f"{planned.station}: " if planned.station else ""
    echo(f"{where}Day {planned.number} of {planned.shoot.days}, on {planned.host.name}")
    echo(f"{waits_text(run, PLAIN)}. {last_text(run, PLAIN)}.")
    for later in planned.later:
        echo(f"  {later_text([later], PLAIN)}: {PLAIN.size(later.size_bytes)}")
    for note in planned.notes:
        echo(f"  note: {note}")
    for trip in run.trips:
        times = (trip.out_s, trip.start_s, trip.copied_s, trip.over_s, trip.free_s)
        out, start, copied, over, free = (moment(at_s, PLAIN) for at_s in times)
        echo(
            f"  {trip.camera_key} {trip.card_tag}: {PLAIN.size(trip.card_bytes)}, out {out}, "
            f"copy {start}-{copied}, verified {over}, back {free}"
        )
    home = ", ".join(f"{who} {moment(at_s, PLAIN)}" for who, at_s in run.home_s)
    echo(f"Home: {home}.")
    echo(pool_text(answers.pool, planned.day, PLAIN) + ".")
    if days is not None:
        echo(f"{drawn_text(days, PLAIN)}. {moved_by_text(days, PLAIN)}.")
        echo(f"  {spread_text(days.spread, PLAIN)}.")
    for each in answers.pulled:
        echo(f"  {lever_title(each, PLAIN)}: {'; '.join(lever_lines(each, PLAIN))}")


def _start_text(moved_s: float, home_by_s: float) -> str:
    home = PLAIN.time_of_day(home_by_s)
    if math.isinf(moved_s):
        return f"However early it starts, not all is verified by {home}."
    way = "later" if moved_s >= 0 else "earlier"
    by = PLAIN.duration(abs(moved_s) // 60 * 60)
    return f"To be home by {home} the day may start at most {by} {way}." if moved_s >= 0 else (
        f"To be home by {home} the day has to start {by} {way}."
    )  # fmt: skip


def _finite(at_s: float) -> float | None:
    return at_s if math.isfinite(at_s) else None


def _as_json(
    planned: PlannedDay, answers: DayAnswers, days: DrawnDays | None, moved_s: float | None
) -> dict[str, object]:
    run = planned.run
    found: dict[str, object] = {
        "day": planned.number,
        "station": planned.station or None,
        "computer": planned.host.key,
        "evidence": "computed",
        "last_verified_copy": moment(run.last_verified_s, PLAIN),
        "last_verified_copy_s": _finite(run.last_verified_s),
        "safe_to_wipe_all_s": _finite(run.last_safe_s),
        "wrap_s": _finite(run.wrap_s),
        "home_s": {who: _finite(at_s) for who, at_s in run.home_s},
        "waits": [
            {
                "camera": wait.camera_key,
                "from_s": wait.from_s,
                "until_s": _finite(wait.until_s),
                "wait_s": _finite(wait.duration_s),
                "card": wait.card_tag or None,
                "is_inside_take": wait.is_inside_take,
            }
            for wait in run.waits
        ],
        "smallest_pool": {
            "cards": dict(answers.pool.counts),
            "is_proved": answers.pool.is_proved,
            "last_verified_copy_s": _finite(answers.pool.run.last_verified_s),
        },
        "cards": [
            {
                "camera": trip.camera_key,
                "card": trip.card_tag,
                "bytes": trip.card_bytes,
                "out_s": trip.out_s,
                "arrives_s": trip.arrives_s,
                "copy_start_s": _finite(trip.start_s),
                "copied_s": _finite(trip.copied_s),
                "verified_s": {each.drive_tag: _finite(each.done_s) for each in trip.on},
                "safe_to_wipe_s": _finite(trip.safe_s),
                "back_s": _finite(trip.free_s),
            }
            for trip in run.trips
        ],
        "drives": [
            {
                "copy": each.copy.name,
                "unit": each.tag,
                "port": each.placed[0].port_key if each.placed else None,
                "by_day": [
                    {"day": d.day, "unit": each.copy.unit_tags[d.drive], "free_bytes": d.free_bytes,
                     "day_bytes": d.day_bytes, "fits": d.fits}
                    for d in each.filled
                ],
            }
            for each in planned.copies
        ],
        "later": [
            {
                "copy": each.copy.name,
                "unit": each.copy.drive.tag,
                "from": each.copy.from_tag,
                "bytes": each.size_bytes,
                "start_s": _finite(each.start_s),
                "copied_s": _finite(each.copied_s),
                "verified_s": _finite(each.verified_s),
                "is_whole": each.is_whole and each.has_room,
            }
            for each in planned.later
        ],
        "safe_to_wipe_with_later_s": _finite(safe_with_later_s(run, planned.later)),
        "without_room": [{"card": card, "drive": drive} for card, drive in run.without_room],
        "notes": list(planned.notes),
        "levers": [
            {
                "lever": each.lever.kind.value,
                "of": each.lever.subject or None,
                "with": each.lever.with_what or None,
                "waits_s": _finite(each.run.waited_s),
                "last_verified_copy_s": _finite(each.run.last_verified_s),
                "is_a_risk": each.is_a_risk,
            }
            for each in answers.pulled
        ],
    }  # fmt: skip
    if days is not None:
        found["p50"] = moment(days.percentile_s(50), PLAIN)
        found["p90"] = moment(days.percentile_s(90), PLAIN)
        found["p90_s"] = _finite(days.percentile_s(90))
        found["drawn_days"] = int(days.last_verified_s.size)
        found["waits_on_share_of_days"] = {key: days.waits_share(key) for key in days.waited_s}
        found["moved_by"] = dict(days.moved_by)
    if moved_s is not None:
        found["latest_start_moves_by_s"] = _finite(moved_s)
    return found
