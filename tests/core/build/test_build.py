"""Stack heights, heat and checks of a build against sums worked out by hand."""

from dataclasses import replace

import pytest

from vastcellar.core.build.bill import Bill, BillLine
from vastcellar.core.build.checks import check, worst
from vastcellar.core.build.layout import Layout
from vastcellar.core.build.stack_path import as_laid_out, layer_k_per_w, stack_path
from vastcellar.core.build.temperatures import stack_heat
from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import Verdict
from vastcellar.core.links.links import Port
from vastcellar.core.parts.dimensions import BadPair, Pad
from vastcellar.core.parts.fitting import FitKind, case_misfit
from vastcellar.core.parts.parts import DriveKind, WriteBehaviour
from vastcellar.core.writing.heat import HeatPath
from vastcellar.core.writing.write_profile import Phase, write_profile


def of(checks, kind):
    """Return the check of that kind."""
    return next(fit for fit in checks if fit.kind is kind)


@pytest.fixture
def small(catalog):
    """A 2230 module with chips on both sides, in the finned 10G case: room 1.1 mm, pad 0.5."""
    drive = catalog.drive("torvane-s30-2")
    drive = replace(drive, size=replace(drive.size, bottom_mm=1.35))
    fin = catalog.enclosure("drumlin-fin")
    inside = replace(
        fin.inside, above_mm=2.6, under_mm=1.5, pad_mm=0.5, pad_w_per_mk=6.0, spreader_k_per_w=0.9
    )
    return Layout(drive, replace(fin, inside=inside))


def test_a_gap_of_air_by_hand(small):
    """300/231 + 0.5/(6 x 231) + 0.6/(0.026 x 231) + 0.9 = 102.5 up, beside 75: 43.3 K/W."""
    path = stack_path(small)
    assert [(step.name, round(step.k_per_w, 2)) for step in path.steps] == [
        ("chips", 1.30), ("pad", 0.36), ("air", 99.90), ("spreader", 0.90),
    ]  # fmt: skip
    assert path.up_k_per_w == pytest.approx(102.46, abs=0.01)
    assert path.drive_to_case_k_per_w == pytest.approx(43.31, abs=0.01)
    assert path.up_share == pytest.approx(75 / (75 + 102.46), abs=1e-4)
    assert path.hindering.name == "air"
    gap = of(check(small), FitKind.GAP)
    assert gap.verdict is Verdict.FALLS_SHORT
    assert gap.room_mm == pytest.approx(-0.6)


def test_the_right_pad_closes_it_by_hand(small, catalog):
    """A 1.5 mm pad of 6 W/mK pressed by 27 % to 1.1: 0.79, up 2.99, both ways 2.88 K/W."""
    mend = of(check(small, catalog.pads.values()), FitKind.GAP).mend
    assert dict(mend.values)["pad"] == "Pad 1.5 mm, 6 W/mK"
    mended = replace(small, pad=catalog.pads["pad-15-6"])
    path = stack_path(mended)
    assert path.steps[1].k_per_w == pytest.approx(1100 / (6 * 231), abs=1e-3)
    assert path.up_k_per_w == pytest.approx(2.99, abs=0.01)
    assert path.drive_to_case_k_per_w == pytest.approx(2.88, abs=0.01)
    fit = of(check(mended), FitKind.GAP)
    assert fit.verdict is Verdict.HOLDS
    assert mended.pad_fit.pressed_share == pytest.approx(1 - 1.1 / 1.5)
    case = as_laid_out(mended).case
    assert case.drive_to_case_k_per_w == pytest.approx(2.88, abs=0.01)
    assert case.case_to_room_k_per_w == small.enclosure.case.case_to_room_k_per_w


def test_adhesive_tape_is_no_thermal_pad(small):
    """0.2 mm of tape leaves 0.9 mm of air; pressed between touching parts it resists 30 times."""
    tape = Pad("t", "Tape", 0.2, 0.2)
    assert of(check(replace(small, pad=tape)), FitKind.GAP).room_mm == pytest.approx(-0.9)
    assert layer_k_per_w(0.2, 0.2, 231) / layer_k_per_w(0.2, 6.0, 231) == pytest.approx(30)


