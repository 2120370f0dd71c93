"""vast-cellar simulate: the write profile of a setup, computed and never measured."""

from __future__ import annotations

import math
from pathlib import Path

import click

from vastcellar.cli.printing import echo, print_json, print_lines
from vastcellar.cli.quantities import Quantity
from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.units import PLAIN, parse_duration, parse_rate, parse_size, parse_temperature
from vastcellar.core.writing.drive_in_use import EventKind
from vastcellar.core.writing.write_profile import WriteProfile
from vastcellar.services.match.chain_files import ChainFile, chain_in_file
from vastcellar.services.match.simulating import (
    Load,
    Offloaded,
    Simulated,
    simulate,
    simulate_offload,
)
from vastcellar.services.shoot.shoots import shoot_in_file
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import folders

_MOST_CARDS = 20


@click.command("simulate")
@click.argument("chain_file", type=click.Path(path_type=Path))
@click.option("--take", "take_s", type=Quantity("time", parse_duration), help='"52 min"')
@click.option(
    "--rate",
    "rate_text",
    default="need",
    show_default=True,
    help='"need" (of the file or of --shoot), "flat" (as fast as it goes), or 160MB/s',
)
@click.option("--shoot", "shoot_file", type=click.Path(path_type=Path), help="Whose need it is.")
@click.option("--camera", "camera_key", default="", help="Which camera of the shoot.")
@click.option("--cards", type=click.IntRange(1, 1000), help="So many cards are offloaded instead.")
@click.option("--card", "card_bytes", type=Quantity("size", parse_size), help="What each holds.")
@click.option("--pause", "pause_s", default="60 s", type=Quantity("time", parse_duration))
@click.option("--ambient", type=Quantity("temperature", parse_temperature), help="Room in °C.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def simulate_command(
    chain_file: Path,
    take_s: float | None,
    rate_text: str,
    shoot_file: Path | None,
    camera_key: str,
    cards: int | None,
    card_bytes: int | None,
    pause_s: float,
    ambient: float | None,
    as_json: bool,
) -> None:
    """Compute how a take goes on the setup in CHAIN_FILE: cache, heat, throttle, lost frames.

    With --cards 4 --card 512GB --rate 800MB/s it is the offload of cards that read so fast, and the
    answer is how long each takes: a copy waits where a camera would lose frames.
    """
    catalog = read_catalog(folders(demo=False))
    found = chain_in_file(chain_file, catalog, ambient)
    if cards is not None:
        if card_bytes is None or rate_text == "need":
            raise click.UsageError("--cards needs --card SIZE and --rate, what a card reads.")
        reads = math.inf if rate_text == "flat" else parse_rate(rate_text, where="--rate")
        copied = simulate_offload(found.chain, found.ambient_c, cards, card_bytes, reads, pause_s)
        print_json(_offload_json(copied, found.ambient_c)) if as_json else _print_offload(copied)
        return
    if take_s is None:
        raise click.UsageError("Say how long the --take is, or how many --cards.")
    elif shoot_file is not None and rate_text == "need":
        camera = shoot_in_file(shoot_file, catalog).camera(camera_key or "A")
        need = camera_need(camera)
        load = Load(
            need.average_bytes_per_s,
            need.needed_write_bytes_per_s,
            take_s,
            camera.buffer_bytes,
            need.bytes_per_frame,
        )
    else:
        load = _load(found, rate_text, take_s)
    result = simulate(found.chain, found.ambient_c, load)
    if as_json:
        print_json(_as_json(result, found.ambient_c))
    else:
        _print(result)


def _load(found: ChainFile, rate_text: str, take_s: float) -> Load:
    frames_per_s = float(found.frames_per_s)
    if rate_text == "flat":
        return Load(math.inf, 0.0, take_s, found.buffer_bytes, 1.0)
    if rate_text != "need":
        rate = parse_rate(rate_text, where="--rate")
        return Load(rate, rate, take_s, found.buffer_bytes, rate / frames_per_s)
    if found.average_bytes_per_s is None or found.needed_write_bytes_per_s is None:
        raise BadValueError(
            "the chain file says nothing of what is needed",
            where="--rate need",
            mend='Give its "load", or --shoot FILE --camera A, or --rate 160MB/s',
        )
    average = found.average_bytes_per_s
    return Load(
        average,
        found.needed_write_bytes_per_s,
        take_s,
        found.buffer_bytes,
        average / frames_per_s,
    )


