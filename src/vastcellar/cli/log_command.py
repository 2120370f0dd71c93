"""vast-cellar log: cards that were copied, where a clip is, read back again, noted as wiped."""

from __future__ import annotations

import threading
from datetime import date, datetime
from pathlib import Path

import click

from vastcellar.cli.exit_codes import CANCELLED, SENTENCE
from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import stopping_signals
from vastcellar.core.errors import BadValueError
from vastcellar.core.units import PLAIN
from vastcellar.services.roll.day_log import (
    KeptCopy,
    WipeRule,
    check_again,
    copy_numbered,
    find_clips,
    log_csv,
    log_lines,
    log_of,
    note_wiped,
    state_of,
)
from vastcellar.services.workplace.exports import save_bytes, write_text_whole
from vastcellar.services.workplace.folders import folders
from vastcellar.services.workplace.workplace import Workplace, open_workplace


@click.command("log")
@click.option("--day", "day_text", default="", help="Only this day, as 2026-11-27.")
@click.option("--find", "wanted", default="", help="Where is this clip, on how many copies?")
@click.option("--check", "check_id", type=int, help="Read the copies of card NUMBER back again.")
@click.option("--wiped", "wiped_id", type=int, help="Note that card NUMBER was wiped.")
@click.option("--card", "typed", default="", help="With --wiped: what stands on the card's label.")
@click.option("--copies", default=2, help="Verified copies that a card needs before it is wiped.")
@click.option("--csv", "csv_path", type=click.Path(path_type=Path), help="Save as CSV.")
@click.option("--pdf", "pdf_path", type=click.Path(path_type=Path), help="Save as PDF.")
@click.option("--demo", is_flag=True, help="The demo's log instead of your own.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.pass_context
def log_command(
    ctx: click.Context, day_text: str, wanted: str, check_id: int | None, wiped_id: int | None,
    typed: str, copies: int, csv_path: Path | None, pdf_path: Path | None, demo: bool,
    as_json: bool,
) -> None:  # fmt: skip
    """List the cards that were copied, newest first."""
    rule = WipeRule(copies)
    day = _day(day_text)
    workplace = open_workplace(demo=demo, places=folders(demo=demo))
    try:
        if check_id is not None:
            _check(ctx, workplace, copy_numbered(workplace, check_id))
        if wiped_id is not None:
            note_wiped(workplace, copy_numbered(workplace, wiped_id), typed, rule)
        kept = log_of(workplace, day)
    finally:
        workplace.close()
    if csv_path is not None:
        write_text_whole(csv_path, log_csv(kept))
    if pdf_path is not None:
        from vastcellar.report.log_sheet import log_sheet_pdf  # half a second, only for paper

        save_bytes(pdf_path, log_sheet_pdf("Log", day, kept, rule, PLAIN))
    if wanted:
        _print_clips(wanted, kept, as_json=as_json)
    elif as_json:
        print_json({"copies": [_as_json(each, rule) for each in kept]})
    else:
        for each in kept:
            first, *rest = log_lines(each, rule, PLAIN)
            echo(f"{each.copy_id}: {each.made_at.astimezone().date().isoformat()} {first}")
            for line in rest:
                echo(f"    {line}")
        if not kept:
            echo("No card was copied.")


def _day(text: str) -> date | None:
    if not text:
        return None
    try:
        return datetime.strptime(text, "%Y-%m-%d").date()
    except ValueError as error:
        raise BadValueError(
            f"{text!r} is no day", where="--day", mend="Write it as 2026-11-27"
        ) from error


def _check(ctx: click.Context, workplace: Workplace, copy: KeptCopy) -> None:
    stop = threading.Event()
    wrong = []
    with stopping_signals(stop.set):
        for each in check_again(workplace, copy, stop):
            if each.state.value != "same":
                wrong.append(each)
                echo(f"{each.path}: {each.state}", err=True)
    if stop.is_set():
        ctx.exit(CANCELLED)
    if wrong:
        ctx.exit(SENTENCE)


def _print_clips(wanted: str, kept: tuple[KeptCopy, ...], *, as_json: bool) -> None:
    found = find_clips(wanted, kept)
    if as_json:
        print_json(
            {
                "clips": [
                    {
                        "path": each.path,
                        "size_bytes": each.size_bytes,
                        "card": each.card_name,
                        "made_at": each.made_at.isoformat(timespec="seconds"),
                        "verified_copies": each.verified_copies,
                        "verified_at": list(each.verified_at),
                    }
                    for each in found
                ]
            }
        )
        return
    for each in found:
        where = ", ".join(each.verified_at) or "nowhere verified"
        echo(
            f"{each.path} of {each.card_name}, {PLAIN.size(each.size_bytes)}: "
            f"{each.verified_copies} verified copies ({where})"
        )
    if not found:
        echo(f"No clip that was copied has {wanted!r} in its name.")


def _as_json(copy: KeptCopy, rule: WipeRule) -> dict[str, object]:
    verdict, state = state_of(copy, rule)
    return {
        "number": copy.copy_id,
        "card": copy.card_name,
        "source": copy.outcome.source,
        "made_at": copy.made_at.isoformat(timespec="seconds"),
        "who": copy.who or None,
        "files": len(copy.outcome.files),
        "size_bytes": copy.outcome.size_bytes,
        "safe_to_wipe": verdict.value == "holds",
        "state": state,
        "checked_at": copy.checked_at.isoformat(timespec="seconds") if copy.checked_at else None,
        "wiped_at": copy.wiped_at.isoformat(timespec="seconds") if copy.wiped_at else None,
        "destinations": [
            {"folder": each.name, "unit": place.unit_tag or None,
             "counts_not_because": each.counts_not_because, "dropped_by": each.dropped_by}
            for each, place in zip(copy.outcome.destinations, copy.places, strict=True)
        ],
    }  # fmt: skip
