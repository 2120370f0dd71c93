"""Candidates: the table judges as the single chain does; picks, front and crossover are right."""

from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from vastcellar.core.candidates.assemblies import ModeBits, assemblies
from vastcellar.core.candidates.candidates import find_candidates
from vastcellar.core.candidates.picks import (
    Pick,
    RankingPreset,
    crossover,
    in_preset,
    own_disks,
    pareto_front,
    pick_all,
    price_per_delivered,
    price_per_endurance,
    rank,
)
from vastcellar.core.chain.chain import build_chain
from vastcellar.core.chain.measured_stages import StageMeasurement, build_measured_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.verdict.judgement import judge_take


def table_of(slipway, catalog, shelf, key, hosts=None, **changes):
    camera = replace(slipway.camera(key), **changes)
    places = [catalog.host(h) for h in hosts] if hosts else list(catalog.hosts.values())
    need = camera_need(camera)
    owned = frozenset(c.setup.cable_key for c in slipway.cameras)
    return find_candidates(camera, need, places, catalog, shelf.units, 24.0, owned)


@pytest.mark.parametrize("key", ["A", "B", "D"])
def test_every_candidate_is_judged_as_its_own_chain_is(slipway, catalog, shelf, key):
    """A row of the table and the chain of that row give one verdict, margin and cause."""
    table = table_of(slipway, catalog, shelf, key)
    camera = slipway.camera(key)
    need = camera_need(camera)
    random = np.random.default_rng(len(key))
    for row in random.integers(0, len(table), 250):
        setup = table.setup(row)
        parts = find_parts(setup, catalog, shelf.unit(setup.unit_tag))
        chain = build_chain(parts, catalog, 24.0)
        judgement = judge_take(camera, need, chain, 24.0)
        assert not chain.problem
        assert table.link_cap[row] == pytest.approx(chain.link_cap_bytes_per_s)
        assert table.margin[row] == pytest.approx(judgement.margin, rel=1e-3, abs=1e-6)
        assert table.verdict(row) is judgement.verdict
        assert table.bottleneck(row) is judgement.bottleneck
        assert table.at_first_write[row] <= chain.mode.ceiling_bytes_per_s


def test_of_a_bare_unit_only_the_case_is_bought(slipway, catalog, shelf):
    """A drive that is owned costs nothing; only what is missing round it has a price."""
    bare = Unit("N-01", "torvane-t2-2", used_bytes=100e9)
    camera = replace(slipway.camera("A"), setup=None)
    need = camera_need(camera)
    hosts = [catalog.host("maro-6")]
    owned = frozenset(catalog.cables)
    table = find_candidates(camera, need, hosts, catalog, [bare], 24.0, owned)
    rows = [row for row in range(len(table)) if table.unit(row) is bare]
    assert len(rows) >= len(catalog.enclosures_for(catalog.drive("torvane-t2-2"))) / 2
    for row in rows:
        assert table.price[row] == table.enclosure(row).price
        setup = table.setup(row)
        assert (setup.unit_tag, setup.enclosure_key) == ("N-01", table.enclosure(row).key)
        chain = build_chain(find_parts(setup, catalog, bare), catalog, 24.0)
        assert table.verdict(row) is judge_take(camera, need, chain, 24.0).verdict
        assert table.free_bytes[row] == 1.9e12
    picks = pick_all(table)
    assert Pick.NOTHING_TO_BUY not in picks
    assert table.unit(picks[Pick.CHEAPEST]) is bare
    assert table.name(picks[Pick.CHEAPEST]).startswith("N-01: Torvane T2 2 TB in ")


def test_what_was_measured_on_a_port_counts_there_alone(slipway, catalog, shelf):
    """In the table as in the single chain: same port, same bridge, same link mode."""
    camera = slipway.camera("A")
    need = camera_need(camera)
    now = datetime(2026, 11, 3, tzinfo=UTC)
    fin = StageMeasurement("van-laptop", "c-10g", "bridge", "drumlin-fin", "usb-10g", 870e6, now)
    older = replace(fin, bytes_per_s=700e6, measured_at=datetime(2026, 10, 1, tzinfo=UTC))
    elsewhere = replace(fin, port_key="bolt-1", mode_key="usb-5g", bytes_per_s=300e6)
    pebble = replace(fin, stage_key="interface", part_key="kelmarsh-pebble-2", bytes_per_s=910e6)
    stages = (older, fin, elsewhere, pebble)
    hosts = [catalog.host("van-laptop")]
    table = find_candidates(camera, need, hosts, catalog, shelf.units, 24.0, frozenset(), stages)
    seen = set()
    for row in range(len(table)):
        setup = table.setup(row)
        if setup.port_key == "sd" or setup.hub_keys:
            continue
        parts = find_parts(setup, catalog, shelf.unit(setup.unit_tag))
        chain = build_measured_chain(parts, catalog, 24.0, stages)
        assert table.link_cap[row] == pytest.approx(chain.link_cap_bytes_per_s), setup
        seen.add(round(float(table.link_cap[row])))
    assert {870_000_000, 910_000_000} <= seen
    assert 700_000_000 not in seen


