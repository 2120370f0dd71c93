"""vast-cellar match: what a camera could record to, judged, ranked and priced."""

from __future__ import annotations

import math
from pathlib import Path

import click

from vastcellar.cli.known_shelf import known_shelf
from vastcellar.cli.printing import echo, print_json
from vastcellar.core.candidates.candidates import CandidateTable
from vastcellar.core.candidates.picks import (
    RankingPreset,
    price_per_delivered,
    price_per_endurance,
    price_per_tb,
    rank,
)
from vastcellar.core.units import PLAIN
from vastcellar.services.match.matching import Found, find_for, hosts_named, own_host
from vastcellar.services.shoot.shoots import shoot_in_file
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import folders

_MOST_PRINTED = 12


@click.command("match")
@click.argument("shoot_file", type=click.Path(path_type=Path))
@click.option("--camera", "camera_key", required=True, help="Which camera, for example A.")
@click.option("--host", "host_name", default="", help="On which computer or camera; else its own.")
@click.option(
    "--school", default="by the need", type=click.Choice([s.value for s in RankingPreset])
)
@click.option("--most", default=50, show_default=True, help="How many candidates to list.")
@click.option("--demo", is_flag=True, help="With the demo's shelf instead of your own.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def match_command(
    shoot_file: Path,
    camera_key: str,
    host_name: str,
    school: str,
    most: int,
    demo: bool,
    as_json: bool,
) -> None:
    """Find what CAMERA of SHOOT_FILE could record to, from the catalog and the shelf."""
    places = folders(demo=demo)
    catalog = read_catalog(places)
    shoot = shoot_in_file(shoot_file, catalog)
    camera = shoot.camera(camera_key)
    hosts = hosts_named(host_name, catalog) if host_name else ()
    if not host_name:
        own = own_host(camera, catalog)
        hosts = (own,) if own else tuple(catalog.hosts.values())
    shelf = known_shelf(places, demo=demo)
    found = find_for(shoot, camera, hosts, catalog, shelf)
    rows = rank(found.table, RankingPreset(school))
    if as_json:
        print_json(_as_json(found, rows[:most].tolist(), catalog.currency))
        return
    table = found.table
    names = ", ".join(host.name for host in hosts)
    echo(f"{len(table)} combinations on {names}; {int(table.holds.sum())} hold.")
    for pick, row in found.picks.items():
        echo(f"  {pick.value}: {_line(table, row, catalog.currency)}")
    echo(f"By {school}:" if not school.startswith("by") else "By the need:")
    for row in rows[: min(most, _MOST_PRINTED)].tolist():
        echo(f"  {_line(table, row, catalog.currency)}")
    if found.building_pays_from_bytes:
        size = PLAIN.size(found.building_pays_from_bytes)
        echo(f"Building it yourself is cheaper from {size} on.")


def _line(table: CandidateTable, row: int, currency: str) -> str:
    way = table.way_of(row)
    cable = f", {way.cable.name}" if way.cable else ""
    reader = "".join(f", {hub.name}" for hub in way.hubs)
    price = "nothing to buy" if not table.price[row] else f"{table.price[row]:.0f} {currency}"
    margin = float(table.margin[row])
    spare = "" if math.isnan(margin) else f" {PLAIN.percent(margin, signed=True)}"
    return (
        f"{table.name(row)} on {way.port.name}{cable}{reader}: {table.verdict(row).value}"
        f"{spare}, {price}"
    )


def _as_json(found: Found, rows: list[int], currency: str) -> dict[str, object]:
    table = found.table
    per_tb, per_rate = price_per_tb(table), price_per_delivered(table)
    per_tbw = price_per_endurance(table)
    front = set(found.front)

    def entry(row: int) -> dict[str, object]:
        way, unit, enclosure = table.way_of(row), table.unit(row), table.enclosure(row)
        tbw = float(table.tbw_bytes[row])
        return {
            "name": table.name(row),
            "unit": unit.tag if unit else None,
            "drive": table.drive(row).key,
            "enclosure": enclosure.key if enclosure else None,
            "host": way.host.key,
            "port": way.port.key,
            "cable": way.cable.key if way.cable else None,
            "readers": [hub.key for hub in way.hubs],
            "verdict": table.verdict(row).value,
            "margin": float(table.margin[row]),
            "limit": table.bottleneck(row).value,
            "price": float(table.price[row]),
            "at_first_write_bytes_per_s": float(table.at_first_write[row]),
            "reading_bytes_per_s": float(table.reading[row]),
            "sustained_write_bytes_per_s": float(table.sustained_write[row]),
            "capacity_left_bytes": float(table.free_bytes[row] - table.take_bytes),
            "price_per_tb": float(per_tb[row]),
            "price_per_mb_per_s": float(per_rate[row]),
            "price_per_tbw": float(per_tbw[row]),
            "fills": tbw / float(table.capacity_bytes[row]) if tbw else None,
            "mass_g": float(table.mass_g[row]) or None,
            "wasted_share": float(table.wasted_share[row]),
            "on_front": row in front,
        }

    return {
        "combinations": len(table),
        "hold": int(table.holds.sum()),
        "currency": currency,
        "picks": {pick.value: entry(row) for pick, row in found.picks.items()},
        "candidates": [entry(row) for row in rows],
        "building_pays_from_bytes": found.building_pays_from_bytes,
        "by_capacity": [
            {
                "capacity_bytes": step.capacity_bytes,
                "built_price": step.built_price,
                "ready_made_price": step.ready_made_price,
            }
            for step in found.steps
        ],
        "left_out": table.parts.left_out,
        "misfits": list(table.misfits[:20]),
    }
