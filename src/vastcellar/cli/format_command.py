"""vast-cellar format-plan: which file system, and the commands to type; it formats nothing."""

from __future__ import annotations

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import is_demo
from vastcellar.core.build.formatting import School, advise
from vastcellar.core.units import PLAIN, parse_size
from vastcellar.services.build.bring_up import format_plan
from vastcellar.services.plugged.seen import device_named, plugged_in, system_at, system_of
from vastcellar.services.words.said_wording import sentence_of
from vastcellar.services.workplace.workplace import open_workplace


@click.command("format-plan")
@click.argument("device", required=False)
@click.option("--for", "writers", multiple=True, default=("camera",), show_default=True,
              help="Who must write it: camera, Linux, macOS, Windows; several times.")  # fmt: skip
@click.option("--largest", default="", help="The largest file, such as 300GB.")
@click.option(
    "--journaled", is_flag=True, help="Rather the fastest with a journal than one for all."
)
@click.option("--encrypted", is_flag=True, help="What is on it must be unreadable for others.")
@click.option("--file-system", "fs_key", default="", help="Take this one instead of the advice.")
@click.option("--tag", default="", help="Tag of the unit that it becomes.")
@click.option("--typed", default="", help="The same tag again: the commands are shown then.")
@click.option("--root", help="Another computer: a folder with its trees, or a made-up one by name.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def format_command(
    device: str | None,
    writers: tuple[str, ...],
    largest: str,
    journaled: bool,
    encrypted: bool,
    fs_key: str,
    tag: str,
    typed: str,
    root: str | None,
    as_json: bool,
) -> None:
    """Advise a file system; with DEVICE and its tag show the commands. It never formats itself."""
    workplace = open_workplace(demo=is_demo())
    try:
        catalog, shelf, places = workplace.catalog, workplace.shelf(), workplace.folders
        system = system_at(root, places) if root else system_of(places, is_demo=workplace.is_demo)
        found = plugged_in(system, shelf, catalog, asks_smart=False) if device else ()
    finally:
        workplace.close()
    seen = device_named(found, device) if device else None
    advices = advise(
        writers,
        tuple(catalog.file_systems.values()),
        largest_file_bytes=parse_size(largest, where="--largest") if largest else 0.0,
        capacity_bytes=seen.device.size_bytes if seen else 0.0,
        is_encrypted=encrypted,
        school=School.JOURNALED if journaled else School.ONE_FOR_ALL,
    )
    chosen = (
        catalog.file_system(fs_key) if fs_key else (advices[0].file_system if advices else None)
    )
    plan = None
    if seen is not None and chosen is not None:
        allocation = next((a.allocation_bytes for a in advices if a.file_system is chosen), 0)
        plan = format_plan(
            seen, found, chosen, tag=tag, typed_tag=typed, allocation_bytes=allocation, fmt=PLAIN
        )
    if as_json:
        print_json({
            "advice": [{"file_system": a.file_system.key,
                        "reasons": sentence_of(a.reasons, PLAIN),
                        "allocation_bytes": a.allocation_bytes or None} for a in advices],
            "plan": {"compare": dict(plan.compare), "commands": list(plan.commands),
                     "note": plan.note} if plan else None,
        })  # fmt: skip
        return
    if not advices:
        echo(f"No file system is written by all of {', '.join(writers)}: hand over by a copy.")
    for number, each in enumerate(advices):
        head = "Take" if number == 0 else "or"
        echo(f"{head} {each.file_system.name}: {sentence_of(each.reasons, PLAIN)}.")
    if plan is not None:
        for name, text in plan.compare:
            echo(f"  {name}: {text}")
        echo(plan.note)
        for command in plan.commands:
            echo(f"    {command}")
