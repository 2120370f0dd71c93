"""vast-cellar cellar export, import, merge, check, backup, restore."""

from __future__ import annotations

import os
from pathlib import Path

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import is_demo
from vastcellar.core.cellar.merging import Take
from vastcellar.core.cellar.story import day_of
from vastcellar.core.cellar.unit_lists import ListColumn, ListField
from vastcellar.core.errors import BadValueError
from vastcellar.core.units import PLAIN
from vastcellar.services.cellar.imported_traces import keep_trace
from vastcellar.services.cellar.keeping import (
    Health,
    back_up_now,
    export_csv,
    export_json,
    health,
    import_json,
    import_notes,
    merge,
    merge_plan,
    parse_decisions,
    restore,
    server_health,
)
from vastcellar.services.cellar.unit_lists import read_list, take_list
from vastcellar.services.workplace.databases import (
    DATABASE_VARIABLE,
    server_address,
    use_file,
    use_server,
)
from vastcellar.services.workplace.folders import Folders, folders
from vastcellar.services.workplace.workplace import open_workplace

_JSON = click.option("--json", "as_json", is_flag=True, help="Print JSON.")
_FILE = click.argument("path", type=click.Path(path_type=Path), metavar="FILE")


@click.command("export")
@_FILE
def export_command(path: Path) -> None:
    """Save the whole cellar in FILE: without loss as .json, as CSV tables as .zip."""
    if path.suffix not in (".json", ".zip"):
        raise click.UsageError("Name FILE .json (all of it, to be read again) or .zip (CSV tables)")
    workplace = open_workplace(demo=is_demo())
    try:
        counts = (export_json if path.suffix == ".json" else export_csv)(workplace, path)
    finally:
        workplace.close()
    told = ", ".join(f"{count} {name.replace('_', ' ')}" for name, count in counts.items() if count)
    echo(f"Saved in {path}: {told or 'an empty cellar'}.")


@click.command("import")
@_FILE
@click.option(
    "--column",
    "columns",
    multiple=True,
    metavar="THEIRS=FIELD",
    help="What a column of a CSV list is, said once and remembered; THEIRS= leaves it out.",
)
@click.option(
    "--drive",
    "drives",
    multiple=True,
    metavar="THEIRS=KEY",
    help="Which drive of the catalog a name in it means.",
)
@click.option("--dry-run", is_flag=True, help="Only say what would be taken over, of a CSV list.")
def import_command(
    path: Path, columns: tuple[str, ...], drives: tuple[str, ...], dry_run: bool
) -> None:  # fmt: skip
    """Take an export into a cellar that has no unit yet, or a CSV list of units into any.

    All of it or nothing. A list may have the column names of whoever keeps it: they are guessed
    where they are usual, said once where they aren't, and remembered.
    """
    workplace = open_workplace(demo=is_demo())
    try:
        if path.suffix.lower() == ".csv":
            listed = read_list(path, workplace, _pairs(columns), _pairs(drives))
            for each in listed.columns:
                echo(f"{each.name}: {_meant(each)}")
            tags = ", ".join(unit.tag for unit, _events in listed.units)
            if dry_run:
                echo(f"Would add {len(listed.units)} units: {tags}")
            else:
                echo(f"Added {take_list(workplace, listed)} units: {tags}")
            return
        if columns or drives or dry_run:
            raise click.UsageError("--column, --drive and --dry-run are for lists (.csv)")
        counts = import_json(workplace, path)
        notes = import_notes(workplace)
    finally:
        workplace.close()
    told = ", ".join(f"{count} {name.replace('_', ' ')}" for name, count in counts.items() if count)
    echo(f"Taken over: {told or 'an empty cellar'}.")
    for note in notes:
        echo(f"{note}.")


def _pairs(texts: tuple[str, ...]) -> dict[str, str]:
    pairs = {}
    for text in texts:
        name, sign, value = text.rpartition("=")
        if not sign or not name.strip():
            raise click.UsageError(f"{text!r} has no name before a =")
        pairs[name.strip()] = value.strip()
    return pairs


def _meant(column: ListColumn) -> str:
    if column.field is ListField.NOTHING:
        return "left out"
    unit = f", in {column.unit} where a number has none" if column.unit else ""
    return f"{column.field.value}{unit}"


@click.command("merge")
@_FILE
@click.option("--take", "decisions", multiple=True, help="K-07.note=theirs, one for each conflict.")
@click.option("--take-all", type=click.Choice([each.value for each in Take]), help="All others.")
@click.option("--dry-run", is_flag=True, help="Only say what would be done.")
@_JSON
def merge_command(
    path: Path, decisions: tuple[str, ...], take_all: str | None, dry_run: bool, as_json: bool
) -> None:
    """Merge the export of another cellar: units by their devices, conflicts one by one."""
    workplace = open_workplace(demo=is_demo())
    try:
        plan = merge_plan(workplace, path)
        decided = parse_decisions(decisions, plan, Take(take_all) if take_all else None)
        open_ones = [each for each in plan.conflicts if each.key not in decided]
        done = None
        if not dry_run and not open_ones:
            done = merge(workplace, path, decided)
    finally:
        workplace.close()
    new = [pair.new_tag for pair in plan.pairs if pair.mine is None]
    told = [each for pair in plan.pairs for each in pair.told]
    if as_json:
        print_json({
            "new": new, "told": told, "done": done is not None,
            "conflicts": [
                {"key": each.key, "mine": each.mine, "theirs": each.theirs,
                 "taken": decided[each.key].value if each.key in decided else None}
                for each in plan.conflicts
            ],
            "runs": done.runs if done else None, "events": done.events if done else None,
        })  # fmt: skip
        return
    for each in plan.conflicts:
        taken = f": {decided[each.key].value}" if each.key in decided else ": not decided"
        echo(f"{each.key}: {each.mine!r} here, {each.theirs!r} there{taken}")
    for line in told:
        echo(line)
    if done is not None:
        echo(f"Merged: {done.new_units} new units, {done.changed_units} changed, {done.runs} runs, "
             f"{done.events} events.")  # fmt: skip
    elif open_ones:
        echo(f"Nothing was changed: {len(open_ones)} to be decided with --take or --take-all.")
    else:
        echo(f"Would add {len(new)} units and change none without a word.")


