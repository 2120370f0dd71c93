"""A verdict moves one way: more asked, longer, hotter or fuller is never judged better."""

import itertools
from dataclasses import replace

import pytest
from hypothesis import given, settings

from drawn_catalogs import behaviours
from vastcellar.core.chain.chain import build_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.evidence import VERDICT_ORDER
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.verdict.judgement import judge_take
from vastcellar.data import data_path
from vastcellar.store.catalog_files import load_catalog
from vastcellar.store.shoot_files import read_shoot

HARDER = {
    "need": ("headroom", (0.0, 0.2, 0.8)),
    "take": ("longest_take_s", (60.0, 900.0, 5400.0)),
    "room": ("ambient_c", (5.0, 24.0, 40.0)),
    "fill": ("used_share", (0.0, 0.5, 0.9)),
}

SHIPPED = load_catalog()
CAMERA = read_shoot(data_path("demo", "slipway.shoot.json"), SHIPPED).camera("A")


def judged(catalog, camera, behaviour, ambient_c=24.0, used_share=0.0):
    """The verdict on a drive that writes like *behaviour*, in a sealed case on a 10G cable."""
    setup = Setup("pentle-q1-1", "van-laptop", "bolt-1", "M-1", "drumlin-pocket", "wr-10g")
    drive = replace(
        catalog.drive("pentle-q1-1"), behaviour=behaviour, claimed_write_bytes_per_s=9e9
    )
    changed = replace(catalog, drives={**catalog.drives, drive.key: drive})
    unit = Unit("M-1", drive.key, used_bytes=drive.capacity_bytes * used_share)
    chain = build_chain(find_parts(setup, changed, unit), changed, ambient_c)
    return judge_take(camera, camera_need(camera), chain, ambient_c)


@pytest.mark.parametrize("harder", HARDER)
@given(behaviour=behaviours())
@settings(max_examples=40, deadline=None)
def test_what_is_harder_is_never_judged_better(harder, behaviour):
    """Need, take, room and fill: each step up never makes a better verdict or more to spare."""
    catalog, camera = SHIPPED, replace(CAMERA, longest_take_s=900.0)
    name, steps = HARDER[harder]
    found = []
    for step in steps:
        if name in ("ambient_c", "used_share"):
            found.append(judged(catalog, camera, behaviour, **{name: step}))
        else:
            found.append(judged(catalog, replace(camera, **{name: step}), behaviour))
    margins = [each.margin for each in found]
    ranks = [VERDICT_ORDER.index(each.verdict) for each in found]
    for easier, later in itertools.pairwise(margins):
        # Below nothing it may turn round: a drive that is hot sooner writes less into its cache,
        # and falls short by its throttle instead of by what comes after the cache.
        assert later <= easier + 1e-9 or max(easier, later) < 0
    assert ranks == sorted(ranks)
