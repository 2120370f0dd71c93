"""vast-cellar rescued: runs that the cellar couldn't take when they ended."""

from __future__ import annotations

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import is_demo
from vastcellar.services.workplace.rescuing import keep_rescued, rescued_runs
from vastcellar.services.workplace.workplace import open_workplace


@click.command()
@click.option("--keep", is_flag=True, help="Put them into the cellar now.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def rescued(keep: bool, as_json: bool) -> None:
    """List runs that wait to be kept, because the cellar was full, locked or gone at their end."""
    workplace = open_workplace(demo=is_demo())
    try:
        found = rescued_runs(workplace.folders)
        numbers = [keep_rescued(workplace, each) if keep else None for each in found]
    finally:
        workplace.close()
    rows = [
        {
            "file": str(each.path),
            "unit": each.record.unit_tag,
            "kind": each.record.kind,
            "measured_at": each.record.measured_at.isoformat(),
            "kept_as_run": number,
        }
        for each, number in zip(found, numbers, strict=True)
    ]
    if as_json:
        print_json({"rescued": rows})
        return
    if not rows:
        echo("No run waits to be kept.")
    for row in rows:
        kept = f", kept as run {row['kept_as_run']}" if row["kept_as_run"] else ""
        echo(f"{row['kind']} of {row['unit']}, {row['measured_at']}{kept}")
    if rows and not keep:
        echo("To put them into the cellar: vast-cellar rescued --keep")
