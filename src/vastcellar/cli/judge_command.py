"""vast-cellar judge: will it hold? The one question, of each camera of a shoot."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import is_demo
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.core.units import PLAIN
from vastcellar.services.match.judging import judge_camera, mends_for
from vastcellar.services.shoot.shoots import shoot_in_file
from vastcellar.services.words.reach_wording import difference_words
from vastcellar.services.words.verdict_wording import (
    evidence_line,
    mend_title,
    price_text,
    reason,
    verdict_sentence,
)
from vastcellar.services.workplace.workplace import Shelf, open_workplace


@click.command()
@click.argument("shoot_file", metavar="SHOOT", type=click.Path(path_type=Path))
@click.option("--camera", "camera_key", help="Only this one, for example A.")
@click.option("--demo", is_flag=True, help="With the demo's shelf instead of your own.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def judge(shoot_file: Path, camera_key: str | None, demo: bool, as_json: bool) -> None:
    """Say of each camera of SHOOT whether what it records to holds, and on what evidence."""
    workplace = open_workplace(demo=demo or is_demo())
    try:
        catalog, shelf = workplace.catalog, workplace.shelf()
        shoot = shoot_in_file(shoot_file, catalog)
        cameras = [shoot.camera(camera_key)] if camera_key else list(shoot.cameras)
        judged = [_figures(shoot, camera, catalog, shelf) for camera in cameras]
    finally:
        workplace.close()
    if as_json:
        print_json({"shoot": shoot.name, "is_demo": workplace.is_demo, "cameras": judged})
        return
    for each in judged:
        echo(f"{each['key']} {each['name']}: {each['says']}")
        echo(f"  {each['reason']}")
        echo(f"  {each['evidence_line']}")
        if each["mend"]:
            echo(f"  Mend: {each['mend']}")


def _figures(shoot: Shoot, camera: Camera, catalog: Catalog, shelf: Shelf) -> dict[str, Any]:
    judged = judge_camera(shoot, camera, catalog, shelf)
    # What holds needs no mend, and nothing to be bought.
    holds = judged.verdict is Verdict.HOLDS
    mends = () if holds else mends_for(shoot, camera, catalog, shelf).helping
    mend = next(iter(mends), None)
    price = price_text(mend.price, catalog.currency, PLAIN) if mend else ""
    proof, beside = judged.proof, judged.beside
    return {
        "key": camera.key,
        "name": camera.name,
        "verdict": judged.verdict.value,
        "margin": judged.margin,
        "evidence": judged.evidence.value,
        "reason": reason(judged, camera, PLAIN),
        "mend": f"{mend_title(mend)}, {price}" if mend else None,
        "says": verdict_sentence(judged, camera, PLAIN),
        "evidence_line": evidence_line(judged, PLAIN),
        "unit": camera.setup.unit_tag or None if camera.setup else None,
        "is_simulated": proof.is_simulated if proof else False,
        "proved_by_run": proof.run_id if proof else None,
        "weakened_by": [difference_words(each, PLAIN) for each in judged.weakened],
        "run_beside": {
            "run": beside.proof.run_id,
            "reach": beside.reach.value,
            "because": [difference_words(each, PLAIN) for each in beside.voids],
        }
        if beside
        else None,
    }
