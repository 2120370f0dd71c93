"""vast-cellar chain: what a setup carries, stage by stage."""

from __future__ import annotations

from pathlib import Path

import click

from vastcellar.cli.printing import echo, print_json, print_lines
from vastcellar.core.chain.stages import Stage
from vastcellar.core.evidence import Evidence
from vastcellar.core.units import PLAIN
from vastcellar.services.match.chain_files import chain_in_file
from vastcellar.services.words.said_wording import said_words
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import folders


@click.command()
@click.argument("chain_file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def chain(chain_file: Path, as_json: bool) -> None:
    """Print what each stage of the setup in CHAIN_FILE carries, and the narrowest."""
    found = chain_in_file(chain_file, read_catalog(folders(demo=False)))
    built, ambient_c = found.chain, found.ambient_c
    narrowest, lasting = built.bottleneck, built.lasting_bottleneck
    mode = built.mode
    if as_json:
        print_json(
            {
                "ambient_c": ambient_c,
                "problem": built.problem or None,
                "negotiated": {
                    "mode": mode.key if mode else None,
                    "name": mode.name if mode else None,
                    "ceiling_bytes_per_s": mode.ceiling_bytes_per_s if mode else 0.0,
                    "typical_bytes_per_s": mode.typical_bytes_per_s if mode else 0.0,
                    "typical_range_bytes_per_s": [
                        mode.typical_low_bytes_per_s,
                        mode.typical_high_bytes_per_s,
                    ]
                    if mode
                    else None,
                    "why": built.negotiated.why,
                },
                "stages": [
                    {
                        "key": stage.key,
                        "name": stage.name,
                        "part": stage.part,
                        "ceiling_bytes_per_s": stage.ceiling_bytes_per_s,
                        "typical_bytes_per_s": stage.typical_bytes_per_s,
                        "lasting": stage.is_lasting,
                        "evidence": stage.evidence.value,
                        "why": said_words(stage.why, PLAIN),
                    }
                    for stage in built.stages
                ],
                "at_first_bytes_per_s": built.at_first_bytes_per_s,
                "bottleneck": narrowest.key if narrowest else None,
                "lasting_bytes_per_s": built.lasting_bytes_per_s,
                "lasting_bottleneck": lasting.key if lasting else None,
            }
        )
        return
    if built.problem:
        echo(f"Delivers nothing: {built.problem}.")
        return
    echo(f"{mode.name if mode else 'no link'}: {built.negotiated.why}")
    print_lines(
        [
            (
                f"{stage.name} ({stage.part})",
                f"{PLAIN.rate(stage.typical_bytes_per_s)} of "
                f"{PLAIN.rate(stage.ceiling_bytes_per_s)}{_known(stage)}",
            )
            for stage in built.stages
        ]
    )
    if narrowest and lasting:
        echo(
            f"At first {PLAIN.rate(built.at_first_bytes_per_s)}, limited by the "
            f"{narrowest.name.lower()}; what lasts is {PLAIN.rate(built.lasting_bytes_per_s)}, "
            f"limited by the {lasting.name.lower()}."
        )


def _known(stage: Stage) -> str:
    """Say of a rate that isn't worked out whether somebody stated it or a run measured it."""
    if stage.evidence not in (Evidence.STATED, Evidence.PROVED):
        return ""
    return f" ({said_words(stage.why, PLAIN)})"
