"""vast-cellar prove edit, project, offload: tests that work with files."""

from __future__ import annotations

import math
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import click

from vastcellar.cli.keeping import end_of, keep_and_tell, unit_options, workplace_for
from vastcellar.cli.printing import echo, print_json, print_lines
from vastcellar.cli.quantities import Quantity, parse_seconds
from vastcellar.cli.running import run_to_end
from vastcellar.core.units import PLAIN, parse_frame_rate, parse_rate, parse_size
from vastcellar.services.proving.alternating import LEAST_TURNS, USUAL_TURNS
from vastcellar.services.proving.file_kinds import EDIT, OFFLOAD, PROJECT
from vastcellar.services.proving.file_proving import (
    EditPlan,
    EditResult,
    FilePlan,
    ProjectPlan,
    ProjectResult,
    file_proof,
)
from vastcellar.services.proving.file_rows import loss_text
from vastcellar.services.proving.offloading import (
    OffloadResult,
    clips_in,
    limit_sentence,
    made_up_clips,
)
from vastcellar.services.workplace.folders import folders
from vastcellar.services.workplace.workplace import remove_killed_tests

_FOLDER = click.argument("folder", type=click.Path(path_type=Path))
_JSON = click.option("--json", "as_json", is_flag=True, help="Print JSON.")


@click.command()
@_FOLDER
@click.option("--rate", default="92.2MB/s", show_default=True, type=Quantity("rate", parse_rate),
              help="Of one stream.")  # fmt: skip
@click.option("--frame-rate", default="25", show_default=True,
              type=Quantity("frame rate", parse_frame_rate), help="Of the streams.")  # fmt: skip
@click.option(
    "--streams", default=4, show_default=True, type=click.IntRange(1, 64), help="At most."
)
@click.option("--seconds", default="6", show_default=True, type=Quantity("time", parse_seconds),
              help="For each number of streams.")  # fmt: skip
@click.option("--read-ahead", default=6, show_default=True, type=click.IntRange(0, 250),
              help="Frames read before they are due.")  # fmt: skip
@click.option("--jumps", default=6.0, show_default=True, help="Jumps a minute of each stream.")
@click.option("--scrubs", default=3.0, show_default=True, help="Scrubs a minute of each stream.")
@click.option("--caches", default=4.0, show_default=True,
              help="Small files made and removed beside, a second.")  # fmt: skip
@click.option("--render", type=Quantity("rate", parse_rate), help="Written beside, MB/s.")
@click.option("--no-ramp", is_flag=True, help="All streams at once.")
@click.option("--clients", default=1, show_default=True, type=click.IntRange(1, 64),
              help="So many processes here play at once.")  # fmt: skip
@click.option("--others", default=0, type=click.IntRange(0, 63),
              help="Wait for so many more, that other computers --join.")  # fmt: skip
@click.option("--against", type=click.Path(path_type=Path), metavar="OTHER",
              help="Play in OTHER as well, by turns: encrypted, a mirror, a share.")  # fmt: skip
@click.option("--times", default=USUAL_TURNS, show_default=True,
              type=click.IntRange(LEAST_TURNS, 50), help="Turns in each folder.")  # fmt: skip
@click.option("--join", "joins", is_flag=True, help="Join clients that are called on that share.")
@unit_options
@_JSON
def edit(
    folder: Path,
    rate: float,
    frame_rate: Fraction,
    streams: int,
    seconds: float,
    read_ahead: int,
    jumps: float,
    scrubs: float,
    caches: float,
    render: float | None,
    no_ramp: bool,
    clients: int,
    others: int,
    against: Path | None,
    times: int,
    joins: bool,
    unit_tag: str | None,
    binds: bool,
    as_json: bool,
) -> None:
    """Play streams out of FOLDER, one more each time, until one misses a frame.

    With several clients the streams are shared out among them, and begin at one moment.
    """
    if joins:
        from vastcellar.cli.prove_together import join_clients

        if unit_tag:
            raise click.UsageError("--unit belongs to the client that calls: it keeps what all saw")
        join_clients(folder, as_json=as_json)
        return
    plan = EditPlan(
        rate,
        float(frame_rate),
        streams,
        step_s=seconds,
        read_ahead_frames=read_ahead,
        jumps_per_minute=jumps,
        scrubs_per_minute=scrubs,
        cache_files_per_s=caches,
        render_bytes_per_s=render or 0.0,
        is_ramp=not no_ramp,
    )
    if against is not None:
        from vastcellar.cli.prove_sets import play_by_turns

        if clients + others > 1:
            raise click.UsageError("--against takes turns of one client: leave --clients out")
        play_by_turns(folder, against, plan, times, unit_tag, binds=binds, as_json=as_json)
        return
    if clients + others > 1:
        from vastcellar.cli.prove_together import call_clients

        call_clients(folder, plan, clients, others, unit_tag, binds=binds, as_json=as_json)
        return
    _run(folder, plan, unit_tag, _edit_lines, EDIT.figures, binds=binds, as_json=as_json)


