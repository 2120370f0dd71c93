"""vast-cellar copy and verify: a card to several drives in one read, and read back again."""

from __future__ import annotations

import contextlib
import gc
import sys
import threading
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from vastcellar.cli.exit_codes import CANCELLED, ENDED_BY_DISK, SENTENCE
from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import stopping_signals
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.roll.copies import CopyOutcome, CopyState, WipeRule
from vastcellar.core.units import PLAIN
from vastcellar.services.roll.bags import ALGORITHM, PAYLOAD, bag_folders
from vastcellar.services.roll.copy_wording import outcome_figures, outcome_lines
from vastcellar.services.roll.copying import (
    CopyProgress,
    CopyRun,
    Papers,
    can_go_on,
    copy_run,
    run_copy,
)
from vastcellar.services.roll.follow import (
    PAUSE,
    RESUME,
    ended_line,
    now_line,
    refused_line,
)
from vastcellar.services.roll.verifying import Checked, check_list, lists_in
from vastcellar.services.workplace.folders import Folders, folders

_TURN_S = 0.05
_FOLDER = click.Path(path_type=Path)


@click.command("copy")
@click.argument("source", type=_FOLDER)
@click.argument("destinations", type=_FOLDER, nargs=-1, required=True)
@click.option("--name", default="", help="Of the folder that is made; else the card's own.")
@click.option("--algorithm", default="xxh128", help="xxh128, or sha256.")
@click.option("--verify/--no-verify", default=True, help="Read every copy back and compare.")
@click.option("--resume", is_flag=True, help="Only go on with a copy that was cut off.")
@click.option("--copies", default=2, help="Verified copies that a card needs before it is wiped.")
@click.option("--bag", is_flag=True, help="Hand it over as a BagIt bag (RFC 8493, sha256).")
@click.option("--log/--no-log", "logs", default=True, help="Keep it in the log of copied cards.")
@click.option("--who", default="", help="Who copies it, for the log.")
@click.option("--demo", is_flag=True, help="Keep it in the demo's log.")
@click.option("--data", "data_folder", type=_FOLDER, hidden=True)
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option("--follow", is_flag=True, help="Print JSON lines; takes pause, resume and stop.")
@click.pass_context
def copy_command(
    ctx: click.Context, source: Path, destinations: tuple[Path, ...], name: str, algorithm: str,
    verify: bool, resume: bool, copies: int, bag: bool, logs: bool, who: str, demo: bool,
    data_folder: Path | None, as_json: bool, follow: bool,
) -> None:  # fmt: skip
    """Copy the card SOURCE into a folder of its name in each of DESTINATIONS.

    It is read once; every copy is flushed, read back past the host's memory and compared. Nothing
    that stands there is overwritten; nothing of the card is changed. Run again it goes on where it
    was cut off.
    """
    try:
        card_name = name or source.resolve().name
        targets: Sequence[Path] = destinations
        if bag:
            asked = copy_run(source, destinations, name=card_name, algorithm=ALGORITHM)
            name, algorithm, targets = PAYLOAD, ALGORITHM, bag_folders(asked.plan)
        run = copy_run(source, targets, name=name, algorithm=algorithm, verifies=verify)
        if resume and not can_go_on(run.plan):
            raise BadValueError(
                "no copy of this name was cut off there",
                where=str(destinations[0]),
                mend="Leave --resume out to begin it",
            )
        if copies < 1:
            raise BadValueError("no copy is no rule", where="--copies", mend="Give 1 or more")
        places = _places(data_folder, demo=demo)
        known = ""
        if logs and not follow:
            known = _say_what_card(run, places, as_json=as_json)
        said: list[str] = []
        papers = Papers()
        going = run_copy(run, said=said, papers=papers, is_bag=bag)
        outcome = _followed(run, going) if follow else _made(run, going, quiet=as_json)
    except VastCellarError as error:
        if not follow:
            raise
        click.echo(refused_line(str(error)))
        ctx.exit(SENTENCE)
    rule = WipeRule(copies)
    figures = outcome_figures(outcome, rule)
    names: list[str] = []
    kept_lines = []
    if logs:
        kept_lines = _kept_in_log(run, outcome, who, card_name, places, figures, names)
    lines = outcome_lines(outcome, rule, PLAIN, names)
    said += [f"No list beside it: {each}" for each in papers.troubles]
    lines[-1:-1] = said  # whether the card may be wiped stays the last word
    figures["notes"] = said
    _say_bags(papers, figures, lines, is_bag=bag)
    lines += kept_lines
    figures["recognised"] = known or None
    if follow:
        click.echo(ended_line(outcome, figures, lines))
    elif as_json:
        print_json({**figures, "lists": [str(each) for each in papers.lists]})
    else:
        for line in lines:
            echo(line)
    _keep_pictures(run, outcome, places, logs=logs)
    if papers.no_bag is not None:
        raise papers.no_bag
    ctx.exit(_exit_code(outcome, verifies=verify))


