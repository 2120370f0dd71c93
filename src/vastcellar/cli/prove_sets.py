"""vast-cellar prove protocol, compare: sets of tests, and two folders by turns."""

from __future__ import annotations

import math
from fractions import Fraction
from functools import partial
from pathlib import Path

import click

from vastcellar.cli.keeping import end_of, keep_and_tell, unit_options, workplace_for
from vastcellar.cli.printing import echo, print_json, print_lines
from vastcellar.cli.quantities import Quantity, parse_seconds
from vastcellar.cli.running import line_typed, run_to_end
from vastcellar.core.protocols.protocol_text import HINT, parse_steps
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.core.units import PLAIN, parse_frame_rate, parse_rate, parse_size
from vastcellar.services.match.chain_files import chain_in_file
from vastcellar.services.proving.alternating import (
    LEAST_TURNS,
    USUAL_TURNS,
    AlternatingEdit,
    AlternatingRun,
    difference_sentence,
    side_text,
    words_of,
)
from vastcellar.services.proving.file_proving import EditPlan
from vastcellar.services.proving.flat_proving import FlatPlan, burst_plan
from vastcellar.services.proving.keeping import keep_turns
from vastcellar.services.proving.protocol_run import ProtocolProof, ProtocolRun
from vastcellar.services.proving.protocols import (
    Protocol,
    ProtocolPlan,
    keep_own_protocol,
    own_protocol,
    plan_protocol,
    protocol_named,
)
from vastcellar.services.proving.testbeds import FolderTestbed, RigTestbed, Testbed
from vastcellar.services.runs.diagnosing import causes_text
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import folders
from vastcellar.services.workplace.workplace import (
    Workplace,
    remove_killed_tests,
)

_JSON = click.option("--json", "as_json", is_flag=True, help="Print JSON.")


@click.command()
@click.argument("places", nargs=-1, metavar="[FOLDER] [NAME]")
@click.option("--rate", type=Quantity("rate", parse_rate), help="Of the take to record, if any.")
@click.option("--frame-rate", default="25", type=Quantity("frame rate", parse_frame_rate))
@click.option("--buffer-mb", default=512, help="The camera's buffer, MB.")
@click.option("--seconds", type=Quantity("time", parse_seconds), help="Of the take, if any.")
@click.option("--link", type=Quantity("rate", parse_rate), help="What the link in use carries.")
@click.option(
    "--simulated",
    type=click.Path(path_type=Path),
    help="A chain file: run it on a simulated rig, whose pauses take no time.",
)
@click.option("--steps", help=f"In place of NAME, for example: {HINT}")
@click.option("--save-as", help="Keep these steps as a protocol of your own under this name.")
@unit_options
@click.option("--plan-only", is_flag=True, help="Say what would be done, and do nothing.")
@click.option("--yes", is_flag=True, help="Don't wait where something is to be done by hand.")
@_JSON
def protocol(
    places: tuple[str, ...],
    rate: float | None,
    frame_rate: Fraction,
    buffer_mb: int,
    seconds: float | None,
    link: float | None,
    simulated: Path | None,
    steps: str | None,
    save_as: str | None,
    unit_tag: str | None,
    binds: bool,
    plan_only: bool,
    yes: bool,
    as_json: bool,
) -> None:
    """Run the protocol NAME in FOLDER, or on a rig: a set of tests with its pauses.

    Shipped: compare, working-drive, edit-storage, warm, cooling-pair.
    """
    if len(places) > (1 if simulated else 2) or (not places and not simulated):
        raise click.UsageError("Name a FOLDER and a protocol, or --simulated CHAIN_FILE and one.")
    named = places if simulated else places[1:]
    chosen = _chosen(named, steps, save_as)
    folder = None if simulated or plan_only else Path(places[0])
    with workplace_for(unit_tag, folder, binds=binds, as_json=as_json) as workplace:
        testbed = _testbed(places, simulated, link, workplace, unit_tag or "")
        loads: tuple[RecorderLoad, ...] = ()
        if rate is not None and seconds is not None:
            loads = (RecorderLoad(rate, frame_rate, buffer_mb * 1_000_000, seconds),)
        plan = plan_protocol(chosen, testbed, loads)
        if not as_json:
            _print_plan(plan)
        elif plan_only:
            print_json(_plan_figures(plan))
        if plan_only:
            return
        run = ProtocolRun(plan, testbed, loads, lambda _: True)
        if not yes:
            run.ready = partial(_ask, run)
        proof = ProtocolProof(run)
        run_to_end(proof.run, quiet=as_json)
        _print_run(proof.run, as_json=as_json)
        keep_and_tell(workplace, unit_tag, proof)
    end_of(proof.run)


def _chosen(named: tuple[str, ...], steps: str | None, save_as: str | None) -> Protocol:
    """Return the protocol that is named, or that the steps make up."""
    own = folders(demo=False)
    if steps is None:
        return protocol_named(named[0] if named else "working-drive", own)
    made = own_protocol(save_as or "your steps", parse_steps(steps))
    if save_as is not None:
        keep_own_protocol(made, own)
    return made


