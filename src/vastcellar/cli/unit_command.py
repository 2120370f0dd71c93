"""vast-cellar unit: a cellar of one's own without the window."""

from __future__ import annotations

from dataclasses import asdict, replace
from datetime import date
from pathlib import Path
from typing import Any

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.quantities import Quantity
from vastcellar.cli.running import is_demo
from vastcellar.core.parts.acceptance import DUTIES
from vastcellar.core.parts.units import Unit, free_bytes_on
from vastcellar.core.units import PLAIN, parse_size
from vastcellar.services.build.acceptance import (
    acceptance_steps,
    acceptance_tests,
    put_in_service,
    refuse,
)
from vastcellar.services.proving.binding import identity_words, release, twins
from vastcellar.services.words.acceptance_wording import acceptance_words
from vastcellar.services.words.reach_wording import proof_word
from vastcellar.services.workplace.own_units import UNIT_STATES, checked_unit
from vastcellar.services.workplace.workplace import Shelf, Workplace, open_workplace, require_unit

_JSON = click.option("--json", "as_json", is_flag=True, help="Print JSON.")
_WRITTEN = click.option(
    "--written", type=Quantity("size", parse_size), help="Over its life so far, as it reports."
)
_USED = click.option("--used", type=Quantity("size", parse_size), help="What lies on it now.")
_STATE = click.option("--state", type=click.Choice(UNIT_STATES))
_NOTE = click.option("--note", help="Anything worth knowing.")

_STORE = click.option(
    "--store", "store_file", type=click.Path(path_type=Path),
    help="An edit plan: the unit is its store, all disks as one.",
)  # fmt: skip
_STORE_NAME = click.option(
    "--store-name", default="", help="Which of its stores; else the chosen one."
)


@click.group()
def unit() -> None:
    """Put units on the shelf, list them, change what is known of one."""


@unit.command()
@click.argument("tag")
@click.option("--drive", "drive_key", default="", help="Its key in the catalog.")
@click.option("--enclosure", "enclosure_key", default="", help="The case that it stays in.")
@_STORE
@_STORE_NAME
@_WRITTEN
@_USED
@_STATE
@_NOTE
@_JSON
def add(
    tag: str, drive_key: str, enclosure_key: str, store_file: Path | None, store_name: str,
    written: int | None, used: int | None, state: str | None, note: str | None, as_json: bool,
) -> None:  # fmt: skip
    """Put the unit TAG on the shelf: a drive of the catalog, or a store of several disks."""
    if bool(drive_key) == (store_file is not None):
        raise click.UsageError("Give --drive, or --store with an edit plan.")
    workplace = open_workplace(demo=is_demo())
    try:
        if store_file is not None:
            from vastcellar.services.edit.shelved_stores import shelve

            workplace = shelve(workplace, store_file, store_name, tag)
            _tell(workplace, tag.strip(), "Added", as_json=as_json)
            return
        made = Unit(
            tag, drive_key, enclosure_key, written or 0.0, used or 0.0, state or "ready", note or ""
        )
        kept = checked_unit(made, workplace.catalog, workplace.shelf())
        workplace.cellar.add_unit(kept)
        _tell(workplace, kept.tag, "Added", as_json=as_json)
    finally:
        workplace.close()


@unit.command("list")
@_JSON
def list_units(as_json: bool) -> None:
    """List the units of the shelf."""
    workplace = open_workplace(demo=is_demo())
    try:
        shelf = workplace.shelf()
        rows = [_figures(workplace, shelf, each) for each in shelf.units]
        left_out = sorted(workplace.cellar.unreadable)
    finally:
        workplace.close()
    if as_json:
        print_json({"units": rows, "unreadable": left_out,
                    "same_device": [list(pair) for pair in twins(shelf)]})  # fmt: skip
        return
    for each in rows:
        echo(f"{each['tag']}: {each['says']}")
    if not rows:
        echo('No unit yet: vast-cellar unit add TAG --drive KEY. "match" lists drives.')
    for one, other in twins(shelf):
        echo(f"Note: {one} and {other} are bound to the same device: are labels swapped?")
    for row in left_out:
        echo(f"Note: {row} of the cellar can't be read and is left out.")


@unit.command()
@click.argument("tag")
@click.option("--tag", "new_tag", help="Its tag from now on; its runs stay with it.")
@click.option("--drive", "drive_key", help="Its key in the catalog.")
@click.option("--enclosure", "enclosure_key", help='The case that it stays in; "" for none.')
@_STORE
@_STORE_NAME
@_WRITTEN
@_USED
@_STATE
@_NOTE
@click.option("--release", "releases", is_flag=True,
              help="Let its next real run bind it to a device anew.")  # fmt: skip
