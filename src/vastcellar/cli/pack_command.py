"""vast-cellar pack: which units go on a shoot, why each, and who stays at home."""

from __future__ import annotations

from datetime import date
from pathlib import Path

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import is_demo
from vastcellar.core.cellar.packing import Goal
from vastcellar.core.errors import UnknownPartError
from vastcellar.core.units import PLAIN
from vastcellar.services.cellar.bookings import planned_jobs
from vastcellar.services.cellar.packing import evening_before, pack_shoot
from vastcellar.services.cellar.packing_wording import (
    EVENING_PORTS,
    evening_words,
    mass_words,
    need_words,
    optimum_words,
    packing_figures,
    set_words,
    why_words,
)
from vastcellar.services.cellar.unit_memory import UnitMemory
from vastcellar.services.shoot.shoots import shoot_in_file
from vastcellar.services.workplace.workplace import open_workplace


@click.command("pack")
@click.argument("shoot_path", type=click.Path(path_type=Path), metavar="SHOOT")
@click.option("--goal", type=click.Choice([each.value for each in Goal]), default="lightest")
@click.option("--spend", default=0.0, help="What may be bought for copies, in the catalog's money.")
@click.option("--job", "job_name", default="", help="Its name in the calendar: for its days.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def pack_command(shoot_path: Path, goal: str, spend: float, job_name: str, as_json: bool) -> None:
    """Choose units of the shelf for SHOOT: lightest, fewest, cheapest or safest."""
    today, chosen = date.today(), Goal(goal)
    workplace = open_workplace(demo=is_demo())
    try:
        shoot = shoot_in_file(shoot_path, workplace.catalog)
        shelf = workplace.shelf()
        jobs = planned_jobs(workplace, shelf, today)
        known = UnitMemory().remember(
            shelf, workplace.catalog, today, is_demo=workplace.is_demo, shoot=shoot
        )
    finally:
        workplace.close()
    job = jobs.job(job_name) if job_name else None
    if job_name and job is None:
        names = ", ".join(each.name for each in jobs.jobs)
        raise UnknownPartError(
            f"there is no job {job_name!r}", where="calendar",
            mend=f"Name one of: {names}" if names else "Add it to the calendar",
        )  # fmt: skip
    packed = pack_shoot(
        shoot, known, workplace.catalog, jobs, today, (chosen,), job=job, spend_at_most=spend
    )
    packing = packed.sets[chosen]
    if as_json:
        print_json(packing_figures(packed, chosen, shoot.days) | {"shoot": shoot.name})
    else:
        echo(f"{shoot.name}: {set_words(packing, PLAIN)} ({optimum_words(packing)}).")
        for met in packing.needs:
            spares = f", spare {', '.join(met.spares)}" if met.spares else ""
            echo(f"  {met.need.name}: {', '.join(met.tags) or 'nothing'}{spares}: "
                 f"{need_words(met, PLAIN)}")  # fmt: skip
        for tag in packing.tags:
            unit = next(each for each in packed.task.units if each.tag == tag)
            echo(f"  {tag}, {mass_words(unit.mass_g, PLAIN)}: "
                 f"{why_words(packed, packing, tag, PLAIN)}")  # fmt: skip
        if evening := evening_words(evening_before(packed, packing, EVENING_PORTS), PLAIN):
            echo(f"  {evening}")
        for each in packed.stays:
            echo(f"  {each.tag} stays: {each.why}")
        if packing.price:
            echo(f"  To buy: {PLAIN.number(packing.price, 0)} {workplace.catalog.currency}")