def _say_bags(papers: Papers, figures: dict[str, Any], lines: list[str], *, is_bag: bool) -> None:
    if not is_bag:
        return
    figures["bags"] = [str(each) for each in papers.bags]
    if papers.no_bag is not None:
        lines.insert(-1, f"No bag: {papers.no_bag}")
    lines += [f"{each} is a bag: any tool for BagIt validates it." for each in papers.bags]


def _exit_code(outcome: CopyOutcome, *, verifies: bool) -> int:
    """Return what a script learns of a copy: 0 only where every file is whole everywhere."""
    if outcome.is_cancelled:
        return CANCELLED
    if any(each.dropped_by for each in outcome.destinations):
        return ENDED_BY_DISK
    fine = (CopyState.VERIFIED if verifies else CopyState.COPIED, CopyState.VERIFIED)
    is_whole = all(one.state in fine for each in outcome.files for one in each.on)
    return 0 if is_whole else SENTENCE


def _places(data_folder: Path | None, *, demo: bool) -> Folders:
    places = folders(demo=demo)
    return replace(places, data=data_folder) if data_folder is not None else places


def _say_what_card(run: CopyRun, places: Folders, *, as_json: bool) -> str:
    """Say, before it is copied, whether the card was seen before; "" for one that wasn't."""
    # The database takes a third of a second to load: only where a log is kept.
    from vastcellar.services.roll.day_log import log_of, recognised, recognition_text
    from vastcellar.services.workplace.databases import has_cellar
    from vastcellar.services.workplace.workplace import open_workplace

    if not has_cellar(places, demo=False):
        return ""
    try:
        workplace = open_workplace(places=places)
        try:
            known = recognition_text(recognised(run.plan.source, log_of(workplace)), PLAIN)
        finally:
            workplace.close()
    except VastCellarError:
        return ""  # whatever is wrong with the log is said when the copy is kept
    if known and not as_json:
        echo(f"{known}.", err=True)
    return known


def _kept_in_log(
    run: CopyRun,
    outcome: CopyOutcome,
    who: str,
    card_name: str,
    places: Folders,
    figures: dict[str, Any],
    names: list[str],
) -> list[str]:
    """Keep the copy in the log; return what is to be said of that.

    The units that the destinations lie on are added to *names*, their folders where none is known.

    The copy stands whatever becomes of the log: a trouble with it is one more line.
    """
    from vastcellar.services.roll.copied_runs import keep_copied_runs
    from vastcellar.services.roll.day_log import keep_in_log, place_name
    from vastcellar.services.workplace.workplace import open_workplace

    figures["log"] = None
    try:
        workplace = open_workplace(places=places)
        try:
            kept = keep_in_log(workplace, run.plan, outcome, workplace.shelf(), who, card_name)
            figures["log"] = kept.copy_id
            names += [place_name(kept, number) for number in range(len(kept.places))]
            figures["units"] = list(keep_copied_runs(workplace, kept))
        finally:
            workplace.close()
    except VastCellarError as error:
        what = "as a run of its units" if figures["log"] else "in the log"
        return [f"Not kept {what}: {error}"]
    return []


