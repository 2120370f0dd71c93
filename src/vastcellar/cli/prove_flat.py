"""vast-cellar prove write, burst, read, capacity: flat-out tests in a folder or on a rig."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

import click

from vastcellar.cli.diagnose_command import diagnosis_lines
from vastcellar.cli.keeping import end_of, keep_and_tell, unit_options, workplace_for
from vastcellar.cli.on_device import folder_on, keep_device_as, tell_what_it_holds
from vastcellar.cli.printing import echo, print_json, print_lines
from vastcellar.cli.quantities import Quantity, parse_seconds
from vastcellar.cli.running import run_to_end
from vastcellar.core.units import PLAIN, parse_rate, parse_size, parse_temperature
from vastcellar.services.match.chain_files import chain_in_file
from vastcellar.services.proving.flat_proving import (
    BURST_BYTES,
    FlatPlan,
    FlatProof,
    FlatResult,
    Shape,
    burst_plan,
    capacity_plan,
    conditions_of,
    diagnosis_of_proof,
    flat_figures,
    folder_flat_proof,
    rig_flat_proof,
    room_in,
    trace_csv_of,
)
from vastcellar.services.proving.keeping import prediction_check_of_flat
from vastcellar.services.runs.calibrating import PredictionCheck
from vastcellar.services.runs.diagnosing import causes_text, diagnosis_figures
from vastcellar.services.runs.resting import COOL, Rest, rest_of_unit
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.exports import require_can_save, write_text_whole
from vastcellar.services.workplace.folders import folders
from vastcellar.services.workplace.workplace import (
    Workplace,
    remove_killed_tests,
)

_MOST_BYTES = 2**62
_RIG_DEFAULT_BYTES = 400_000_000_000


def _common(command: Callable[..., None]) -> Callable[..., None]:
    """Options that every flat-out test has."""
    for option in reversed(
        (
            click.argument("folder", required=False, type=click.Path(path_type=Path)),
            click.option("--device", help="A plugged-in device by name, in place of a folder."),
            click.option(
                "--even-system", is_flag=True, help="Even the disk that this computer runs from."
            ),
            click.option(
                "--block",
                "block_bytes",
                type=Quantity("size", parse_size),
                help="Bytes a write, a power of 2 from 4 KiB to 8 MiB.  [default: 4 MiB]",
            ),
            click.option(
                "--depth", type=click.IntRange(1, 32), help="Writes in flight.  [default: 4]"
            ),
            click.option(
                "--probe",
                is_flag=True,
                help="Let a short probe choose block and depth; it uses up some of a cache.",
            ),
            click.option(
                "--link", type=Quantity("rate", parse_rate), help="What the link in use carries."
            ),
            click.option(
                "--ambient",
                type=Quantity("temperature", parse_temperature),
                default=math.nan,
                help="Room temperature, °C.",
            ),
            click.option(
                "--simulated",
                type=click.Path(path_type=Path),
                help="A chain file: test a simulated rig of it instead of a folder.",
            ),
            click.option(
                "--drive-c",
                type=Quantity("temperature", parse_temperature),
                help="The drive's temperature now, where no sensor tells.",
            ),
            unit_options,
            click.option(
                "--keep-as", help="Make a unit of the device in FOLDER, with this tag and this run."
            ),
            click.option(
                "--class", "class_key", default="", help="Its class, if its trace fits that."
            ),
            click.option(
                "--trace", type=click.Path(path_type=Path), help="Keep the trace as CSV here."
            ),
            click.option("--json", "as_json", is_flag=True, help="Print JSON."),
        )
    ):
        command = option(command)
    return command


def _size_option(default: str) -> Callable[[Callable[..., None]], Callable[..., None]]:
    return click.option(
        "--size",
        default=default,
        show_default=True,
        type=Quantity("size", parse_size),
        help="Bytes to write.",
    )


@click.command()
@_common
@click.option("--size", type=Quantity("size", parse_size), help="Bytes to write at most.")
@click.option("--share", type=click.FloatRange(0.01, 1.0), help="Of the free space, 0.01 to 1.")
@click.option("--seconds", type=Quantity("time", parse_seconds), help="For so long at most.")
@click.option("--until-steady", is_flag=True, help="Until five rounds of 30 s are steady.")
@click.option("--read-back", is_flag=True, help="Read it back afterwards and check every block.")
def write(
    size: int | None,
    share: float | None,
    seconds: float | None,
    until_steady: bool,
    read_back: bool,
    **common: Any,
) -> None:
    """Write flat out into FOLDER, until the size, time or share is reached, or it is steady."""
    if size is None and share is None and seconds is None and not until_steady:
        raise click.UsageError("Say how much: --size, --share, --seconds or --until-steady.")
    room = _room(common)
    most = min(size or _MOST_BYTES, int(room * share) if share else _MOST_BYTES)
    if most == _MOST_BYTES:
        most = room
    plan = FlatPlan(
        "write",
        most,
        most_s=seconds or math.inf,
        until_steady=until_steady,
        shape=_shape(common),
        reads_back=read_back,
    )
    _prove(plan, common)


@click.command()
@_common
def burst(**common: Any) -> None:
    """Write and read 1 GB: short and always the same, to compare drives; it flatters them."""
    _prove(burst_plan(_shape(common)), common)


burst.short_help = f"Write and read {PLAIN.size(BURST_BYTES)}, to compare."


@click.command()
@_common
@_size_option("4GB")
def read(size: int, **common: Any) -> None:
    """Write into FOLDER, then read it back past the host's cache and check every block."""
    _prove(FlatPlan("read", size, shape=_shape(common), reads_back=True), common)