def test_nothing_that_connects_is_left_out(slipway, catalog, shelf):
    """Every part of the catalog on one port, one chain at a time: the same setups hold."""
    table = table_of(slipway, catalog, shelf, "B", ["boathouse-desk"])
    listed = {
        (s.drive_key, s.enclosure_key, s.port_key)
        for s in (table.setup(row) for row in range(len(table)))
        if not s.unit_tag and not s.hub_keys
    }
    for drive in catalog.drives.values():
        cases = list(catalog.enclosures) if drive.needs_enclosure else [""]
        for case in cases:
            works = any(
                not build_chain(
                    find_parts(
                        Setup(drive.key, "boathouse-desk", "c-20g", "", case, cable), catalog, None
                    ),
                    catalog,
                    24.0,
                ).problem
                for cable in catalog.cables
            )
            assert works == ((drive.key, case, "c-20g") in listed), (drive.key, case)


def test_picks_are_what_they_say(slipway, catalog, shelf):
    """Cheapest, fastest and the others hold what their names promise over all rows."""
    table = table_of(slipway, catalog, shelf, "A", ["van-laptop"])
    picks = pick_all(table)
    good = table.margin >= 0.10
    cheapest = picks[Pick.CHEAPEST]
    bought = np.array([table.unit(row) is None for row in range(len(table))])
    assert table.price[cheapest] == table.price[good & bought].min()
    offload = good & ~own_disks(table)  # nothing is offloaded from the computer itself
    assert table.reading[picks[Pick.FASTEST_OFFLOAD]] == table.reading[offload].max()
    assert table.mass_g[picks[Pick.LIGHTEST]] == table.mass_g[good & (table.mass_g > 0)].min()
    free = picks[Pick.NOTHING_TO_BUY]
    assert table.price[free] == 0
    assert table.unit(free).state == "ready" or table.unit(free).tag
    anywhere = table.drive(picks[Pick.WORKS_ANYWHERE])
    case = table.enclosure(picks[Pick.WORKS_ANYWHERE])
    assert "usb-2" in (case.host_modes if case else anywhere.host_modes)
    assert len(set(picks.values())) >= 4


def test_schools_narrow_and_rank(slipway, catalog, shelf):
    """Each school keeps exactly its own rows, and those that hold come first."""
    table = table_of(slipway, catalog, shelf, "A", ["van-laptop"])
    for school in RankingPreset:
        rows = rank(table, school)
        assert set(rows) == set(np.flatnonzero(in_preset(table, school)))
        margins = table.margin[rows]
        falls = np.flatnonzero(margins < 0)
        assert falls.size == 0 or (margins[falls[0] :] < 0).all()  # those that hold come first
    sealed = rank(table, RankingPreset.SEALED)
    assert all(table.enclosure(row).is_sealed for row in sealed[:20])
    # A top drive behind a 10G bridge: five sixths of its rate can't pass.
    wasted = [r for r in range(len(table)) if table.drive(r).key == "kelmarsh-vane-4"]
    assert max(table.wasted_share[row] for row in wasted) > 0.8


def test_building_pays_from_some_capacity_on(slipway, catalog, shelf):
    """Building is cheaper from the named capacity on, and not below it."""
    table = table_of(slipway, catalog, shelf, "B", ["van-laptop"])
    steps, pays_from = crossover(table)
    both = [s for s in steps if s.built_row is not None and s.ready_made_row is not None]
    assert [s.capacity_bytes for s in both] == [1e12, 2e12, 4e12]
    for step in both:
        cheaper = step.built_price < step.ready_made_price
        assert cheaper == (pays_from is not None and step.capacity_bytes >= pays_from)


@given(
    hnp.arrays(np.float64, st.integers(0, 40), elements=st.floats(0, 100)),
    st.randoms(use_true_random=False),
)
def test_nothing_beats_the_front_and_all_else_is_beaten(price, random):
    """The front is exactly the set that no other row beats, by trying all pairs."""
    rate = np.array([random.choice([1.0, 2.0, 3.0, 5.0]) for _ in price])
    front = set(pareto_front(price, rate).tolist())
    for row in range(price.size):
        beaten = any(
            (price[other] <= price[row] and rate[other] >= rate[row])
            and (price[other] < price[row] or rate[other] > rate[row] or other < row)
            for other in range(price.size)
            if other != row
        )
        assert (row in front) == (not beaten)


@given(st.integers(1, 2**61))
def test_the_highest_bit_is_found(mask):
    """The best mode of a mask is its highest bit, whatever the mask."""
    assert ModeBits.best(np.array([mask], dtype=np.int64))[0] == mask.bit_length() - 1


def test_a_huge_catalog_keeps_the_cheapest_enclosures_and_says_so(slipway, catalog, shelf):
    """Where a catalog is too large the dearest cases are left out, and how many is said."""
    bits = ModeBits(catalog.modes)
    few = assemblies(catalog, shelf.units, bits, most=60)
    assert few.left_out > 0
    bought = [e.price for e, u in zip(few.enclosures, few.units, strict=True) if e and u is None]
    assert max(bought) < max(case.price for case in catalog.enclosures.values())
    with pytest.raises(BadValueError, match="link modes"):
        ModeBits({f"m{n}": mode for n in range(70) for mode in [catalog.modes["usb-2"]]})


def test_figures_by_price_have_no_zero_division(slipway, catalog, shelf):
    """Prices per MB/s and per TB written stay finite for a price or rate of nothing."""
    table = table_of(slipway, catalog, shelf, "C", ["kite"])
    assert len(table) > 0
    assert np.isfinite(price_per_delivered(table)).all()
    assert (price_per_endurance(table) >= 0).all()
    nowhere = table_of(slipway, catalog, shelf, "C", ["lapse"])
    assert pick_all(nowhere)  # CFexpress only, and it holds