def _edit_lines(result: EditResult) -> None:
    lines = [("streams held", str(result.most_streams))]
    for step in result.steps:
        first = step.first_frame.p99_s
        jumped = "" if math.isnan(first) else f", first frame in {first * 1e3:.0f} ms (99 %)"
        loss = loss_text(step.read_ahead_loss_s_per_s, PLAIN)
        lost = f", {loss}" if loss else ""
        if step.scrubs:
            dragged = step.scrub_frame.p99_s * 1e3
            jumped += f", each frame of a scrub in {dragged:.0f} ms (99 %)"
        lines.append(
            (
                f"{step.streams} at {PLAIN.rate(step.read_bytes_per_s)}",
                f"{step.missed} of {step.frames} frames missed{lost}{jumped}",
            )
        )
    print_lines([*lines, ("how", result.read_mode)])


@click.command()
@_FOLDER
@click.option("--files", default=400, show_default=True, type=click.IntRange(1, 100_000))
@click.option("--reads", default=2000, show_default=True, type=click.IntRange(1, 1_000_000))
@unit_options
@_JSON
def project(
    folder: Path, files: int, reads: int, unit_tag: str | None, binds: bool, as_json: bool
) -> None:
    """Make, sync, rename, list and remove small files in FOLDER, and read 4 to 64 KiB at random."""
    plan = ProjectPlan(files, reads)
    _run(folder, plan, unit_tag, _project_lines, PROJECT.figures, binds=binds, as_json=as_json)


def _project_lines(result: ProjectResult) -> None:
    lines = [
        (
            each.name,
            f"{each.per_s:,.0f} a second, {each.latency.p50_s * 1e3:.2f} ms (median), "
            f"{each.latency.p99_s * 1e3:.2f} (99 %), at most "
            f"{each.latency.longest_s * 1e3:.0f} ms",
        )
        for each in result.operations
    ]
    print_lines([*lines, ("how", result.read_mode)])


@click.command()
@_FOLDER
@click.option("--from", "source", type=click.Path(path_type=Path),
              help="The folder of clips to copy; they are only read.")  # fmt: skip
@click.option("--clips", default=12, show_default=True, type=click.IntRange(1, 9999),
              help="Made up, where no folder is given.")  # fmt: skip
@click.option("--clip-size", default="500MB", show_default=True,
              type=Quantity("size", parse_size), help="Of each made-up clip.")  # fmt: skip
@click.option("--no-verify", is_flag=True, help="Don't read the copy back.")
@unit_options
@_JSON
def offload(
    folder: Path,
    source: Path | None,
    clips: int,
    clip_size: int,
    no_verify: bool,
    unit_tag: str | None,
    binds: bool,
    as_json: bool,
) -> None:
    """Copy a set of clips into FOLDER, flushed clip by clip, and read the copy back.

    It says whose rate that is: the source's or the drive's. The copy is removed afterwards.
    """
    if source is not None:
        plan = clips_in(source, verifies=not no_verify)
    else:
        plan = made_up_clips(clips, clip_size, verifies=not no_verify)
    _run(folder, plan, unit_tag, _offload_lines, OFFLOAD.figures, binds=binds, as_json=as_json)


def _offload_lines(result: OffloadResult) -> None:
    lines = [
        (f"{len(result.clips)} clips copied", f"{PLAIN.size(result.written_bytes)} at "
         f"{PLAIN.rate(result.copy.bytes_per_s, 1)}, flushed clip by clip"),
        ("stalls", str(len(result.copy.stalls))),
    ]  # fmt: skip
    if result.verify is not None:
        wrong = ", ".join(result.different) or "every clip as it was read"
        lines.append(("read back", f"{PLAIN.rate(result.verify.bytes_per_s, 1)}: {wrong}"))
    print_lines([*lines, ("how", result.write_mode)])
    echo(limit_sentence(result, PLAIN))


def _run(
    folder: Path,
    plan: FilePlan,
    unit_tag: str | None,
    show: Callable[[Any], None],
    figures: Callable[[Any], dict[str, Any]],
    *,
    binds: bool,
    as_json: bool,
) -> None:
    """Run the test to its end, show what it measured, then keep it under its unit."""
    with workplace_for(unit_tag, folder, binds=binds, as_json=as_json) as workplace:
        places = folders(demo=False)
        remove_killed_tests(places)
        # A share that hangs in its calls would keep us from ending.
        proof = file_proof(folder, plan, places.test_notes, apart=True)
        warnings = proof.begin()
        if not as_json:
            echo(f"Writes at most {PLAIN.size(proof.bytes_to_write)} to {folder}.")
            for warning in warnings:
                echo(f"Note: {warning}.")
        run_to_end(proof.run, quiet=as_json)
        result = proof.run.result
        if result is not None and as_json:
            print_json({"target": str(folder), **figures(result)})
        elif result is not None:
            show(result)
            for note in result.notes:
                echo(f"Note: {note}.")
        keep_and_tell(workplace, unit_tag, proof)
    end_of(proof.run)