@click.command()
@_common
@click.option("--size", type=Quantity("size", parse_size), help="Prove only so much.")
def capacity(size: int | None, **common: Any) -> None:
    """Fill the free space of FOLDER with stamped blocks and read all of them back.

    A drive sold larger than it is loses what lies beyond its true capacity; the first lost byte
    is named. Some space stays free.
    """
    room = _room(common)
    _prove(capacity_plan(min(size or room, room), _shape(common)), common)


def _room(common: dict[str, Any]) -> int:
    common["folder"] = folder_on(
        common.pop("device", None), common["folder"], even_system=common["even_system"]
    )
    folder, simulated = common["folder"], common["simulated"]
    if (folder is None) == (simulated is None):
        raise click.UsageError("Name a FOLDER, a --device or a --simulated CHAIN_FILE.")
    return room_in(folder) if folder is not None else _RIG_DEFAULT_BYTES


def _shape(common: dict[str, Any]) -> Shape | None:
    block, depth = common["block_bytes"], common["depth"]
    if common["probe"]:
        if block or depth:
            raise click.UsageError("A probe chooses block and depth: leave those out.")
        return None
    return Shape(block or 4 * 2**20, depth or 4)


def _prove(plan: FlatPlan, common: dict[str, Any]) -> None:
    as_json, unit_tag, trace = common["as_json"], common["unit_tag"], common["trace"]
    _room(common)
    if common["keep_as"] and (unit_tag or common["folder"] is None):
        raise click.UsageError("--keep-as makes a unit of a real device: leave --unit out.")
    if trace is not None:
        require_can_save(trace)
    kept_in = workplace_for(unit_tag, common["folder"], binds=common["binds"], as_json=as_json)
    with kept_in as workplace:
        proof = _make(plan, common, workplace)
        warnings = proof.begin()
        if not as_json:
            wear = f", {PLAIN.percent(proof.tbw_share)} of its endurance" if proof.tbw_share else ""
            echo(
                f"Writes at most {PLAIN.size(proof.bytes_to_write)}{wear} to {proof.target}; "
                f"{PLAIN.size(proof.room_bytes)} may be filled."
            )
            for warning in warnings:
                echo(f"Note: {warning}.")
        run_to_end(proof.run, quiet=as_json)
        result = proof.run.result
        if result is not None:
            _print(proof, result, _prediction_check(workplace, unit_tag, proof), as_json=as_json)
            keep_and_tell(workplace, unit_tag, proof)
            if not as_json and not unit_tag and not proof.is_simulated:
                tell_what_it_holds(proof)
            if common["keep_as"]:
                keep_device_as(proof, common["keep_as"], common["class_key"])
            if trace is not None:
                write_text_whole(trace, trace_csv_of(result))
    end_of(proof.run)


