"""vast-cellar cellar: what is found on the shelf, and what happened to its units."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import Any

import click

from vastcellar.cli.cellar_keeping import (
    backup_command,
    check_command,
    export_command,
    import_command,
    merge_command,
    restore_command,
    trace_command,
    use_command,
)
from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.quantities import Quantity, parse_price
from vastcellar.cli.running import is_demo
from vastcellar.core.cellar.story import EventKind, Incident, day_of
from vastcellar.core.errors import BadValueError
from vastcellar.core.units import PLAIN, parse_share
from vastcellar.services.cellar.finding_wording import finding_words
from vastcellar.services.cellar.story_wording import day_words, event_words
from vastcellar.services.cellar.unit_edits import Noted, incident, lend, look_after, note, take_back
from vastcellar.services.cellar.unit_memory import Remembered, UnitMemory
from vastcellar.services.cellar.unit_page import unit_figures, unit_lines
from vastcellar.services.cellar.unit_photos import (
    add_photo,
    photos_of,
    read_new_photo,
    save_photos,
)
from vastcellar.services.plugged.own_account import ask_worn
from vastcellar.services.workplace.workplace import Workplace, open_workplace, require_unit

_JSON = click.option("--json", "as_json", is_flag=True, help="Print JSON.")
_NOTE = click.option("--note", "said", default="", help="Anything worth knowing.")
_ON = click.option("--on", "day", default="", help="The day, as 2026-11-27; today without it.")


@click.group("cellar")
def cellar_command() -> None:
    """What the tool found on the shelf by itself, and the story of each unit."""


for _each in (export_command, import_command, merge_command, check_command, backup_command,
              restore_command, trace_command, use_command):  # fmt: skip
    cellar_command.add_command(_each)


@cellar_command.command()
@click.option("--all", "shows_quiet", is_flag=True, help="Also what was looked after.")
@_JSON
def findings(shows_quiet: bool, as_json: bool) -> None:
    """List what was found by itself, the worst first."""
    workplace = open_workplace(demo=is_demo())
    try:
        known = _remember(workplace)
    finally:
        workplace.close()
    shown = [(each, False) for each in known.findings]
    shown += [(each, True) for each in known.quiet] if shows_quiet else []
    rows: list[dict[str, Any]] = []
    for number, (each, is_quiet) in enumerate(shown, 1):
        words = finding_words(each, known.facts[each.tag], workplace.catalog, PLAIN)
        rows.append({
            "number": number, "tag": each.tag, "kind": each.kind.value,
            "harm": each.harm.name.lower(), "says": words.line, "evidence": words.evidence,
            "runs": list(each.run_ids), "looked_after": is_quiet,
            "next": [{"do": s.what, "means": s.means, "duration_s": s.duration_s}
                     for s in words.steps],
        })  # fmt: skip
    if as_json:
        print_json({"findings": rows, "simulated": workplace.is_demo})
        return
    for row in rows:
        hushed = " (looked after)" if row["looked_after"] else ""
        echo(f"{row['number']}. {row['tag']}: {row['says']}{hushed}. {row['evidence']}")
        for step in row["next"]:
            took = f" ({PLAIN.duration(step['duration_s'])})" if step["duration_s"] else ""
            means = f": {step['means']}" if step["means"] else ""
            echo(f"     {step['do']}{took}{means}.")
    if not rows:
        echo("Nothing to look at.")


@cellar_command.command()
@click.argument("tag")
@_JSON
def show(tag: str, as_json: bool) -> None:
    """Show all that is known of the unit TAG: its rate over time, wear, stays, loans, story."""
    workplace = open_workplace(demo=is_demo())
    try:
        known = _remember(workplace)
        require_unit(known.shelf, tag)
    finally:
        workplace.close()
    if as_json:
        print_json(unit_figures(known, tag, workplace.catalog, date.today()))
        return
    for line in unit_lines(known, tag, workplace.catalog, PLAIN, date.today()):
        echo(line)


@cellar_command.command()
@click.argument("tag")
@click.argument("kind", default="")
@_NOTE
def looked(tag: str, kind: str, said: str) -> None:
    """Say that a finding of TAG was looked after: quiet until there is something new to it."""
    workplace = open_workplace(demo=is_demo())
    try:
        mine = [e for e in _remember(workplace).of(tag) if not kind or e.kind.value == kind]
        if not mine:
            raise BadValueError(
                "nothing is found there", where=f"unit {tag}",
                mend='"cellar findings" lists what there is',
            )  # fmt: skip
        for each in mine:
            look_after(workplace, each, said)
    finally:
        workplace.close()
    echo(f"{tag}: {', '.join(each.kind.value for each in mine)}: looked after.")


@cellar_command.command()
@click.argument("tag")
@click.option("--to", required=True, help="Who has it: a role or a name.")
@click.option("--due", default="", help="When it is to be back, as 2026-12-24.")
@_ON
@_NOTE
def lent(tag: str, to: str, due: str, day: str, said: str) -> None:
    """Note that the unit TAG was lent."""
    due_on = day_of(due, "--due", "loan") if due else None
    _noted(lambda at: lend(at, tag, to, due_on, on=_day(day), said=said))


@cellar_command.command()
@click.argument("tag")
@_ON
@_NOTE
def back(tag: str, day: str, said: str) -> None:
    """Note that the unit TAG came back."""
    _noted(lambda at: note(at, tag, EventKind.RETURNED, on=_day(day), said=said))


@cellar_command.command("incident")
@click.argument("tag")
@click.argument("what", type=click.Choice([each.value for each in Incident]))
@_ON
@_NOTE
def incident_command(tag: str, what: str, day: str, said: str) -> None:
    """Note what went wrong with the unit TAG; some of it voids what was proved before."""
    _noted(lambda at: incident(at, tag, what, on=_day(day), said=said))


@cellar_command.command()
@click.argument("tag")
@click.argument("where")
@_ON
@_NOTE
def place(tag: str, where: str, day: str, said: str) -> None:
    """Note where the unit TAG is kept from then on."""
    _noted(lambda at: note(at, tag, EventKind.PLACE, on=_day(day), said=said, place=where))


@cellar_command.command()
@click.argument("tag")
@click.option("--price", type=Quantity("price", parse_price), help="In the catalog's currency.")
@click.option("--seller", default="")
@click.option("--warranty-until", "until", default="", help="As 2029-11-26.")
@click.option("--used", "is_used", is_flag=True, help="Others wrote to it before.")
@_ON
@_NOTE
def bought(
    tag: str, price: float | None, seller: str, until: str, is_used: bool, day: str, said: str
) -> None:
    """Note when and for how much the unit TAG was bought."""
    if until:
        day_of(until, "--warranty-until", f"unit {tag}")
    _noted(
        lambda at: note(
            at, tag, EventKind.BOUGHT, on=_day(day), said=said, price=price, seller=seller or None,
            currency=at.catalog.currency if price else None, warranty_until=until or None,
            is_used=is_used or None,
        )
    )  # fmt: skip


@cellar_command.command()
@click.argument("tag")
@click.argument("used", required=False)
@_ON
@_NOTE
def wear(tag: str, used: str | None, day: str, said: str) -> None:
    """Note what the drive of TAG itself says is used of its endurance, as "12 %".

    Without a share the drive is asked, where it is plugged in.
    """
    share = parse_share(used, where="wear") if used else _asked_worn(tag)
    _noted(lambda at: note(at, tag, EventKind.WEAR, on=_day(day), said=said, used_share=share))


@cellar_command.command()
@click.argument("tag")
@click.option("--wiped", default="", help="How it was wiped; nobody knows later.")
@_ON
@_NOTE
def retire(tag: str, wiped: str, day: str, said: str) -> None:
    """Retire the unit TAG, with a note on how it was wiped."""
    _noted(lambda at: note(at, tag, EventKind.RETIRED, on=_day(day), said=said, wiped=wiped))


@cellar_command.command()
@click.argument("tag")
@click.argument("file", type=click.Path(path_type=Path))
@_ON
@_NOTE
def photo(tag: str, file: Path, day: str, said: str) -> None:
    """Keep the photo in FILE with the unit TAG; the file isn't needed any more."""
    new = read_new_photo(file)
    _noted(lambda at: add_photo(at, tag, new, on=_day(day), said=said))