def test_too_thick_a_pad_bends_the_board_and_chips_may_meet_the_lid(small):
    """2 mm in 1.1 is pressed by 45 %; with 1.2 mm above the board the chips stick out by 0.3."""
    thick = of(check(replace(small, pad=Pad("p", "2", 2.0, 6.0))), FitKind.PRESSED)
    assert thick.verdict is Verdict.FALLS_SHORT
    assert dict(thick.said.values)["pressed_share"] == pytest.approx(0.45)
    assert thick.room_mm == pytest.approx(-(2.0 - 1.1 / 0.7))
    low = replace(small.enclosure, inside=replace(small.enclosure.inside, above_mm=1.2))
    meets = of(check(replace(small, enclosure=low)), FitKind.PRESSED)
    assert dict(meets.said.values)["over_mm"] == pytest.approx(0.3)


def test_chips_below_are_tight_by_015_mm(small):
    """1.5 mm under the board, chips of 1.35: what is left is told, and counts as tight."""
    under = of(check(small), FitKind.UNDER)
    assert under.verdict is Verdict.TIGHT
    assert under.room_mm == pytest.approx(0.15)


@pytest.mark.parametrize(
    ("port_w", "beside_w", "verdict"),
    [(7.5, 0.0, Verdict.HOLDS), (4.5, 0.0, Verdict.TIGHT), (2.5, 0.0, Verdict.FALLS_SHORT),
     (7.5, 4.0, Verdict.FALLS_SHORT), (0.0, 0.0, Verdict.NOT_KNOWN)],
)  # fmt: skip
def test_power_at_peak_against_the_ports_budget(small, port_w, beside_w, verdict):
    """3.4 W of the module and 0.7 of the bridge: 4.1 of 7.5, tight on 4.5, too much on 2.5."""
    port = Port("p", "Port", "C", ("usb-10g",), power_w=port_w)
    found = of(check(replace(small, port=port, beside_w=beside_w)), FitKind.POWER)
    assert found.verdict is verdict
    if port_w:
        assert dict(found.said.values)["needed_w"] == pytest.approx(4.1 + beside_w)


def test_the_way_to_the_port_is_matchs_own(small, catalog):
    """Wrong plug, a tunnel-only case on plain USB, a good cable: as Match negotiates it."""
    host = catalog.host("maro-6")
    port = next(port for port in host.ports if port.plug == "C")
    base = replace(small, host=host, port=port, modes=catalog.modes)
    good = of(check(replace(base, cable=catalog.cable("wr-10g"))), FitKind.LINK)
    assert good.verdict is Verdict.HOLDS
    wrong = of(check(replace(base, cable=catalog.cable("wr-5g-ac"))), FitKind.LINK)
    assert wrong.verdict is Verdict.FALLS_SHORT
    hollow = replace(base, enclosure=catalog.enclosure("sedgeway-hollow"))
    tunnel = of(check(replace(hollow, cable=catalog.cable("wr-40g-08"))), FitKind.LINK)
    assert "tunnel-only" in dict(tunnel.said.values)["text"]


def test_weight_splash_and_bad_pairs(small, catalog):
    """Straight in the socket 86 g are light and 218 g dangle; out in the wet fins are open."""
    port = Port("p", "Port", "C", ("usb-10g",), power_w=15.0)
    assert of(check(replace(small, port=port)), FitKind.WEIGHT).verdict is Verdict.HOLDS
    heavy = replace(small, port=port, enclosure=catalog.enclosure("drumlin-forge"))
    assert of(check(heavy), FitKind.WEIGHT).verdict is Verdict.TIGHT
    lying = replace(heavy, cable=catalog.cable("wr-40g-08"))
    assert of(check(lying), FitKind.WEIGHT).verdict is Verdict.HOLDS
    wet = of(check(replace(small, wants_splash=True)), FitKind.SPLASH)
    assert wet.verdict is Verdict.FALLS_SHORT
    rated = replace(small, wants_splash=True, enclosure=catalog.enclosure("drumlin-splash"))
    assert of(check(rated), FitKind.SPLASH).verdict is Verdict.HOLDS
    pair = BadPair("x", small.drive.key, small.enclosure.key, "drops out")
    other = BadPair("y", small.drive.key, "another", "drops out")
    found = [f for f in check(replace(small, bad_pairs=(pair, other))) if f.kind is FitKind.PAIR]
    assert [f.verdict for f in found] == [Verdict.FALLS_SHORT]


def test_what_isnt_known_never_fits(small):
    """Without measures the stack, the power and the weight are not known, and so is the whole."""
    bare = replace(small.drive, size=None, peak_w=0.0, mass_g=0.0)
    port = Port("p", "Port", "C", ("usb-10g",), power_w=15.0)
    blind = Layout(bare, replace(small.enclosure, inside=None), port=port)
    found = check(blind)
    for kind in (FitKind.GAP, FitKind.POWER, FitKind.WEIGHT, FitKind.KEY, FitKind.UNDER):
        assert of(found, kind).verdict is Verdict.NOT_KNOWN
    assert worst(found) is Verdict.NOT_KNOWN
    assert stack_path(blind) is None
    assert as_laid_out(blind) is blind.enclosure
    with pytest.raises(BadValueError, match="is closed: there is nothing to build"):
        Layout(replace(bare, kind=DriveKind.READY_MADE, host_modes=("usb-10g",)), small.enclosure)


