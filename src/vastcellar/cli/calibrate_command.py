"""vast-cellar calibrate: a unit's own write model, fitted to its runs."""

from __future__ import annotations

import click

from vastcellar.cli.printing import echo, print_json, print_lines
from vastcellar.cli.running import is_demo
from vastcellar.core.units import PLAIN
from vastcellar.services.runs.calibrating import calibrate_unit, forget_calibration
from vastcellar.services.runs.calibration_wording import calibration_figures, fitted_words
from vastcellar.services.workplace.workplace import open_workplace


@click.command()
@click.argument("unit_tag", metavar="UNIT")
@click.option("--dry-run", is_flag=True, help="Show the fit and keep nothing.")
@click.option("--forget", is_flag=True, help="Go back to the typical figures of its class.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def calibrate(unit_tag: str, dry_run: bool, forget: bool, as_json: bool) -> None:
    """Fit how UNIT writes to the runs the cellar keeps of it; Match then uses that.

    Runs are kept with "prove write FOLDER --unit UNIT", or from the window. Figures that the runs
    don't show stay as the class has them, and are marked so.
    """
    workplace = open_workplace(demo=is_demo())
    try:
        if forget:
            had = forget_calibration(workplace, unit_tag)
            if as_json:
                print_json({"unit": unit_tag, "forgotten": had})
            else:
                echo("Forgotten." if had else "It wasn't calibrated.")
            return
        made = calibrate_unit(workplace, unit_tag, keep=not dry_run)
    finally:
        workplace.close()
    if as_json:
        print_json({**calibration_figures(made.record), "left_out": list(made.left_out),
                    "link_bytes_per_s": made.link_bytes_per_s,
                    "is_kept": not dry_run})  # fmt: skip
        return
    record = made.record
    runs = ", ".join(str(number) for number in record.run_ids)
    marked = " (simulated)" if record.is_simulated else ""
    print_lines(
        [
            (f"{unit_tag}{marked}", f"from run{'s' if len(record.run_ids) > 1 else ''} {runs}, "
             f"the model misses their rates by {PLAIN.percent(record.fit.misfit)}"),
            *(fitted_words(each, PLAIN) for each in record.fit.figures),
        ]
    )  # fmt: skip
    for question in record.fit.open_questions:
        echo(f"Used only up to a drop whose cause is open. {question}.")
    if made.link_bytes_per_s:
        echo(f"The link carried {PLAIN.rate(made.link_bytes_per_s)}: it counts on that port.")
    for reason in made.left_out:
        echo(f"Left out: {reason}.")
    if not dry_run:
        echo("Match uses it from now on.")