def _health(places: Folders) -> Health:
    if server_address(places, demo=is_demo()):
        workplace = open_workplace(demo=is_demo())
        try:
            return server_health(workplace)
        finally:
            workplace.close()
    unreadable: set[str] = set()
    found = health(places.cellar_file, unreadable)
    if found.wrong or not found.size_bytes:
        return found
    workplace = open_workplace(demo=is_demo())
    try:
        workplace.shelf()
        unreadable = workplace.cellar.unreadable
    finally:
        workplace.close()
    return health(places.cellar_file, unreadable)


@click.command("check")
@_JSON
def check_command(as_json: bool) -> None:
    """Read all of the cellar and say how it is, and which backups there are."""
    found = _health(folders(demo=is_demo()))
    if as_json:
        print_json({
            "path": found.where, "size_bytes": found.size_bytes, "is_well": not found.wrong,
            "wrong": list(found.wrong), "unreadable": list(found.unreadable),
            "backups": [{"path": str(b.path), "made_at": b.made_at.isoformat(), "why": b.why,
                         "size_bytes": b.size_bytes} for b in found.backups],
        })  # fmt: skip
        return
    state = "damaged" if found.wrong else "whole"
    size = f"{PLAIN.size(found.size_bytes)}, {state}" if found.size_bytes else "it answers"
    echo(f"{found.where}: {size if found.size_bytes or not found.wrong else state}.")
    for line in found.wrong:
        echo(f"  {line}")
    for line in found.unreadable:
        echo(f"  {line} can't be read and is left out.")
    for each in found.backups:
        echo(f"Backup of {each.made_at.astimezone():%Y-%m-%d %H:%M}, {each.why}: {each.path}")
    if not found.backups:
        echo("No backup yet: vast-cellar cellar backup")


@click.command("backup")
def backup_command() -> None:
    """Make a backup of the cellar now."""
    workplace = open_workplace(demo=is_demo())
    try:
        made = back_up_now(workplace)
    finally:
        workplace.close()
    echo(f"Backed up: {made}")


@click.command("restore")
def restore_command() -> None:
    """Put the newest good backup in the place of a damaged cellar, which is kept beside it."""
    places = folders(demo=is_demo())
    if server_address(places, demo=is_demo()):
        raise BadValueError(
            "the cellar is on a server, which is put back there", where="cellar",
            mend="Its backups here are exports: import one into an empty database",
        )  # fmt: skip
    aside = restore(places.cellar_file)
    echo(f"Restored. The damaged file is {aside}")


@click.command("use")
@click.argument("address", required=False, metavar="ADDRESS")
@click.option("--file", "in_file", is_flag=True, help="In its file on this computer again.")
def use_command(address: str | None, in_file: bool) -> None:
    """Have the cellar on a PostgreSQL server that several desks share, or say where it is.

    ADDRESS as postgresql://user@host/database; the password goes into ~/.pgpass. Neither the file
    nor what is on the server is changed: "cellar export" and "cellar import" bring units along.
    """
    places = folders(demo=False)
    if in_file:
        echo(f"The cellar is in {use_file(places)}.")
    elif address:
        echo(f"The cellar is on {use_server(places, address)}.")
    else:
        workplace = open_workplace(demo=False)
        try:
            where = workplace.cellar.where
        finally:
            workplace.close()
        echo(f"The cellar is {'in' if workplace.cellar.path else 'on'} {where}.")
    if os.environ.get(DATABASE_VARIABLE) and (in_file or address):
        echo(f"{DATABASE_VARIABLE} is set, and counts before that.", err=True)


@click.command("trace")
@click.argument("tag")
@_FILE
@click.option("--on", "day", default="", help="The day it was measured, as 2026-11-27.")
@click.option("--note", "said", default="", help="With what, on which port, in which case.")
@click.option("--anyway", is_flag=True, help="Also where it is faster than the unit's link.")
@_JSON
def trace_command(tag: str, path: Path, day: str, said: str, anyway: bool, as_json: bool) -> None:
    """Keep the trace of a write that another program measured as a run of the unit TAG.

    FILE is a CSV with a time, and bytes or a rate whose units its names say. It stands in the
    unit's history and can be replayed; no verdict rests on it, since nobody noted what it was
    measured on.
    """
    workplace = open_workplace(demo=is_demo())
    try:
        on = day_of(day, "--on", "trace") if day else None
        kept = keep_trace(workplace, tag, path, on=on, said=said, anyway=anyway)
    finally:
        workplace.close()
    write = kept.figures["write"]
    if as_json:
        print_json({"tag": tag, "kind": kept.kind, **write})
        return
    rate, size = PLAIN.rate(write["bytes_per_s"], 1), PLAIN.size(write["moved_bytes"])
    echo(f"Kept as a run of {tag}: {size} at {rate}. No verdict rests on it.")