@_JSON
def change(
    tag: str, new_tag: str | None, drive_key: str | None, enclosure_key: str | None,
    store_file: Path | None, store_name: str, written: int | None, used: int | None,
    state: str | None, note: str | None, releases: bool,
    as_json: bool,
) -> None:  # fmt: skip
    """Change what is known of the unit TAG."""
    workplace = open_workplace(demo=is_demo())
    try:
        if store_file is not None:
            from vastcellar.services.edit.shelved_stores import shelve

            workplace = shelve(workplace, store_file, store_name, tag, updates=True)
        shelf = workplace.shelf()
        before = require_unit(shelf, tag)
        asked = {
            "tag": new_tag, "drive_key": drive_key, "enclosure_key": enclosure_key,
            "written_bytes": written, "used_bytes": used, "state": state, "note": note,
        }  # fmt: skip
        wanted: dict[str, Any] = {k: v for k, v in asked.items() if v is not None}
        if not wanted and not releases and store_file is None:
            raise click.UsageError("Say what changes: --drive, --used, --state, --release …")
        after = checked_unit(replace(before, **wanted), workplace.catalog, shelf, before)
        workplace.cellar.change_unit(before, after)
        if releases:
            release(workplace, after.tag)
        _tell(workplace, after.tag, "Changed", as_json=as_json)
    finally:
        workplace.close()


@unit.command()
@click.argument("tag")
@click.option("--duty", required=True, type=click.Choice(DUTIES), help="What it is to do.")
@click.option("--unknown-seller", is_flag=True, help="Its capacity must be proved, too.")
@click.option("--serve", "answer", flag_value="serve", help="Put it in service.")
@click.option("--refuse", "answer", flag_value="refuse", help="Refuse it: it stands in doubt.")
@_JSON
def accept(
    tag: str, duty: str, unknown_seller: bool, answer: str | None, as_json: bool
) -> None:  # fmt: skip
    """Say which tests the unit TAG has made for a duty; put it in service, or refuse it."""
    workplace = open_workplace(demo=is_demo())
    try:
        shelf = workplace.shelf()
        before = require_unit(shelf, tag)
        asked = acceptance_tests(duty, is_seller_unknown=unknown_seller)
        steps = acceptance_steps(asked, workplace, shelf, before, PLAIN)
        after = before
        if answer is not None:
            decide = put_in_service if answer == "serve" else refuse
            after = decide(before, duty, steps, date.today())
            workplace.cellar.change_unit(before, after)
    finally:
        workplace.close()
    said = acceptance_words(after.acceptance) if after.acceptance else ""
    if as_json:
        tests = [
            {"kind": each.test.kind, "outcome": each.outcome, "run": each.run_id or None,
             "simulated": each.is_simulated, "says": each.said, "mend": each.mend or None}
            for each in steps
        ]  # fmt: skip
        print_json({"tag": tag, "duty": duty, "tests": tests, "state": after.state, "says": said})
        return
    for each in steps:
        mend = f". To mend it: {each.mend}" if each.mend else ""
        echo(f"{each.outcome}: {each.test.words}. {each.said}{mend}.")
    if said:
        echo(f"{tag}: {said}.")


def _tell(workplace: Workplace, tag: str, word: str, *, as_json: bool) -> None:
    shelf = workplace.shelf()
    figures = _figures(workplace, shelf, require_unit(shelf, tag))
    if as_json:
        print_json(figures)
    else:
        echo(f"{word} {tag}: {figures['says']}")


def _figures(workplace: Workplace, shelf: Shelf, each: Unit) -> dict[str, Any]:
    drive = workplace.catalog.drives.get(each.drive_key)
    case = workplace.catalog.enclosures.get(each.enclosure_key)
    proof = shelf.standing_proofs.get(each.tag)
    name = drive.name if drive else each.drive_key
    parts = [f"{name} in {case.name}" if case else name, each.state]
    if drive:
        parts.append(f"{PLAIN.size(free_bytes_on(drive, each))} free")
    parts.append(proof_word(proof))
    if each.acceptance:
        parts.append(acceptance_words(each.acceptance))
    if each.device:
        parts.append(f"bound to {identity_words(each.device)}")
    return {
        "tag": each.tag,
        "drive": each.drive_key,
        "enclosure": each.enclosure_key or None,
        "written_bytes": each.written_bytes,
        "used_bytes": each.used_bytes,
        "state": each.state,
        "note": each.note,
        "device": asdict(each.device) if each.device else None,
        "acceptance": asdict(each.acceptance) if each.acceptance else None,
        "newest_proof": proof.run_id if proof else None,
        "says": ", ".join(parts),
    }
