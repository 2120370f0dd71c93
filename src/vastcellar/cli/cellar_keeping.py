"""vast-cellar cellar export, import, merge, check, backup, restore."""

from __future__ import annotations

from pathlib import Path

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import is_demo
from vastcellar.core.cellar.merging import Take
from vastcellar.core.units import PLAIN
from vastcellar.services.cellar.keeping import (
    back_up_now,
    export_csv,
    export_json,
    health,
    import_json,
    merge,
    merge_plan,
    parse_decisions,
    restore,
)
from vastcellar.services.workplace.folders import folders
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
def import_command(path: Path) -> None:
    """Take an export into a cellar that has no unit yet: all of it or nothing."""
    workplace = open_workplace(demo=is_demo())
    try:
        counts = import_json(workplace, path)
    finally:
        workplace.close()
    told = ", ".join(f"{count} {name.replace('_', ' ')}" for name, count in counts.items() if count)
    echo(f"Taken over: {told or 'an empty cellar'}.")


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


@click.command("check")
@_JSON
def check_command(as_json: bool) -> None:
    """Read all of the cellar's file and say how it is, and which backups there are."""
    places = folders(demo=is_demo())
    unreadable: set[str] = set()
    found = health(places.cellar_file, unreadable)
    if not found.wrong and found.size_bytes:
        workplace = open_workplace(demo=is_demo())
        try:
            workplace.shelf()
            unreadable = workplace.cellar.unreadable
        finally:
            workplace.close()
        found = health(places.cellar_file, unreadable)
    if as_json:
        print_json({
            "path": str(found.path), "size_bytes": found.size_bytes, "is_well": not found.wrong,
            "wrong": list(found.wrong), "unreadable": list(found.unreadable),
            "backups": [{"path": str(b.path), "made_at": b.made_at.isoformat(), "why": b.why,
                         "size_bytes": b.size_bytes} for b in found.backups],
        })  # fmt: skip
        return
    state = "damaged" if found.wrong else "whole"
    echo(f"{found.path}: {PLAIN.size(found.size_bytes)}, {state}.")
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
    aside = restore(folders(demo=is_demo()).cellar_file)
    echo(f"Restored. The damaged file is {aside}")
