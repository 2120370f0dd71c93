"""Over drawn catalogs the table of candidates and the single chain are one rule, not two."""

import itertools
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn_catalogs import catalogs, kept_setups, shelves
from vastcellar.core.candidates.candidates import find_candidates
from vastcellar.core.chain.chain import build_chain
from vastcellar.core.chain.measured_stages import StageMeasurement, build_measured_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.evidence import VERDICT_ORDER
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.verdict.bottlenecks import verdict_ranks
from vastcellar.core.verdict.judgement import judge_take
from vastcellar.store.catalog_files import load_catalog

SHIPPED = load_catalog()
WHEN = datetime(2026, 5, 3, tzinfo=UTC)


def way_of(setup):
    """A setup without its cable: of cables that carry the same only the cheapest is listed."""
    return replace(setup, cable_key="")


def everything(catalog, units, kept):
    """Every setup that can be named at all, whether or not it goes together."""
    # A store of several disks is no one thing that could be bought: only a unit is one.
    sold = [d.key for d in catalog.drives.values() if d.kind is not DriveKind.STORE]
    things = [(drive, "", "") for drive in sold]
    things += [(d, e, "") for d, e in itertools.product(sold, catalog.enclosures)]
    for unit in units:
        bare = catalog.drive(unit.drive_key).needs_enclosure and not unit.enclosure_key
        closed = not catalog.drive(unit.drive_key).needs_enclosure
        cases = catalog.enclosures if bare else ["" if closed else unit.enclosure_key]
        things += [(unit.drive_key, case, unit.tag) for case in cases]
    between = [((), 1)] + [((hub.key,), 1) for hub in catalog.hubs.values() if hub.slots == 1]
    if kept.hub_keys and (kept.hub_keys, kept.sharing) not in between:
        between.append((kept.hub_keys, kept.sharing))
    for (drive, case, tag), host in itertools.product(things, catalog.hosts.values()):
        for port, (hubs, sharing) in itertools.product(host.ports, between):
            if hubs and (host.is_camera or port.is_slot):
                continue  # nobody hangs a reader on a camera or into a slot
            for cable in [""] if port.is_slot else catalog.cables:
                yield Setup(
                    drive, host.key, port.key, tag, case, cable, hubs, sharing,
                    kept.file_system_key, kept.is_encrypted,
                )  # fmt: skip


@given(data=st.data())
@settings(max_examples=60, deadline=None)
def test_a_candidate_is_listed_exactly_when_its_chain_has_no_problem(slipway, data):
    """Neither a setup that doesn't connect nor a missing one that does, whatever the catalog."""
    catalog = data.draw(catalogs(SHIPPED))
    units, kept = data.draw(shelves(catalog)), data.draw(kept_setups(catalog))
    camera = replace(slipway.camera("A"), longest_take_s=900.0)
    table = find_candidates(
        camera, camera_need(camera), list(catalog.hosts.values()), catalog, units, 30.0, kept=kept
    )
    listed = {way_of(table.setup(row)) for row in range(len(table))}
    tags = {unit.tag: unit for unit in units}
    connects = {
        way_of(setup)
        for setup in everything(catalog, units, kept)
        if not build_chain(
            find_parts(setup, catalog, tags.get(setup.unit_tag)), catalog, 30
        ).problem
    }
    assert listed == connects


@given(data=st.data())
@settings(max_examples=60, deadline=None)
def test_a_row_says_what_its_chain_and_its_verdict_say(slipway, data):
    """Rates, margin and bottleneck of a row are those of the setup it is taken over as."""
    catalog = data.draw(catalogs(SHIPPED))
    units, kept = data.draw(shelves(catalog)), data.draw(kept_setups(catalog))
    camera = replace(
        slipway.camera(data.draw(st.sampled_from("ABD"))),
        longest_take_s=data.draw(st.sampled_from((60.0, 900.0, 3600.0))),
    )
    need, ambient_c = camera_need(camera), data.draw(st.floats(5, 40))
    stages = [
        StageMeasurement(
            "h0", "p0", key, part, mode, data.draw(st.floats(20e6, 3000e6)), WHEN
        )
        for key, part in (("bridge", "e0"), ("slot", "e0"), ("hub", "u0"))
        for mode in data.draw(st.lists(st.sampled_from(("usb-10g", "usb4-40g")), max_size=1))
    ]  # fmt: skip
    table = find_candidates(
        camera, need, list(catalog.hosts.values()), catalog, units, ambient_c,
        stages=stages, kept=kept,
    )  # fmt: skip
    tags = {unit.tag: unit for unit in units}
    for row in range(0, len(table), max(len(table) // 12, 1)):
        setup = table.setup(row)
        assert (setup.file_system_key, setup.is_encrypted) == (
            kept.file_system_key, kept.is_encrypted,
        )  # fmt: skip
        parts = find_parts(setup, catalog, tags.get(setup.unit_tag))
        chain = build_measured_chain(parts, catalog, ambient_c, stages)
        found = judge_take(camera, need, chain, ambient_c)
        assert table.link_cap[row] == pytest.approx(chain.link_cap_bytes_per_s)
        assert table.at_first_write[row] == pytest.approx(chain.at_first_bytes_per_s)
        assert table.reading[row] == pytest.approx(chain.reading_bytes_per_s)
        assert table.free_bytes[row] == found.free_bytes
        assert table.verdict(row) is found.verdict
        assert table.bottleneck(row) is found.bottleneck
        if found.margin is not None:
            assert table.margin[row] == pytest.approx(found.margin, rel=1e-3, abs=1e-6)


@given(st.lists(st.floats(-1, 3) | st.just(np.nan), min_size=1))
def test_margins_as_an_array_are_ranked_as_each_is_judged(margins):
    """The verdict at 10 % is one rule: for one margin and for thousands."""
    ranks = verdict_ranks(np.array(margins))
    alone = [verdict_ranks(np.array([margin]))[0] for margin in margins]
    assert ranks.tolist() == alone
    assert all(VERDICT_ORDER[rank].value for rank in ranks)
