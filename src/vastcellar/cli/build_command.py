"""vast-cellar build: do these parts go together, will it hold, what it costs, which steps."""

from __future__ import annotations

import math
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import is_demo
from vastcellar.core.build.kinds import kind_of
from vastcellar.core.build.steps import minutes_of
from vastcellar.core.units import PLAIN
from vastcellar.services.build.billing import instead_of
from vastcellar.services.build.building import Build, build, mended
from vastcellar.services.build.chosen import chosen_from
from vastcellar.services.build.price_wording import (
    bill_rows,
    price_words,
    tier_offers,
    tiers_sentence,
)
from vastcellar.services.build.tiers import Tiers, tiers_of
from vastcellar.services.build.variants import gains_of
from vastcellar.services.build.wording import (
    ALWAYS,
    CAUTION_WORDS,
    FIT_WORDS,
    check_words,
    fit_sentence,
    gains_sentence,
    mend_words,
    step_words,
)
from vastcellar.services.shoot.shoots import shoot_in_file
from vastcellar.services.words.verdict_wording import verdict_sentence
from vastcellar.services.workplace.workplace import open_workplace


@click.command("build")
@click.argument("parts", nargs=-1, required=True)
@click.option("--shoot", "shoot_path", type=click.Path(path_type=Path), help="The shoot file.")
@click.option("--camera", "camera_key", default="", help="The camera that records to it.")
@click.option("--splash", is_flag=True, help="It will be out in the wet.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def build_command(
    parts: tuple[str, ...], shoot_path: Path | None, camera_key: str, splash: bool, as_json: bool
) -> None:
    """Check a build of PARTS: keys of bare drives, a case, a pad, a cable, a dock, or units' tags.

    A unit's tag gives what isn't named: K-13 its case, say, for another module. With a shoot and a
    camera its take is judged with the heat path of this very build.
    """
    if bool(shoot_path) != bool(camera_key):
        raise click.UsageError("Give --shoot and --camera together.")
    workplace = open_workplace(demo=is_demo())
    try:
        catalog, shelf = workplace.catalog, workplace.shelf()
    finally:
        workplace.close()
    shoot = shoot_in_file(shoot_path, catalog) if shoot_path else None
    camera = shoot.camera(camera_key) if shoot else None
    chosen = chosen_from(parts, catalog, shelf)
    chosen = replace(chosen, wants_splash=splash)
    made = build(chosen, catalog, shelf, shoot, camera)
    better = mended(made, catalog)
    tiers = tiers_of(made, catalog, shelf, shoot, camera)
    with_mend = build(better, catalog, shelf, shoot, camera) if better else None
    if as_json:
        instead = instead_of(made.layout, catalog)
        found = {
            **_figures(made),
            **_tier_figures(tiers),
            "mended": _figures(with_mend) if with_mend else None,
            "instead": [{"drive": each.drive.key, "price": each.drive.price} for each in instead],
        }
        print_json(found)
        return
    _tell(made, with_mend, catalog.currency)
    if sentence := tiers_sentence(tiers, PLAIN, catalog.currency):
        echo(sentence)
    if camera is not None and made.judgement is not None:
        echo(f"As laid out: {verdict_sentence(made.judgement, camera, PLAIN)}.")
        if with_mend is not None and with_mend.judgement is not None:
            echo(f"With the mend: {verdict_sentence(with_mend.judgement, camera, PLAIN)}.")
        if shoot is not None:
            echo(gains_sentence(gains_of(made, catalog, shelf, shoot, camera), PLAIN))