def _as_json(result: Simulated, ambient_c: float) -> dict[str, object]:
    run, load, outcome = result.run, result.load, result.outcome
    return {
        "simulated": True,
        "ambient_c": ambient_c,
        "take_s": load.duration_s,
        "average_bytes_per_s": load.average_bytes_per_s,
        "needed_write_bytes_per_s": load.needed_write_bytes_per_s,
        "holds": result.holds,
        "link_cap_bytes_per_s": result.chain.link_cap_bytes_per_s,
        "written_bytes": run.written_bytes,
        "cache_bytes": run.cache_bytes,
        "cache_exhausted_at_s": result.first_s(EventKind.CACHE_FULL),
        "throttled_at_s": result.first_s(EventKind.THROTTLE),
        "drive_full_at_s": result.first_s(EventKind.DRIVE_FULL),
        "lowest_write_bytes_per_s": run.lowest_ability_bytes_per_s,
        "hottest_c": run.hottest_c,
        "dropped_frames": round(result.dropped_frames),
        "first_drop_at_s": outcome.first_loss_s if outcome else None,
        "worst_backlog_bytes": outcome.worst_backlog_bytes if outcome else 0.0,
        "events": _events(run),
    }


def _events(run: WriteProfile) -> list[dict[str, object]]:
    return [
        {
            "kind": event.kind.value,
            "at_s": event.at_s,
            "written_bytes": event.written_bytes,
            "drive_c": event.drive_c,
        }
        for event in run.events[:1000]
    ]


def _finite(seconds: float) -> float | None:
    return seconds if math.isfinite(seconds) else None


def _offload_json(copied: Offloaded, ambient_c: float) -> dict[str, object]:
    run = copied.run
    return {
        "simulated": True,
        "ambient_c": ambient_c,
        "link_cap_bytes_per_s": copied.chain.link_cap_bytes_per_s,
        "copied_s": _finite(copied.copied_s),
        "fitting_cards": copied.fitting,
        "written_bytes": run.written_bytes,
        "cards": [
            {
                "start_s": _finite(card.start_s),
                "end_s": _finite(card.end_s),
                "bytes_per_s": copied.rate_of(card) if math.isfinite(card.end_s) else None,
            }
            for card in copied.cards
        ],
        "lowest_write_bytes_per_s": run.lowest_ability_bytes_per_s,
        "hottest_c": run.hottest_c,
        "events": _events(run),
    }


def _print_offload(copied: Offloaded) -> None:
    count, run = len(copied.cards), copied.run
    if copied.fitting < count:
        echo(f"The drive is full after {copied.fitting} of {count} cards (simulated).")
    else:
        cards = "the card" if count == 1 else f"{count} cards"
        echo(f"Copies {cards} in {PLAIN.duration(copied.copied_s)} (simulated).")
    lines = [
        (
            f"card {number}",
            f"{PLAIN.duration(card.duration_s)} at {PLAIN.rate(copied.rate_of(card))}",
        )
        for number, card in enumerate(copied.cards[: copied.fitting][:_MOST_CARDS], start=1)
    ]
    lines.append(("hottest", PLAIN.temperature(run.hottest_c)))
    print_lines(lines + _event_lines(run))


def _print(result: Simulated) -> None:
    run = result.run
    words = {True: "Holds", False: "Falls short", None: "Written flat out"}
    echo(f"{words[result.holds]} (simulated).")
    lines = [
        ("written", PLAIN.size(run.written_bytes)),
        ("lowest it could take", PLAIN.rate(run.lowest_ability_bytes_per_s)),
        ("hottest", PLAIN.temperature(run.hottest_c)),
    ]
    if result.outcome is not None:
        lines.append(("frames lost", PLAIN.number(result.dropped_frames, 0)))
    print_lines(lines + _event_lines(run))


def _event_lines(run: WriteProfile) -> list[tuple[str, str]]:
    return [
        (event.kind.value, f"after {PLAIN.duration(event.at_s)}, {PLAIN.size(event.written_bytes)}")
        for event in run.events[:8]
    ]
