"""vast-cellar prove record: a take of one or several cameras, frame by frame."""

from __future__ import annotations

import math
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path

import click

from vastcellar.cli.keeping import end_of, keep_and_tell, unit_options, workplace_for
from vastcellar.cli.printing import echo, print_json, print_lines
from vastcellar.cli.quantities import Quantity, parse_seconds
from vastcellar.cli.running import stopping_signals
from vastcellar.core.recording.frame_sizes import FrameVariation
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.core.units import (
    PLAIN,
    parse_frame_rate,
    parse_rate,
    parse_size,
)
from vastcellar.services.match.chain_files import ChainFile, chain_in_file
from vastcellar.services.proving.recorder_loads import loads_of_shoot
from vastcellar.services.proving.recorder_proving import (
    Proof,
    RecorderResult,
    folder_proof,
    predicted_frames_dropped,
    rig_proof,
)
from vastcellar.services.shoot.shoots import shoot_in_file
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import folders
from vastcellar.services.workplace.run_records import camera_figures
from vastcellar.services.workplace.workplace import (
    Workplace,
    remove_killed_tests,
)


@click.command()
@click.argument("folder", required=False, type=click.Path(path_type=Path))
@click.option(
    "--rate",
    "rates",
    multiple=True,
    type=Quantity("rate", parse_rate),
    help="60MB/s, 1274Mb/s; once for each camera that records at once.",
)
@click.option(
    "--shoot",
    "shoot_path",
    type=click.Path(path_type=Path),
    help="A shoot file: its cameras' own rates, crests, GOPs and buffers, in place of --rate.",
)
@click.option("--camera", "keys", multiple=True, help="Of the shoot; all where none is named.")
@click.option(
    "--frame-rate",
    default="25",
    show_default=True,
    type=Quantity("frame rate", parse_frame_rate),
    help="25, 23.976, 24000/1001",
)
@click.option(
    "--buffer",
    "buffer_bytes",
    default="512MB",
    show_default=True,
    type=Quantity("size", parse_size),
    help="Each camera's buffer.",
)
@click.option("--crest", default=1.0, show_default=True, help="Worst second over the average.")
@click.option("--gop", default=1, show_default=True, help="Frames from one whole picture on.")
@click.option("--seconds", type=Quantity("time", parse_seconds), help='20, "52 min"')
@click.option(
    "--simulated",
    type=click.Path(path_type=Path),
    help="A chain file: test a simulated rig of it instead of a folder.",
)
@click.option(
    "--chain",
    "chain_path",
    type=click.Path(path_type=Path),
    help="A chain file: what leads to FOLDER's drive. Only then can the run prove the setup.",
)
@unit_options
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def record(
    folder: Path | None,
    rates: tuple[float, ...],
    shoot_path: Path | None,
    keys: tuple[str, ...],
    frame_rate: Fraction,
    buffer_bytes: int,
    crest: float,
    gop: int,
    seconds: float | None,
    simulated: Path | None,
    chain_path: Path | None,
    unit_tag: str | None,
    binds: bool,
    as_json: bool,
) -> None:
    """Record frames at a camera's pace into FOLDER, through its buffer, and count what is lost.

    Several cameras write at once, each into a file of its own.
    """
    if (folder is None) == (simulated is None):
        raise click.UsageError("Name either a FOLDER or --simulated CHAIN_FILE.")
    if simulated and chain_path:
        raise click.UsageError("--simulated names the chain already: leave --chain out.")
    if bool(rates) == (shoot_path is not None):
        raise click.UsageError("Say what is recorded: --rate for each camera, or --shoot FILE.")
    loads = (
        loads_of_shoot(shoot_in_file(shoot_path, read_catalog(folders(demo=False))), keys, seconds)
        if shoot_path is not None
        else _typed_loads(rates, frame_rate, buffer_bytes, seconds, crest, gop)
    )
    described = simulated or chain_path
    with workplace_for(unit_tag, folder, binds=binds, as_json=as_json) as workplace:
        setup = None
        if described is not None:
            catalog = workplace.catalog if workplace else read_catalog(folders(demo=False))
            unit = workplace.shelf().unit(unit_tag) if workplace and unit_tag else None
            setup = chain_in_file(described, catalog, unit=unit)
        proof = _make(folder, loads, setup, workplace)
        if not as_json:
            plan = proof.plan
            echo(
                f"Writes {PLAIN.size(plan.bytes_to_write)} to {plan.target} in "
                f"{PLAIN.duration(plan.load.duration_s)}; {PLAIN.size(plan.free_bytes)} are free."
            )
        for warning in proof.begin():
            if not as_json:
                echo(f"Note: {warning}.")
        _run(proof, quiet=as_json)
        if proof.run.result is not None:
            _print_result(proof, proof.run.result, as_json=as_json)
        keep_and_tell(workplace, unit_tag, proof)
    end_of(proof.run)