def test_every_case_that_ships_conducts_as_it_is_listed(catalog):
    """With its own pad and a single-sided module: Build and Match must not say two things."""
    modules = {"2280": catalog.drive("torvane-t2-2"), "2230": catalog.drive("torvane-s30-1")}
    seen = 0
    for case in catalog.enclosures.values():
        form = next((form for form in ("2280", "2230") if form in case.forms), None)
        if form is None:
            continue
        path = stack_path(Layout(modules[form], case))
        assert path.drive_to_case_k_per_w == pytest.approx(
            case.case.drive_to_case_k_per_w, rel=0.01
        )
        assert of(check(Layout(modules[form], case)), FitKind.GAP).verdict is Verdict.HOLDS
        seen += 1
    assert seen >= 9


def test_the_catalogs_flags_agree_with_its_measures(catalog):
    """Where both are given, chips on both sides go in exactly where the case says it takes them."""
    double = catalog.drive("kelmarsh-vane-8")
    assert double.is_double_sided and double.size.bottom_mm > 0
    for case in catalog.enclosures_for(catalog.drive("torvane-t2-2")):
        assert bool(case_misfit(double, case)) == (not case.takes_double_sided), case.key
    for case in catalog.enclosures.values():
        if case.inside and case.inside.posts_mm:
            assert {f"22{post:.0f}" for post in case.inside.posts_mm} == set(case.forms)


def test_a_bill_by_hand():
    """142 + 6 bought, 34 at hand: 148 to pay, 182 all new; 91 a TB; the slowest comes in 2 days."""
    lines = (
        BillLine("Module", 142, delivery_days=2), BillLine("Pad", 6, "consumable", delivery_days=1),
        BillLine("Case", 34, reused_from="K-13"), BillLine("Driver", 9, "tool", reused_from="van"),
    )  # fmt: skip
    bill = Bill(lines, 2e12, 910e6, 1.2e15)
    assert (bill.to_pay, bill.all_new, bill.delivery_days) == (148, 182, 2)
    assert bill.worth.per_tb == 91
    assert bill.worth.per_lasting_mb_per_s == pytest.approx(0.2)
    assert bill.worth.per_endurance_tb == pytest.approx(182 / 1200)
    unknown = Bill((*lines, BillLine("Post", 1)), 2e12, 0.0, 0.0)
    assert unknown.delivery_days is None
    assert unknown.worth.per_lasting_mb_per_s == unknown.worth.per_endurance_tb == float("inf")


def test_layers_drop_as_they_resist(small):
    """What crosses a row of layers drops at each by its share; both ways share the whole drop."""
    path = stack_path(small)
    case = as_laid_out(small).case
    writes = WriteBehaviour(1e9, 1e9, idle_w=0.6, cache_j_per_gb=1.7)
    heat = HeatPath(
        writes.heat_capacity_j_per_k, case.heat_capacity_j_per_k, case.drive_to_case_k_per_w,
        case.case_to_room_k_per_w, case.bridge_w, 24.0,
    )  # fmt: skip
    run = write_profile(writes, heat, 1e12, (Phase(160e6, 8 * 3600.0),), free_bytes=1e15)
    found = stack_heat(path, run)
    # 0.6 + 1.7 x 0.16 W in the drive, after hours in balance: the lid by both heats, then 43 K/W.
    drive_w = 0.6 + 1.7 * 0.16
    lid_c = 24.0 + case.case_to_room_k_per_w * (drive_w + case.bridge_w)
    assert found.case_c == pytest.approx(lid_c, abs=0.1)
    assert found.chips_c == pytest.approx(lid_c + drive_w * path.drive_to_case_k_per_w, abs=0.2)
    assert found.up_w + found.down_w == pytest.approx(drive_w, rel=0.01)
    assert found.layers[0].below_c == found.chips_c
    assert found.layers[-1].above_c == pytest.approx(found.case_c)
    drops = {layer.name: layer.below_c - layer.above_c for layer in found.layers}
    assert max(drops, key=drops.get) == "air"
    assert drops["air"] / sum(drops.values()) == pytest.approx(99.90 / 102.46, abs=1e-3)
