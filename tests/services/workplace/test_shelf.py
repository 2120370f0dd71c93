"""The shelf is read in part and is always what reading all of it would give."""

import random
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from vastcellar.core.parts.units import Unit
from vastcellar.services.workplace.workplace import open_workplace
from vastcellar.store.cellar import Cellar
from vastcellar.store.run_record import RunRecord

START = datetime(2026, 5, 1, tzinfo=UTC)
FIGURES = {
    "frames_dropped": 0, "duration_s": 60.0, "load_bytes_per_s": 1e8,
    "achieved_bytes_per_s": 1e8, "slowest_second_ability_bytes_per_s": 2e8,
    "worst_backlog_bytes": 0, "buffer_bytes": 10**9,
}  # fmt: skip


def run_of(tag, hours, kind="recorder", cameras=0):
    figures = dict(FIGURES)
    if cameras:
        figures["cameras"] = [
            {**FIGURES, "load_bytes_per_s": 1e8 * (number + 1)} for number in range(cameras)
        ]
    return RunRecord(
        unit_tag=tag, kind=kind, measured_at=START + timedelta(hours=hours), is_simulated=True,
        is_complete=True, conditions={"drive_key": "some-drive"}, figures=figures,
    )  # fmt: skip


def all_of(workplace, places):
    """The shelf as another start, which knows nothing, reads it."""
    other = open_workplace(demo=True, places=places)
    shelf = other.shelf()
    other.close()
    assert workplace.catalog == other.catalog
    return shelf


@pytest.mark.parametrize("seed", range(4))
def test_whatever_is_done_the_shelf_is_what_another_start_reads(workplace, places, seed):
    """Runs, labels, new units and a second window, in any order: nothing is missed or stale."""
    rng = random.Random(seed)
    beside = Cellar(places.cellar_file, is_demo=True)  # another window on the same file
    for step in range(25):
        cellar = rng.choice((workplace.cellar, beside))
        units = list(cellar.units())
        unit = rng.choice(units)
        what = rng.choice(("run", "run", "run", "label", "new", "change", "swap"))
        if what == "run":
            kind, cameras = rng.choice((("recorder", 0), ("recorder", 3), ("write", 0)))
            cellar.add_run(run_of(unit.tag, rng.randrange(500), kind, cameras), "", wear_bytes=9)
        elif what == "label":
            cellar.change_unit(unit, replace(unit, tag=f"L-{seed}{step:02}"))
        elif what == "new":
            cellar.add_unit(Unit(f"N-{seed}{step:02}", "torvane-t2-2"))
        elif what == "change":
            cellar.change_unit(unit, replace(unit, note=f"step {step}"))
        else:  # two labels change places
            other = rng.choice([each for each in units if each.tag != unit.tag])
            cellar.change_unit(unit, replace(unit, tag="between"))
            cellar.change_unit(other, replace(other, tag=unit.tag))
            cellar.change_unit(replace(unit, tag="between"), replace(unit, tag=other.tag))
        if rng.random() < 0.6:
            assert workplace.shelf() == all_of(workplace, places)
    assert workplace.shelf() == all_of(workplace, places)
    beside.close()


def test_an_edit_of_a_unit_reads_no_run_again(workplace, monkeypatch):
    """A note on one unit of a shelf with many runs: none of them is read a second time."""
    workplace.cellar.add_run(run_of("K-11", 1), "")
    before = workplace.shelf()
    monkeypatch.setattr(
        Cellar, "runs", lambda *_args, **_more: pytest.fail("the runs were read again")
    )
    unit = before.unit("K-11")
    workplace.cellar.change_unit(unit, replace(unit, note="a new note"))
    after = workplace.shelf()
    assert after.unit("K-11").note == "a new note"
    assert after.records is before.records
    assert after.proofs is before.proofs


def test_another_catalog_judges_the_same_runs_anew(workplace):
    """What a proof was made under is read with the catalog in force: a new one counts at once."""
    workplace.cellar.add_run(run_of("K-11", 1), "")
    before = workplace.shelf()
    other = replace(workplace, catalog=replace(workplace.catalog, currency="GBP"))
    assert other.shelf().records == before.records
    assert other.shelf() == before