@cellar_command.command()
@click.argument("tag")
@click.argument("folder", type=click.Path(path_type=Path))
def photos(tag: str, folder: Path) -> None:
    """Save all photos of the unit TAG as files in FOLDER; nothing there is overwritten."""
    workplace = open_workplace(demo=is_demo())
    try:
        shelf = workplace.shelf()
        require_unit(shelf, tag)
        saved = save_photos(photos_of(workplace, shelf.story(tag)), tag, folder)
    finally:
        workplace.close()
    for path in saved:
        echo(str(path))


@cellar_command.command("take-back")
@click.argument("number", type=int)
def take_back_command(number: int) -> None:
    """Take a note back, by its NUMBER."""
    workplace = open_workplace(demo=is_demo())
    try:
        take_back(workplace, number)
    finally:
        workplace.close()
    echo(f"Taken back: {number}.")


def _noted(make: Any) -> None:
    workplace = open_workplace(demo=is_demo())
    try:
        made: Noted = make(workplace)
        event = next(e for e in workplace.shelf().events if e.event_id == made.event_id)
        words = event_words(event, workplace.catalog, PLAIN)
    finally:
        workplace.close()
    echo(f"{event.unit_tag}, {day_words(event.at)}: {words}. (Note {made.event_id})")


def _asked_worn(tag: str) -> float:
    workplace = open_workplace(demo=is_demo())
    try:
        return ask_worn(workplace, tag)
    finally:
        workplace.close()


def _day(text: str) -> date | None:
    return day_of(text, "--on", "day") if text else None


def _remember(workplace: Workplace) -> Remembered:
    return UnitMemory().remember(
        workplace.shelf(), workplace.catalog, date.today(), is_demo=workplace.is_demo
    )
