"""vast-cellar prove cut: a timeline played for real."""

from __future__ import annotations

from pathlib import Path

import click

from vastcellar.cli.keeping import end_of, keep_and_tell, unit_options, workplace_for
from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.quantities import Quantity, parse_seconds
from vastcellar.cli.running import is_demo, run_to_end
from vastcellar.core.units import PLAIN, parse_rate
from vastcellar.services.edit.playing_cuts import (
    cut_figures,
    cut_proof,
    cut_sentence,
    parse_position,
)
from vastcellar.services.workplace.folders import folders
from vastcellar.services.workplace.workplace import remove_killed_tests

_PATH = click.Path(path_type=Path)


@click.command("cut")
@click.argument("folder", type=_PATH)
@click.argument("timeline", type=_PATH)
@click.option("--from", "from_text", default="", help="Where it begins, 24:10; else at its worst.")
@click.option("--seconds", default="40", show_default=True, type=Quantity("time", parse_seconds),
              help="How much of it.")  # fmt: skip
@click.option("--read-ahead", default="0.5", show_default=True,
              type=Quantity("time", parse_seconds), help="Of each clip, s.")  # fmt: skip
@click.option("--rate", type=Quantity("rate", parse_rate), help="Of clips whose media isn't here.")
@unit_options
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def cut(
    folder: Path, timeline: Path, from_text: str, seconds: float, read_ahead: float,
    rate: float | None, unit_tag: str | None, binds: bool, as_json: bool,
) -> None:  # fmt: skip
    """Play the cut in TIMELINE (OpenTimelineIO) out of FOLDER, with made-up clips of its rates.

    Each frame must be there when it is due; the second with most late ones is named.
    """
    places = folders(demo=is_demo())
    remove_killed_tests(places)
    with workplace_for(unit_tag, folder, binds=binds, as_json=as_json) as workplace:
        proof = cut_proof(
            folder,
            timeline,
            places.test_notes,
            assumed_bytes_per_s=rate or 0.0,
            from_s=parse_position(from_text) if from_text else None,
            seconds=seconds,
            read_ahead_s=read_ahead,
        )
        run, warnings = proof.run, proof.begin()
        if not as_json:
            echo(f"{PLAIN.size(run.plan.bytes_to_write)} are written, and removed again.")
            for warning in warnings:
                echo(f"note: {warning}.")
        run_to_end(run, quiet=as_json)
        result = run.result
        if result is not None and as_json:
            print_json(cut_figures(result))
        elif result is not None:
            echo(f"{cut_sentence(result, PLAIN)}; {PLAIN.rate(result.read_bytes_per_s)} read.")
            for note in result.notes:
                echo(f"note: {note}")
        keep_and_tell(workplace, unit_tag, proof)
    end_of(run)
