"""vast-cellar diagnose: why a drive slowed down, from its trace."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.quantities import Quantity
from vastcellar.core.errors import VastCellarError
from vastcellar.core.units import PLAIN, parse_rate
from vastcellar.services.runs.diagnosing import (
    CAUSE_WORDS,
    Diagnosis,
    diagnosis_figures,
    pair_in_files,
    trace_in_file,
)


@click.command()
@click.argument("traces", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--link", type=Quantity("rate", parse_rate), help="What the link in use carries.")
@click.option("--direct", is_flag=True, help="The host's memory was bypassed for sure.")
@click.option("--warm-start", is_flag=True, help="The drive was not cool and idle at the start.")
@click.option(
    "--cooling-pair",
    is_flag=True,
    help="Two traces of one drive, both from rest: as it is, then with a fan on its case.",
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.pass_context
def diagnose(
    ctx: click.Context,
    traces: tuple[Path, ...],
    link: float | None,
    direct: bool,
    warm_start: bool,
    cooling_pair: bool,
    as_json: bool,
) -> None:
    """Name what slowed the drives of TRACES (CSV) down, each file by itself.

    A trace has the columns elapsed_s,written_bytes,temperature_c; the last may be empty. Of other
    programs a time, and bytes or a rate with their unit, are known by their usual names. Writing
    must have been flat out. A cause is only named where the others are impossible.
    """
    if cooling_pair:
        if len(traces) != 2:
            raise click.UsageError("A cooling pair is two traces: from rest, and with a fan.")
        found = pair_in_files(traces[0], traces[1], link, is_direct=direct)
        answers = [_answer(f"{traces[0]} and {traces[1]}", found)]
    else:
        answers = [_try(path, link, direct, warm_start) for path in traces]
    if as_json:
        print_json({"files": answers})
    else:
        for answer in answers:
            _print(answer)
    for answer in answers:
        if "error" in answer:
            if as_json:
                echo(f"vast-cellar: {answer['error']}", err=True)
            ctx.exit(1)


def _try(path: Path, link: float | None, direct: bool, warm_start: bool) -> dict[str, Any]:
    try:
        found = trace_in_file(path, link, is_direct=direct, from_rest=not warm_start)
    except VastCellarError as error:
        return {"file": str(path), "error": str(error)}
    return _answer(str(path), found)


def _answer(name: str, found: Diagnosis) -> dict[str, Any]:
    return {"file": name, **diagnosis_figures(found)}


def _print(answer: dict[str, Any]) -> None:
    if "error" in answer:
        echo(answer["error"])
        return
    echo(f"{answer['file']}: {', '.join(CAUSE_WORDS[name] for name in answer['causes'])}")
    for line in diagnosis_lines(answer):
        echo(f"  {line}")


def diagnosis_lines(answer: dict[str, Any]) -> list[str]:
    """Return a diagnosis in lines for people; *answer* as ``diagnosis_figures`` gives it."""
    lines = [f"{PLAIN.clock(each['at_s'])}  {each['evidence']}" for each in answer["findings"]]
    rates = (answer["burst_bytes_per_s"], answer["sustained_bytes_per_s"])
    lines.append(f"began at {PLAIN.rate(rates[0])}, ended at {PLAIN.rate(rates[1])}")
    if answer["knee_bytes"]:
        low, high = answer["knee_bytes_interval"]
        lines.append(
            f"knee after {PLAIN.size(answer['knee_bytes'])} "
            f"({PLAIN.size(low)} to {PLAIN.size(high)})"
        )
    if answer["throttle_c"]:
        lines.append(f"throttles at {PLAIN.temperature(answer['throttle_c'])}")
    if answer["candidates"]:
        left = " or ".join(CAUSE_WORDS[name] for name in answer["candidates"])
        lines.append(f"still open: {left}. {answer['deciding_test']}.")
    lines.append(f"nothing is said beyond the {PLAIN.size(answer['seen_bytes'])} seen")
    return lines
