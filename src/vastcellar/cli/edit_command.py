"""vast-cellar edit and timeline: how many streams a store holds, and what a cut asks for."""

from __future__ import annotations

import math
from pathlib import Path

import click

from vastcellar.cli.known_shelf import known_shelf
from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.quantities import Quantity
from vastcellar.core.edit.editors import Spell
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.units import PLAIN, parse_rate
from vastcellar.services.edit.edit_planning import PlannedEdit, PlannedStore, plan_edit
from vastcellar.services.edit.edit_wording import (
    cut_text,
    evidence_line,
    given_name,
    headline,
    help_lines,
    help_title,
    limit_line,
    measured_cut_text,
    months_line,
    position,
    rebuild_line,
    spell_line,
    store_line,
    used_name,
)
from vastcellar.services.edit.helping import Help, helps_for
from vastcellar.services.edit.plans import edit_in_file
from vastcellar.services.edit.timelines import timeline_demand
from vastcellar.services.shoot.shoots import shoot_in_file
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import folders

_PATH = click.Path(path_type=Path)


@click.command("edit")
@click.argument("edit_file", type=_PATH)
@click.option("--shoot", "shoot_file", type=_PATH, help="Whose cameras' formats are played.")
@click.option("--demo", is_flag=True, help="With the demo's catalog.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def edit_command(edit_file: Path, shoot_file: Path | None, demo: bool, as_json: bool) -> None:
    """Say how many streams each store of EDIT_FILE holds, what limits it, and what would help."""
    places = folders(demo=demo)
    catalog = read_catalog(places)
    shoot: Shoot | None = shoot_in_file(shoot_file, catalog) if shoot_file else None
    plan = edit_in_file(edit_file)
    is_on_shelf = any(each.unit_tag for each in plan.stores)
    records = known_shelf(places, demo=demo).records if is_on_shelf else ()
    edit = plan_edit(plan, catalog, shoot, edit_file.parent, records=records)
    helping = helps_for(edit, catalog, shoot)
    if as_json:
        print_json(_as_json(edit, helping))
        return
    for note in edit.notes:
        echo(f"note: {note}")
    if edit.cut is not None:
        echo(f"{cut_text(edit.cut, PLAIN)}.")
    for each in edit.stores:
        echo(f"{each.setup.name}: {store_line(each)}")
        echo(f"  {headline(each)}: {each.verdict.value} ({evidence_line(each)}).")
        echo(f"  {limit_line(each, PLAIN)}")
        for spell in each.spells:
            echo(f"  {spell_line(spell, PLAIN)}.")
        if played := measured_cut_text(each, PLAIN):
            echo(f"  {played}.")
        echo(f"  {rebuild_line(each, PLAIN)} {months_line(each, PLAIN)}")
    if edit.chosen is not None:
        for help_ in helping:
            told = "; ".join(help_lines(help_, edit.chosen, PLAIN))
            echo(f"  {'' if help_.helps else 'would not help: '}{help_title(help_)}: {told}")


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _as_json(edit: PlannedEdit, helping: tuple[Help, ...]) -> dict[str, object]:
    chosen = edit.chosen
    found: dict[str, object] = {}
    if chosen is not None:
        found |= _store_json(chosen)
    found["stores"] = [_store_json(each) for each in edit.stores]
    found["notes"] = list(edit.notes)
    found["helps"] = [
        {
            "change": each.kind.value,
            "with": each.subject,
            "price": each.price,
            "helps": each.helps,
            "streams_held": each.planned.ladder.held,
            "verdict": each.planned.verdict.value,
        }
        for each in helping
    ]
    return found


def _spell_json(spell: Spell) -> dict[str, object]:
    return {
        "from_s": spell.start_s,
        "to_s": spell.end_s,
        "editors": [desk.name for desk in spell.desks],
        "streams": spell.streams,
        "asked_bytes_per_s": spell.asked_bytes_per_s,
        "limit": used_name(spell.limit),
        "used_shares": {used_name(used): used.share for used in spell.used},
        "is_held": spell.is_held,
        "late_frames_per_minute": spell.late_frames_per_minute,
    }


def _store_json(each: PlannedStore) -> dict[str, object]:
    array, rebuild, jump = each.store.array, each.rebuild, each.jump
    played, measured = each.played, each.measured_cut
    worst = played.worst if played else None
    return {
        "store": each.setup.name,
        "streams_held": each.ladder.held,
        "streams_wanted": each.streams,
        "verdict": each.verdict.value,
        "evidence": each.evidence.value,
        "limit": given_name(each.ladder.limit),
        "limit_bytes_per_s": each.ladder.limit.bytes_per_s,
        "stream_bytes_per_s": each.load.stream.bytes_per_s,
        "rungs": [
            {
                "streams": rung.streams,
                "asked_bytes_per_s": rung.asked_bytes_per_s,
                "given_bytes_per_s": {given_name(g): g.bytes_per_s for g in rung.given},
                "late_frames_per_minute": rung.late_frames_per_minute,
            }
            for rung in each.ladder.rungs
        ],
        "usable_bytes": array.usable_bytes,
        "protective_bytes": array.protective_bytes,
        "wasted_bytes": array.wasted_bytes,
        "rebuild_seconds": _finite(rebuild.seconds),
        "unreadable_risk": rebuild.unreadable_risk,
        "streams_while_rebuilding": each.rebuilding.held if rebuild.is_possible else 0,
        "first_frame_s": {"p50": jump.half_s, "p99": jump.most_s},
        "scrub_frames_per_s": each.scrub.shown_per_s,
        "hours": [_spell_json(spell) for spell in each.spells],
        "project_opens_s": each.opens_in_s,
        "full_after_months": _finite(each.months.full_after_months),
        "price": each.store.price or None,
        "price_per_usable_tb": _finite(each.price_per_tb),
        "price_per_held_stream": _finite(each.price_per_stream),
        "late_frames_of_cut": played.late_frames if played else None,
        "worst_late_s": worst.start_s if worst else None,
        "worst_late_clips": list(worst.clips) if worst else None,
        "measured_cut": {
            "run": measured.run_id,
            "from_s": measured.from_s,
            "duration_s": measured.duration_s,
            "frames": measured.frames,
            "late_frames": measured.late_frames,
            "worst_second_s": measured.worst_second_s,
        }
        if measured
        else None,
    }


@click.command("timeline")
@click.argument("timeline_file", type=_PATH)
@click.option(
    "--rate",
    "rate_bytes_per_s",
    type=Quantity("rate", parse_rate),
    default=None,
    help="Of clips whose media isn't here: '92.2 MB/s'.",
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def timeline_command(timeline_file: Path, rate_bytes_per_s: float | None, as_json: bool) -> None:
    """Say what the cut in TIMELINE_FILE (OpenTimelineIO) reads, second by second, at its worst."""
    cut = timeline_demand(timeline_file, rate_bytes_per_s or 0.0)
    demand, worst = cut.demand, cut.demand.worst_second
    if as_json:
        print_json(
            {
                "name": cut.name,
                "duration_s": demand.duration_s,
                "clips": len(demand.clips),
                "total_bytes": demand.total_bytes,
                "peak_bytes_per_s": demand.peak_bytes_per_s,
                "worst_second_bytes_per_s": worst.read_bytes,
                "worst_second_start_s": worst.start_s,
                "worst_second_clips": list(worst.clips),
                "most_streams": int(demand.streams.max(initial=0)),
                "rates_known_by": dict(cut.known_by),
                "missing_media": cut.missing_media,
                "left_out": list(cut.left_out),
            }
        )
        return
    echo(f"{cut_text(cut, PLAIN)}.")
    echo(
        f"Its worst second begins at {position(worst.start_s)}: "
        f"{PLAIN.rate(worst.read_bytes)}, by {', '.join(worst.clips[:4])}."
    )
    if cut.left_out:
        echo(f"Left out: {', '.join(cut.left_out[:6])}.")
