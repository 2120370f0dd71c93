"""Several drives at once: mirrors, shared uplinks, and from where building pays."""

from dataclasses import replace
from itertools import permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.build.checks import check, mirror_bytes_per_s
from vastcellar.core.build.kinds import BuildKind, kind_of
from vastcellar.core.build.layout import Layout
from vastcellar.core.build.steps import Caution, minutes_of, screws_of, steps_of
from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.crossing import crossing, pays_from
from vastcellar.core.parts.fitting import FitKind
from vastcellar.core.parts.mirrors import mirrored_pairs

_TB = 1e12
_NO_WAY = float("inf")


def of(checks, kind):
    """Return the check of that kind."""
    return next(fit for fit in checks if fit.kind is kind)


@pytest.fixture
def store(catalog):
    """Two disks of 4 TB in the two-bay store behind gigabit."""
    disk = catalog.drive("kelmarsh-dray-4")
    return Layout(disk, catalog.enclosure("sedgeway-loft-2"), modes=catalog.modes)


@pytest.fixture
def dock(catalog):
    """Four magazines in the dock with one 10G uplink."""
    module, case = catalog.drive("torvane-s30-2"), catalog.enclosure("sedgeway-mag")
    return Layout(module, case, modes=catalog.modes, dock=catalog.hub("sedgeway-berth-4"))


def test_a_mirror_of_mixed_sizes_wastes_the_rest_of_the_larger():
    """8 with 4: 4 to use, 4 wasted; of 8, 4, 8, 6 the two of 8 go together, and 2 is wasted."""
    two = mirrored_pairs([4 * _TB, 8 * _TB])
    assert (two.usable_bytes, two.wasted_bytes, two.protective_bytes) == (4e12, 4e12, 4e12)
    four = mirrored_pairs([8 * _TB, 4 * _TB, 8 * _TB, 6 * _TB])
    assert four.pairs == ((8e12, 8e12), (6e12, 4e12))
    assert (four.usable_bytes, four.wasted_bytes) == (12e12, 2e12)


@given(st.lists(st.integers(1, 30), min_size=2, max_size=6).filter(lambda each: len(each) % 2 == 0))
def test_no_other_pairing_gives_more(sizes):
    """Of all ways to pair them the chosen one has most to use; nothing is lost in the account."""
    found = mirrored_pairs(sizes)
    ways = (
        sum(min(pair) for pair in zip(order[::2], order[1::2], strict=True))
        for order in permutations(sizes)
    )
    assert found.usable_bytes == max(ways)
    assert found.usable_bytes + found.protective_bytes + found.wasted_bytes == sum(sizes)


@pytest.mark.parametrize("sizes", [[], [1e12], [1e12, 2e12, 3e12], [1e12, 0.0]])
def test_what_cant_be_mirrored_says_so(sizes):
    """No disk, an odd number, a disk of nothing: refused in one sentence."""
    with pytest.raises(BadValueError):
        mirrored_pairs(sizes)


def test_a_store_by_hand(store, catalog):
    """Gigabit carries 110 MB/s in use, the disk writes 130: the network is the limit."""
    checks = check(store)
    assert kind_of(store) is BuildKind.STORE
    assert store.capacity_bytes == 4e12
    assert of(checks, FitKind.MIRROR).verdict is Verdict.HOLDS
    network = of(checks, FitKind.NETWORK)
    values = dict(network.said.values)
    assert values["network_bytes_per_s"] == catalog.modes["eth-1g"].typical_bytes_per_s
    assert values["disk_bytes_per_s"] == mirror_bytes_per_s(store)
    assert network.verdict is Verdict.TIGHT
    faster = replace(store, enclosure=catalog.enclosure("sedgeway-loft-4"))
    assert of(check(faster), FitKind.NETWORK).verdict is Verdict.HOLDS
    assert faster.capacity_bytes == 8e12


def test_a_stores_other_disks_are_looked_at_too(store, catalog):
    """A module beside the disk goes into no bay, and a larger disk is wasted in part."""
    module = catalog.drive("torvane-s30-2")
    wrong = [fit for fit in check(replace(store, beside=(module,))) if fit.kind is FitKind.PROTOCOL]
    assert [fit.verdict for fit in wrong] == [Verdict.HOLDS, Verdict.FALLS_SHORT]
    mixed = replace(store, beside=(catalog.drive("kelmarsh-dray-8"),))
    mirror = of(check(mixed), FitKind.MIRROR)
    assert mirror.verdict is Verdict.TIGHT
    assert dict(mirror.said.values)["wasted_bytes"] == 4e12
    with pytest.raises(BadValueError):
        replace(store, beside=(module, module))


