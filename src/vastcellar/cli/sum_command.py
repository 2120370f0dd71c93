"""vast-cellar sum: one line of sizes, rates, times and copies."""

from __future__ import annotations

import click

from vastcellar.cli.printing import echo, print_json, print_lines
from vastcellar.core.links.quick_sum import Fit
from vastcellar.core.units import PLAIN
from vastcellar.services.sums.quick_sums import AnsweredSum, answer_line
from vastcellar.services.workplace.catalogs import read_modes
from vastcellar.services.workplace.folders import folders

_UNITS = {"size": "bytes", "rate": "bytes_per_s", "time": "s", "count": ""}


@click.command("sum")
@click.argument("line", nargs=-1, required=True)
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def sum_command(line: tuple[str, ...], as_json: bool) -> None:
    """Reckon LINE, for example: "4 TB in 30 min", "52 min at 160 MB/s x 3 copies"."""
    found = answer_line(" ".join(line), read_modes(folders(demo=False)), PLAIN)
    if as_json:
        print_json(_as_json(found))
        return
    echo(found.headline)
    print_lines(
        [
            (each.label, f"{each.value}  {each.reckoning}".rstrip())
            for each in found.lines
            if each.label != "sum"
        ]
        or [("in all", found.headline)]
    )
    if found.verdict:
        echo(found.verdict)


def _as_json(found: AnsweredSum) -> dict[str, object]:
    answer = found.answer
    unit = _UNITS[answer.kind.value]
    return {
        "kind": answer.kind.value,
        f"value_{unit}".rstrip("_"): answer.value,
        "says": found.headline,
        "lines": [
            {"label": each.label, "reckoning": each.reckoning, "value": each.value}
            for each in found.lines
        ],
        "is_claim": answer.is_claim,
        "links": [
            {
                "mode": each.mode.key,
                "name": each.mode.name,
                "ceiling_bytes_per_s": each.mode.ceiling_bytes_per_s,
                "typical_high_bytes_per_s": each.mode.typical_high_bytes_per_s,
                "fit": each.fit.value,
                "carries": each.fit is Fit.CARRIES,
            }
            for each in found.links
        ],
        "verdict": found.verdict,
    }