def _testbed(
    places: tuple[str, ...],
    simulated: Path | None,
    link: float | None,
    workplace: Workplace | None,
    tag: str,
) -> Testbed:
    own = folders(demo=False)
    if simulated is not None:
        unit = workplace.shelf().unit(tag) if workplace else None
        catalog = workplace.catalog if workplace else read_catalog(own)
        rig = chain_in_file(simulated, catalog, unit=unit)
        return RigTestbed(rig.chain, rig.ambient_c, workplace, sample_tag=tag)
    remove_killed_tests(own)
    return FolderTestbed(Path(places[0]), own.test_notes, link_bytes_per_s=link)


def _print_plan(plan: ProtocolPlan) -> None:
    echo(f"{plan.protocol.name}: {plan.protocol.purpose}.")
    for each in plan.steps:
        longest = "" if math.isinf(each.most_s) else f", {PLAIN.duration(each.most_s)} at most"
        writes = f", writes at most {PLAIN.size(each.bytes_to_write)}"
        echo(f"  {each.step.kind}{writes if each.bytes_to_write else ''}{longest}")


def _plan_figures(plan: ProtocolPlan) -> dict[str, object]:
    return {
        "protocol": plan.protocol.key,
        "bytes_to_write": plan.bytes_to_write,
        "waiting_s": plan.waiting_s,
        "steps": [
            {
                "kind": str(each.step.kind),
                "bytes_to_write": each.bytes_to_write,
                "most_s": each.most_s,
                "instruction": each.step.instruction,
            }
            for each in plan.steps
        ],
    }


def _ask(run: ProtocolRun, instruction: str) -> bool:
    """Ask whether to go on; what ends a program ends the question, too, and means no."""
    echo(f"{instruction}.", err=True)
    while True:
        click.echo("Go on? [Y/n]: ", nl=False, err=True)
        answer = line_typed(lambda: run.is_stopped)
        if answer is None or answer.strip().lower() in ("n", "no"):
            return False
        if answer.strip().lower() in ("", "y", "yes"):
            return True


def _print_run(run: ProtocolRun, *, as_json: bool) -> None:
    figures = run.figures()
    if as_json:
        print_json(figures)
        return
    for step, summary in figures["summary"].items():
        echo(
            f"  {step.replace('_', ' ')}: {PLAIN.rate(summary['median'], 1)} (median of "
            f"{summary['count']}, spread {PLAIN.percent(summary['spread_share'])})"
        )
    if figures["diagnosis"]:
        echo("Diagnosis: " + causes_text(figures["diagnosis"]))
        for finding in figures["diagnosis"]["findings"]:
            echo(f"  {finding['evidence']}")


@click.command()
@click.argument("folder_a", type=click.Path(path_type=Path))
@click.argument("folder_b", type=click.Path(path_type=Path))
@click.option("--times", default=USUAL_TURNS, show_default=True,
              type=click.IntRange(LEAST_TURNS, 50), help="Runs in each folder.")  # fmt: skip
@click.option("--size", type=Quantity("size", parse_size), help="Of each run, in place of 1 GB.")
@_JSON
def compare(folder_a: Path, folder_b: Path, times: int, size: int | None, as_json: bool) -> None:
    """Compare two folders by turns: A B, B A, A B … with an interval for the difference."""
    plan = burst_plan() if size is None else FlatPlan("read", size, reads_back=True)
    own = folders(demo=False)
    remove_killed_tests(own)
    run = AlternatingRun((folder_a, folder_b), plan, own.test_notes, times)
    if not as_json:
        for folder in (folder_a, folder_b):
            echo(f"Writes {PLAIN.size(run.bytes_to_write)} in all to {folder}.")
    _tell_turns(run, as_json=as_json)
    end_of(run)


def play_by_turns(
    first: Path, second: Path, plan: EditPlan, times: int, unit_tag: str | None,
    *, binds: bool, as_json: bool,
) -> None:  # fmt: skip
    """Play *plan* in two folders by turns; those in the first are kept as the unit's."""
    places = folders(demo=False)
    with workplace_for(unit_tag, first, binds=binds, as_json=as_json) as workplace:
        remove_killed_tests(places)
        run = AlternatingEdit((first, second), plan, places.test_notes, times)
        if not as_json:
            for folder in (first, second):
                echo(f"Writes at most {PLAIN.size(run.bytes_to_write)} in all to {folder}.")
        _tell_turns(run, as_json=as_json)
        if workplace is not None and unit_tag:
            kept = keep_turns(workplace, unit_tag, run)
            if not as_json:
                echo(f"Kept as {len(kept)} runs of {unit_tag}.")
    end_of(run)


def _tell_turns(run: AlternatingRun | AlternatingEdit, *, as_json: bool) -> None:
    """Take all turns, and tell what they came to."""
    run_to_end(run, quiet=as_json)
    figures = run.figures()
    if as_json:
        print_json(figures)
    else:
        for what, found in figures["compared"].items():
            print_lines(
                [(f"{side.upper()}, {what}", f"{side_text(what, found[side], PLAIN)}, "
                  f"{found[side]['count']} runs") for side in ("a", "b")]
            )  # fmt: skip
            echo(f"  {difference_sentence(figures['compared'], what, PLAIN)}")
        if words := words_of(figures):
            echo(words)