def _keep_pictures(run: CopyRun, outcome: CopyOutcome, places: Folders, *, logs: bool) -> None:
    """Take pictures of the clips for the log, once all is said: a copy isn't worse without them."""
    if not logs or outcome.is_cancelled:
        return
    from vastcellar.services.roll.clip_ends import keep_clip_ends
    from vastcellar.services.workplace.workplace import open_workplace

    sys.stdout.flush()
    with contextlib.suppress(VastCellarError):
        workplace = open_workplace(places=places)
        try:
            keep_clip_ends(workplace, run.plan, outcome)
        finally:
            workplace.close()


def _made(run: CopyRun, going: Iterator[CopyProgress], *, quiet: bool) -> CopyOutcome:
    with stopping_signals(run.stop), _five_hands():
        for progress in going:
            if not quiet and progress.total_bytes:
                done = min(leg.verified_bytes for leg in progress.legs)
                whole = PLAIN.size(progress.total_bytes)
                told = f"{PLAIN.size(progress.read_bytes)} read, {PLAIN.size(done)} verified"
                click.echo(f"\r{told} of {whole} ", nl=False, err=True)
    if not quiet:
        click.echo("\r", nl=False, err=True)
    assert run.outcome is not None, "it ended without an error"
    return run.outcome


def _followed(run: CopyRun, going: Iterator[CopyProgress]) -> CopyOutcome:
    """Make the copy for a program that reads along, and does what it is told meanwhile."""

    def listen() -> None:
        for line in sys.stdin:
            {PAUSE: run.pause, RESUME: run.resume}.get(line.strip(), run.stop)()
        run.stop()  # whoever began it is gone

    threading.Thread(target=listen, daemon=True, name="told").start()
    with stopping_signals(run.stop), _five_hands():
        for progress in going:
            click.echo(now_line(progress))
    assert run.outcome is not None, "it ended without an error"
    return run.outcome


@contextlib.contextmanager
def _five_hands() -> Iterator[None]:
    """Let the hands of a copy hold the interpreter longer, and leave its garbage alone meanwhile.

    Nobody waits for an answer in this process; of many small files it saves a tenth of the time.
    """
    before = sys.getswitchinterval()
    sys.setswitchinterval(_TURN_S)
    gc.disable()
    try:
        yield
    finally:
        gc.enable()
        sys.setswitchinterval(before)


@click.command("verify")
@click.argument("copy", type=_FOLDER)
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.pass_context
def verify_command(ctx: click.Context, copy: Path, as_json: bool) -> None:
    """Read the copies in the folder COPY back again, by the lists beside them; nothing is written.

    COPY may be a list itself, also one that xxh128sum or sha256sum made.
    """
    stop = threading.Event()
    rows = []
    found = lists_in(copy)
    if not as_json:
        for refused in found.refused:
            echo(f"Passed over: {refused}", err=True)
    with stopping_signals(stop.set):
        for each in found.lists:
            for checked in check_list(each, stop):
                rows.append((each.path.name, checked))
                if checked.state is not Checked.SAME and not as_json:
                    echo(f"{checked.path}: {checked.state}" +
                         (f" ({checked.said})" if checked.said else ""))  # fmt: skip
    counts = {state.value: sum(row.state is state for _, row in rows) for state in Checked}
    if as_json:
        print_json({**counts, "is_cancelled": stop.is_set(),
                    "passed_over": [str(each) for each in found.refused],
                    "wrong": [{"list": name, "path": row.path, "state": row.state}
                              for name, row in rows if row.state is not Checked.SAME]})  # fmt: skip
    else:
        size = PLAIN.size(sum(row.size_bytes for _, row in rows))
        told = ", ".join(f"{count} {state}" for state, count in counts.items() if count)
        echo(f"{told or 'nothing was listed'}, {size} read.")
    if stop.is_set():
        ctx.exit(CANCELLED)
    if found.refused or any(row.state is not Checked.SAME for _, row in rows):
        ctx.exit(SENTENCE)