def _prediction_check(
    workplace: Workplace | None, unit_tag: str | None, proof: FlatProof
) -> PredictionCheck | None:
    if workplace is None or not unit_tag:
        return None
    return prediction_check_of_flat(workplace, unit_tag, proof)


def _make(plan: FlatPlan, common: dict[str, Any], workplace: Workplace | None) -> FlatProof:
    places = folders(demo=False)
    if common["folder"] is not None:
        remove_killed_tests(places)
        tag = common["unit_tag"]
        return folder_flat_proof(
            common["folder"],
            plan,
            places.test_notes,
            ambient_c=common["ambient"],
            link_bytes_per_s=common["link"],
            rest=_rest(workplace, tag, common["ambient"]),
            drive_c=common["drive_c"],
        )
    unit = workplace.shelf().unit(common["unit_tag"]) if workplace else None
    catalog = workplace.catalog if workplace else read_catalog(places)
    rig = chain_in_file(common["simulated"], catalog, unit=unit)
    return rig_flat_proof(
        plan,
        rig.chain,
        rig.ambient_c,
        workplace=workplace,
        speed=math.inf,
        sample_tag=common["unit_tag"] or "",
    )


def _rest(workplace: Workplace | None, unit_tag: str, ambient_c: float) -> Rest:
    if workplace is None:
        return COOL
    return rest_of_unit(workplace.shelf(), workplace.catalog, unit_tag, ambient_c)


def _print(
    proof: FlatProof, result: FlatResult, prediction: PredictionCheck | None, *, as_json: bool
) -> None:
    found = diagnosis_of_proof(proof, result)
    if as_json:
        print_json(
            {
                "target": proof.target,
                "is_simulated": result.is_simulated,
                "is_complete": result.is_complete,
                **flat_figures(result),
                "conditions": conditions_of(proof, result),
                "diagnosis": diagnosis_figures(found) if found else None,
                "prediction": asdict(prediction) if prediction else None,
            }
        )
        return
    if result.ended_by:
        echo(f"Ended early: {result.ended_by}")
    marked = " (simulated)" if result.is_simulated else ""
    written = result.write
    lines = [
        (f"written{marked}", f"{PLAIN.size(written.moved_bytes)} at "
         f"{PLAIN.rate(written.bytes_per_s, 1)}, flush included"),
        ("slowest second", PLAIN.rate(written.slowest_second_bytes)),
        ("a write took", _latency(result)),
        ("stalls", _stalls(result)),
        ("block and depth", f"{result.shape.block_bytes // 1024} KiB, {result.shape.depth}"),
        ("how", result.write_mode),
    ]  # fmt: skip
    if result.read is not None:
        lines.insert(1, (f"read back{marked}", PLAIN.rate(result.read.bytes_per_s, 1)))
        lines.insert(2, ("checked", _checked(result)))
    if result.true_capacity_bytes is not None:
        lines.insert(0, ("true capacity", PLAIN.size(result.true_capacity_bytes)))
    print_lines(lines)
    for note in result.notes:
        echo(f"Note: {note}.")
    if found is not None:
        figures = diagnosis_figures(found)
        echo("Diagnosis: " + causes_text(figures))
        for line in diagnosis_lines(figures):
            echo(f"  {line}")


def _latency(result: FlatResult) -> str:
    latency = result.write.latency
    return (
        f"{latency.p50_s * 1e3:.1f} ms (median), {latency.p99_s * 1e3:.1f} (99 %), "
        f"{latency.p999_s * 1e3:.1f} (99.9 %), at most {latency.longest_s * 1e3:.0f} ms"
    )


def _stalls(result: FlatResult) -> str:
    stalls = result.write.stalls
    if not stalls:
        return "none of 0.25 s or more"
    longest = max(stalls, key=lambda stall: stall.duration_s)
    return (
        f"{len(stalls)}, the longest {longest.duration_s:.2f} s after "
        f"{PLAIN.size(longest.at_bytes)}"
    )


def _checked(result: FlatResult) -> str:
    assert result.read is not None
    if result.read.first_wrong_at is None:
        return "every block as it was written"
    return (
        f"{result.read.wrong_blocks} blocks differ, the first at byte "
        f"{result.read.first_wrong_at:,}"
    )