def _typed_loads(
    rates: tuple[float, ...],
    frame_rate: Fraction,
    buffer_bytes: int,
    seconds: float | None,
    crest: float,
    gop: int,
) -> tuple[RecorderLoad, ...]:
    """Return a camera for each rate that was typed."""
    if seconds is None:
        raise click.UsageError("Say how long: --seconds.")
    return tuple(
        RecorderLoad(
            rate, frame_rate, buffer_bytes, seconds,
            FrameVariation(crest, gop, seed=number + 1), f"camera {number + 1}",
        )
        for number, rate in enumerate(rates)
    )  # fmt: skip


def _make(
    folder: Path | None,
    loads: tuple[RecorderLoad, ...],
    setup: ChainFile | None,
    workplace: Workplace | None,
) -> Proof:
    """Return the test in the folder, or on a rig of the setup."""
    if folder is None:
        assert setup is not None  # one of the two is given
        return rig_proof(loads, setup.chain, setup.ambient_c, workplace=workplace, speed=math.inf)
    places = folders(demo=False)
    remove_killed_tests(places)
    chain, ambient_c = (setup.chain, setup.ambient_c) if setup else (None, math.nan)
    return folder_proof(folder, loads, places.test_notes, chain, ambient_c)


def _run(proof: Proof, *, quiet: bool) -> None:
    """Run the test to its end; Ctrl+C and SIGTERM stop it and still clean up."""
    run = proof.run
    with stopping_signals(run.stop):
        if quiet:
            for _ in run.snapshots():
                pass
            return
        from rich.progress import Progress

        with Progress(transient=True) as progress:
            task = progress.add_task("recording", total=proof.plan.load.duration_s)
            for snapshot in run.snapshots():
                progress.update(
                    task,
                    completed=snapshot.elapsed_s,
                    description=snapshot.detail,
                )


def _print_result(proof: Proof, result: RecorderResult, *, as_json: bool) -> None:
    predicted = predicted_frames_dropped(result)
    if as_json:
        figures = {
            name: value
            for name, value in asdict(result).items()
            if name not in ("trace", "load", "cameras")
        }
        print_json(
            {
                "target": proof.plan.target,
                "rate_bytes_per_s": result.load.average_bytes_per_s,
                "frame_rate": str(result.load.frames_per_s),
                "buffer_bytes": result.load.buffer_bytes,
                "duration_s": result.load.duration_s,
                "frames": sum(each.load.frame_count for each in result.cameras),
                **figures,
                "cameras": [camera_figures(each) for each in result.cameras],
                "shortfall_bytes_per_s": max(
                    result.load.average_bytes_per_s - result.achieved_bytes_per_s, 0.0
                )
                if result.frames_dropped
                else 0.0,
                "predicted_frames_dropped": predicted,
            }
        )
        return
    if result.ended_by:
        echo(f"Ended early: {result.ended_by}")
    marked = " (simulated)" if result.is_simulated else ""
    lines = [
        (f"achieved{marked}", PLAIN.rate(result.achieved_bytes_per_s, 2)),
        ("asked for", PLAIN.rate(result.load.average_bytes_per_s, 2)),
        ("frames dropped", f"{result.frames_dropped} of {result.frames_arrived}"),
        ("frames late", str(result.frames_late)),
        ("worst backlog", PLAIN.size(result.worst_backlog_bytes)),
        ("slowest second", PLAIN.rate(result.slowest_second_bytes)),
        ("could have taken", PLAIN.rate(result.slowest_second_ability_bytes_per_s)),
        ("flush at the end", PLAIN.duration(result.flush_s)),
        ("how", result.write_mode),
    ]
    if result.frames_dropped and len(result.cameras) == 1:
        lines.insert(3, ("buffer arithmetic expects", f"{predicted:.0f} dropped"))
    if len(result.cameras) > 1:
        lines += [
            (each.load.name, f"{PLAIN.rate(each.load.average_bytes_per_s, 1)} asked for, "
             f"{each.frames_dropped} of {each.frames_arrived} frames dropped, worst backlog "
             f"{PLAIN.size(each.worst_backlog_bytes)} of {PLAIN.size(each.load.buffer_bytes)}")
            for each in result.cameras
        ]  # fmt: skip
    print_lines(lines)
    for note in result.disturbances.notes():
        echo(f"Note: {note}.")