def test_what_isnt_known_of_one_disk_isnt_known_of_the_mirror(store):
    """A disk of which nothing but its box is known: the network's check says not known."""
    unknown = replace(store, beside=(replace(store.drive, key="other", behaviour=None),))
    assert of(check(unknown), FitKind.NETWORK).verdict is Verdict.NOT_KNOWN


def test_a_docks_uplink_is_shared_by_all_its_slots(dock, catalog):
    """Four magazines at once on one 10G uplink: a quarter of what it carries in use each."""
    shared = of(check(dock), FitKind.SHARED)
    each = catalog.modes["usb-10g"].typical_bytes_per_s / 4
    assert dict(shared.said.values)["each_bytes_per_s"] == each == pytest.approx(250e6, rel=0.05)
    assert shared.verdict is Verdict.TIGHT
    assert of(check(dock), FitKind.SLOT).verdict is Verdict.HOLDS
    fin = replace(dock, enclosure=catalog.enclosure("drumlin-fin"))
    assert of(check(fin), FitKind.SLOT).verdict is Verdict.FALLS_SHORT
    with pytest.raises(BadValueError):
        replace(dock, dock=catalog.hub("drumlin-spur-4"))


def test_a_docks_steps_count_every_magazine(dock):
    """Three more are built as the first was, each is pulled at; a dock has its own power first."""
    steps = steps_of(dock)
    keys = [step.key for step in steps]
    assert keys.index("others") < keys.index("dock power") < keys.index("slots")
    alone = steps_of(replace(dock, dock=None, enclosure=replace(dock.enclosure, kind="")))
    assert minutes_of(steps) > minutes_of(alone) + 3


def test_a_stores_steps(store):
    """Off the mains first; eight screws for two disks; mirrored once it is plugged in."""
    steps = {step.key: step for step in steps_of(store)}
    assert Caution.MAINS in steps["mains"].cautions
    assert screws_of(store) == 8
    assert list(steps).index("plug in") < list(steps).index("mirror")
    assert dict(steps["mirror"].said.values)["sync_s"] == pytest.approx(
        4e12 / mirror_bytes_per_s(store)
    )


def test_the_crossing_by_hand():
    """119/189/359 ready-made, 132/182/319 built at 1, 2, 4 TB: 119 + 70 t = 132 + 50 t at 0.65."""
    steps = [(1.0, 132.0, 119.0), (2.0, 182.0, 189.0), (4.0, 319.0, 359.0)]
    assert pays_from(steps) == 2.0
    capacity, price = crossing(steps)
    assert capacity == pytest.approx(1.65)
    assert price == pytest.approx(164.5)


@pytest.mark.parametrize(
    ("steps", "pays"),
    [
        ([], None),
        ([(1, 90, 100), (2, 150, 160)], 1),
        ([(1, 90, 100), (2, 170, 160)], None),
        ([(1, 110, 100), (2, 150, _NO_WAY), (4, 200, 300)], 4),
    ],
)
def test_no_ring_is_drawn_where_nothing_crosses(steps, pays):
    """Always cheaper, dearer in the end, one without the other: only the last of these crosses."""
    assert pays_from(steps) == pays
    assert (crossing(steps) is not None) == (pays == 4)


@given(st.lists(st.tuples(st.integers(1, 500), st.integers(1, 500)), min_size=2, max_size=8))
def test_where_lines_cross_both_cost_the_same(prices):
    """At the ring either line has the ring's price, and after it building is the cheaper."""
    steps = [(float(at), float(one), float(two)) for at, (one, two) in enumerate(prices, 1)]
    found = crossing(steps)
    if found is None:
        return
    capacity, price = found
    low = next(step for step in reversed(steps) if step[0] <= capacity)
    high = next(step for step in steps if step[0] >= capacity)
    share = capacity - low[0]
    for way in (1, 2):
        assert low[way] + share * (high[way] - low[way]) == pytest.approx(price)
    assert all(one < two for at, one, two in steps if at > capacity)