def _tell(made: Build, with_mend: Build | None, currency: str) -> None:
    echo(f"{made.layout.drive.name} in {made.layout.enclosure.name}")
    echo(f"{fit_sentence(made, PLAIN)}.")
    for fit in made.checks:
        mend = mend_words(fit, PLAIN, currency)
        told = f"  {FIT_WORDS[fit.verdict]:12} {check_words(fit, PLAIN)}"
        echo(f"{told}; {mend}" if mend else told)
    if made.path is not None:
        steps = " + ".join(f"{step.name} {step.k_per_w:.2f}" for step in made.path.steps)
        total = made.path.drive_to_case_k_per_w
        mended_to = ""
        if with_mend is not None and with_mend.path is not None:
            mended_to = f", {with_mend.path.drive_to_case_k_per_w:.1f} with the mend"
        echo(f"Heat to the case: {steps}, beside {made.path.down_k_per_w:g} down: "
             f"{total:.1f} K/W{mended_to}.")  # fmt: skip
    echo(f"{price_words(made, PLAIN, currency)}:")
    for name, whence, price in bill_rows(made, PLAIN, currency):
        echo(f"  {name}: {price if whence == 'buy' else whence}")
    echo(f"{len(made.steps)} steps, about {PLAIN.duration(round(minutes_of(made.steps)) * 60)}:")
    for number, step in enumerate(made.steps, 1):
        warned = " ".join(CAUTION_WORDS[each] for each in step.cautions)
        echo(f"  {number:2}. {step_words(step, PLAIN)}" + (f" {warned}" if warned else ""))
    echo(ALWAYS)


def _tier_figures(tiers: Tiers) -> dict[str, Any]:
    return {
        "tiers": [
            {
                "capacity_bytes": row.capacity_bytes,
                **{
                    way: {
                        "drive": offer.drive.key,
                        "price": offer.worth.price,
                        "per_tb": offer.worth.per_tb,
                        "per_lasting_mb_per_s": _finite(offer.worth.per_lasting_mb_per_s),
                        "per_endurance_tb": _finite(offer.worth.per_endurance_tb),
                        "delivery_days": offer.delivery_days,
                    }
                    for way, offer in tier_offers(row)
                },
            }
            for row in tiers.rows
        ],
        "pays_from_bytes": tiers.pays_from_bytes,
    }


def _figures(made: Build) -> dict[str, Any]:
    bill, path, judgement = made.bill, made.path, made.judgement
    return {
        "kind": kind_of(made.layout),
        "drive": made.layout.drive.key,
        "enclosure": made.layout.enclosure.key,
        "pad": made.layout.pad.key if made.layout.pad else None,
        "verdict": made.verdict,
        "checks": [
            {
                "kind": fit.kind,
                "verdict": fit.verdict,
                "says": check_words(fit, PLAIN),
                "room_mm": fit.room_mm,
                "values": dict(fit.said.values),
            }
            for fit in made.checks
        ],
        "room_mm": made.layout.room_mm,
        "gap_mm": made.layout.pad_fit.gap_mm if made.layout.pad_fit else None,
        "pads_that_fit": [pad.key for pad in made.fitting_pads],
        "heat": None
        if path is None
        else {
            "steps": [asdict(step) for step in path.steps],
            "down_k_per_w": path.down_k_per_w,
            "drive_to_case_k_per_w": path.drive_to_case_k_per_w,
        },
        "take": None
        if judgement is None
        else {
            "verdict": judgement.verdict,
            "margin": judgement.margin,
            "fails_at_s": judgement.fails_at_s,
            "lasting_bytes_per_s": bill.lasting_bytes_per_s,
        },
        "bill": {
            "lines": [{**asdict(line), "to_pay": line.to_pay} for line in bill.lines],
            "to_pay": bill.to_pay,
            "all_new": bill.all_new,
            "delivery_days": bill.delivery_days,
            "per_tb": bill.worth.per_tb,
            "per_lasting_mb_per_s": _finite(bill.worth.per_lasting_mb_per_s),
            "per_endurance_tb": _finite(bill.worth.per_endurance_tb),
        },
        "steps": [
            {
                "key": step.key,
                "says": step_words(step, PLAIN),
                "minutes": step.minutes,
                "can_undo": step.can_undo,
                "cautions": [CAUTION_WORDS[each] for each in step.cautions],
            }
            for step in made.steps
        ],
    }


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None
