"""A build from parts and tags: checked, judged with its own heat path, mended, priced."""

from dataclasses import replace

import pytest

from vastcellar.core.build.kinds import BuildKind, kind_of
from vastcellar.core.build.steps import Caution, screws_of
from vastcellar.core.errors import BadValueError, UnknownPartError, VastCellarError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.fitting import FitKind, case_misfit
from vastcellar.core.parts.parts import DriveKind
from vastcellar.core.units import PLAIN
from vastcellar.services.build.billing import instead_of
from vastcellar.services.build.building import build, mended
from vastcellar.services.build.chosen import Chosen, chosen_from
from vastcellar.services.build.price_wording import price_words
from vastcellar.services.build.tiers import tiers_of
from vastcellar.services.build.variants import gains_of
from vastcellar.services.build.wording import (
    CAUTION_WORDS,
    CHECK_NAMES,
    FIT_WORDS,
    fit_sentence,
    gains_sentence,
    mend_words,
    step_words,
)
from vastcellar.services.match.judging import chain_of, judge_camera


def test_a_tag_gives_the_case_for_another_module(catalog, shelf):
    """K-13's case is reused and not paid for; a drive that is named outranks the unit's own."""
    chosen = chosen_from(("torvane-t2-2", "K-13", "wr-10g"), catalog, shelf)
    case = shelf.unit("K-13").enclosure_key
    assert (chosen.drive_key, chosen.enclosure_key) == ("torvane-t2-2", case)
    assert chosen.reused == ((case, "K-13"),)
    made = build(chosen, catalog, shelf)
    drive, enclosure = catalog.drive("torvane-t2-2"), catalog.enclosure(case)
    cable = catalog.cable("wr-10g")
    assert made.bill.to_pay == drive.price + cable.price
    assert made.bill.all_new == drive.price + enclosure.price + cable.price
    assert f"{made.bill.to_pay:.0f} EUR to pay" in price_words(made, PLAIN, "EUR")


@pytest.mark.parametrize(
    ("parts", "says"),
    [(("nix",), "nothing is called 'nix'"), (("torvane-t2-2",), "a case is missing"),
     (("drumlin-fin",), "a bare drive is missing"),
     (("kelmarsh-pebble-2", "drumlin-fin"), "is closed: there is nothing to build")],
)  # fmt: skip
def test_parts_that_make_no_build_are_said(parts, says, catalog, shelf):
    """Unknown names, half a build, a drive that is closed already: a sentence each."""
    with pytest.raises((BadValueError, UnknownPartError), match=says):
        build(chosen_from(parts, catalog, shelf), catalog, shelf)
    with pytest.raises(UnknownPartError, match="no pad 'x'"):
        build(Chosen("torvane-t2-2", "drumlin-fin", "x"), catalog, shelf)


def test_a_wrong_pad_costs_margin_and_the_right_one_gives_it_back(catalog, shelf, slipway):
    """Tape leaves 0.8 mm of air over the chips: 50 K hotter, and the throttle eats the margin."""
    camera = slipway.camera("A")
    right = build(Chosen("kelmarsh-vane-2", "drumlin-fin"), catalog, shelf, slipway, camera)
    assert right.verdict is Verdict.HOLDS
    taped = build(
        Chosen("kelmarsh-vane-2", "drumlin-fin", "tape-02"), catalog, shelf, slipway, camera
    )
    gap = taped.of(FitKind.GAP)
    assert gap.verdict is Verdict.FALLS_SHORT and gap.room_mm == pytest.approx(-0.8)
    assert taped.path.hindering.name == "air"
    assert taped.judgement.run.hottest_c > right.judgement.run.hottest_c + 40
    assert taped.judgement.margin < right.judgement.margin / 2
    again = build(mended(taped, catalog), catalog, shelf, slipway, camera)
    assert again.of(FitKind.GAP).verdict is Verdict.HOLDS
    assert again.judgement.margin == pytest.approx(right.judgement.margin, rel=0.01)
    assert mended(again, catalog) is None
    assert mend_words(gap, PLAIN, "EUR") == "take Pad 1.25 mm, 6 W/mK, 6 EUR"


def test_as_listed_build_and_match_say_the_same(catalog, shelf, slipway):
    """The case with its own pad: the take that Build judges is the one that Match judges."""
    camera = slipway.camera("B")
    drive = catalog.drive("torvane-t2-2")
    for case in catalog.enclosures_for(drive):
        if not set(case.host_modes) & {"usb-10g"}:
            continue
        made = build(Chosen(drive.key, case.key), catalog, shelf, slipway, camera)
        setup = replace(camera.setup, drive_key=drive.key, enclosure_key=case.key, unit_tag="")
        match = judge_camera(slipway, replace(camera, setup=setup), catalog, shelf)
        assert made.judgement.verdict is match.verdict
        if match.margin is not None:
            assert made.judgement.margin == pytest.approx(match.margin, abs=0.01)


def test_every_bare_drive_in_every_case_has_words_and_steps(catalog, shelf):
    """No pair stops the screen; what doesn't go in says so first; steps count every screw."""
    bare = [drive for drive in catalog.drives.values() if drive.needs_enclosure]
    kinds = set()
    for drive in bare:
        alone = [(case.key, "") for case in catalog.cases.values()]
        for case_key, dock_key in [*alone, ("sedgeway-mag", "sedgeway-berth-4")]:
            made = build(Chosen(drive.key, case_key, dock_key=dock_key), catalog, shelf)
            sentence = fit_sentence(made, PLAIN)
            assert sentence.startswith(("It fits", "It doesn't fit", "Not known whether it fits"))
            assert all(fit.kind in CHECK_NAMES and FIT_WORDS[fit.verdict] for fit in made.checks)
            words = [step_words(step, PLAIN) for step in made.steps]
            assert len(set(words)) == len(words) and all(word[-1] in ".?" for word in words)
            screws = screws_of(made.layout)
            assert any(f"all {screws} screws" in word for word in words) == bool(screws)
            kinds.add(kind_of(made.layout))
    assert kinds == set(BuildKind)


def test_what_cannot_be_undone_is_marked_and_warned_of(catalog, shelf):
    """The shell of a card closes for good; a mains case begins with its plug."""
    shell = build(Chosen("torvane-s30-1", "sedgeway-shell-b"), catalog, shelf)
    (final,) = [step for step in shell.steps if not step.can_undo]
    assert Caution.FOR_GOOD in final.cautions and CAUTION_WORDS[Caution.FOR_GOOD]
    disk = build(Chosen("kelmarsh-dray-8", "sedgeway-dock-35"), catalog, shelf)
    assert [step.key for step in disk.steps][:2] == ["lay out", "mains"]
    fin = build(Chosen("torvane-t2-2", "drumlin-fin"), catalog, shelf)
    keys = [step.key for step in fin.steps]
    assert keys.index("pad") < keys.index("foils") < keys.index("close")
    assert all(step.can_undo for step in fin.steps)
    magazine = build(Chosen("torvane-t2-2", "sedgeway-mag"), catalog, shelf)
    assert "latch" in [step.key for step in magazine.steps]
    assert magazine.steps[0].key == "mount" and "ASA" in step_words(magazine.steps[0], PLAIN)
    printed = [line for line in magazine.bill.lines if line.kind == "print"]
    assert len(printed) == 1 and printed[0].name.endswith("g of ASA")


def test_instead_of_building_closed_drives_of_that_size_are_named(catalog, shelf):
    """At least as large, cheapest first; a computer's own upgrade only for that computer."""
    made = build(Chosen("torvane-t2-2", "drumlin-fin"), catalog, shelf)
    offered = instead_of(made.layout, catalog)
    assert offered
    prices = [each.drive.price for each in offered]
    assert prices == sorted(prices)
    assert all(each.drive.capacity_bytes >= 2e12 and not each.drive.only_host for each in offered)


def test_what_a_pad_a_case_and_a_fan_gain(catalog, shelf, slipway):
    """One at a time, by the same model: each cooler than the tape, and none worse for the take."""
    camera = slipway.camera("A")
    taped = build(
        Chosen("kelmarsh-vane-2", "drumlin-pocket", "tape-02"), catalog, shelf, slipway, camera
    )
    gains = {gain.what: gain for gain in gains_of(taped, catalog, shelf, slipway, camera)}
    assert set(gains) == {"pad", "case", "fan"}
    for gain in gains.values():
        assert gain.chips_c < taped.judgement.run.hottest_c
        assert gain.judgement.margin >= taped.judgement.margin - 1e-9
    pad = build(replace(taped.chosen, pad_key="pad-05-6"), catalog, shelf, slipway, camera)
    assert gains["pad"].chips_c == pytest.approx(pad.judgement.run.hottest_c)
    told = gains_sentence(tuple(gains.values()), PLAIN)
    assert told.startswith("With Pad 0.5 mm, 6 W/mK ") and "; with a fan " in told
    nothing = build(Chosen("kelmarsh-vane-8", "drumlin-pocket"), catalog, shelf, slipway, camera)
    assert gains_of(nothing, catalog, shelf, slipway, camera) == ()
    assert gains_sentence((), PLAIN) == ""


def test_a_build_beside_ready_made_drives_by_capacity(catalog, shelf):
    """Its own row is its bill without the cable; others keep what is round them; the ring is on
    both lines; a computer's upgrade stands only beside a build for that computer."""
    made = build(Chosen("torvane-t2-2", "drumlin-fin", "pad-125-6"), catalog, shelf)
    tiers = tiers_of(made, catalog, shelf, None, None)
    own = next(row for row in tiers.rows if row.capacity_bytes == 2e12)
    assert own.built.worth == made.bill.worth
    assert own.built.delivery_days == made.bill.delivery_days
    rest = made.bill.all_new - made.layout.drive.price
    for row in tiers.rows:
        assert row.factory is None
        if row.built is not None and row is not own:
            assert row.built.worth.price == row.built.drive.price + rest
            assert not case_misfit(row.built.drive, made.layout.enclosure)
        if row.ready_made is not None:
            same = [each.price for each in catalog.drives.values()
                    if each.kind is DriveKind.READY_MADE
                    and each.capacity_bytes == row.capacity_bytes]  # fmt: skip
            assert row.ready_made.worth.price == min(same)
    assert [row.capacity_bytes for row in tiers.rows] == sorted(
        {row.capacity_bytes for row in tiers.rows}
    )


def test_tiers_are_asked_of_the_cameras_own_port(catalog, shelf, slipway):
    """With a camera each row lasts at what its chain says; the build's own at what its bill says;
    a computer's own disk lasts at nothing there."""
    camera = slipway.camera("B")
    made = build(Chosen("torvane-t2-2", "drumlin-fin"), catalog, shelf, slipway, camera)
    tiers = tiers_of(made, catalog, shelf, slipway, camera)
    own = next(row for row in tiers.rows if row.capacity_bytes == 2e12)
    assert own.built.worth.lasting_bytes_per_s == made.bill.lasting_bytes_per_s > 0
    ready = own.ready_made
    setup = replace(camera.setup, drive_key=ready.drive.key, enclosure_key="", unit_tag="")
    chain = chain_of(setup, catalog, shelf, slipway.ambient_c)
    assert ready.worth.lasting_bytes_per_s == (0 if chain.problem else chain.lasting_bytes_per_s)


def test_several_drives_at_once_are_billed_by_their_count(catalog, shelf):
    """Two disks and their store; four magazines with one case at hand and three to buy; half of
    what both disks endure; no closed drive stands beside either."""
    store = build(Chosen("kelmarsh-dray-4", "sedgeway-loft-2"), catalog, shelf)
    disk, box = catalog.drive("kelmarsh-dray-4"), catalog.cases["sedgeway-loft-2"]
    assert store.bill.all_new == 2 * disk.price + box.price
    assert store.bill.capacity_bytes == disk.capacity_bytes
    assert store.bill.tbw_bytes == disk.tbw_bytes
    reused = (("sedgeway-mag", "M-01"),)
    four = Chosen("torvane-s30-2", "sedgeway-mag", reused=reused, dock_key="sedgeway-berth-4")
    dock = build(four, catalog, shelf)
    cases = [line for line in dock.bill.lines if "Tray" in line.name]
    assert [(line.count, bool(line.reused_from)) for line in cases] == [(1, True), (3, False)]
    for made in (store, dock):
        assert instead_of(made.layout, catalog) == ()
        assert tiers_of(made, catalog, shelf, None, None).rows == ()


def test_no_camera_records_to_a_store(catalog, shelf, slipway):
    """With a camera the fit is told, and no take is judged; Match doesn't list the store."""
    camera = slipway.camera("B")
    made = build(Chosen("kelmarsh-dray-4", "sedgeway-loft-2"), catalog, shelf, slipway, camera)
    assert made.judgement is None and made.verdict is Verdict.TIGHT
    assert "sedgeway-loft-2" not in catalog.enclosures
    assert "sedgeway-loft-2" in catalog.cases


def test_a_magazines_straight_plug_is_mended_by_an_angled_cable(catalog, shelf, slipway):
    """The shoot's straight cable is tight behind the mount; the mend takes the angled one, which
    is then on the bill; mount, inserts, screws and spring are on it either way."""
    camera = slipway.camera("B")
    made = build(Chosen("torvane-t2-2", "sedgeway-mag"), catalog, shelf, slipway, camera)
    assert made.of(FitKind.PLUG).verdict is Verdict.TIGHT
    better = build(mended(made, catalog), catalog, shelf, slipway, camera)
    assert better.of(FitKind.PLUG).verdict is Verdict.HOLDS
    cable = next(line for line in better.bill.lines if line.kind == "cable")
    assert "angled" in cable.name and cable.to_pay > 0
    words = " ".join(line.name for line in made.bill.lines)
    assert all(part in words for part in ("printed mount", "insert M3", "screw M3", "spring"))
    cautions = {step.key: step.cautions for step in made.steps}
    assert Caution.HOT_IRON in cautions["inserts"] and Caution.SPRING in cautions["spring"]


@pytest.mark.parametrize(
    ("parts", "words"),
    [
        (["kelmarsh-dray-4"], "a case is missing"),
        (["sedgeway-mag"], "a bare drive is missing"),
        (["torvane-t2-2", "sedgeway-mag", "drumlin-fin"], "both cases"),
        (["torvane-t2-2", "torvane-t2-1", "sedgeway-mag"], "takes 1"),
        (["torvane-t2-2", "nobody-knows", "sedgeway-mag"], "nothing is called"),
        (["torvane-t2-2", "sedgeway-mag", "drumlin-spur-4"], "nothing slides into"),
    ],
)
def test_parts_that_make_no_build_say_so(catalog, shelf, parts, words):
    """What is missing, named twice, too many for its bays or unknown: one sentence each."""
    with pytest.raises(VastCellarError, match=words):
        build(chosen_from(parts, catalog, shelf), catalog, shelf)


def test_a_shell_says_what_sealing_costs_and_what_leaving_it_open_does(catalog, shelf):
    """Only for a shell that can't be opened again: both, with what a broken module takes along."""
    made = build(Chosen("torvane-s30-2", "sedgeway-shell-b"), catalog, shelf)
    told = made.of(FitKind.SEALED)
    lost = made.layout.drive.price + made.layout.enclosure.price
    assert dict(told.said.values)["lost_price"] == lost
    assert build(Chosen("torvane-s30-2", "drumlin-fin"), catalog, shelf).of(FitKind.SEALED) is None
    shell = replace(
        made.layout.enclosure, inside=replace(made.layout.enclosure.inside, opens_again=True)
    )
    again = replace(catalog, enclosures={**catalog.enclosures, shell.key: shell})
    opened = build(Chosen("torvane-s30-2", shell.key), again, shelf)
    assert opened.of(FitKind.SEALED) is None


def test_cables_are_left_out_of_what_a_build_is_compared_by(catalog, shelf):
    """A magazine's angled cable is on the bill and not in its price by capacity; what is at hand
    is there today on both."""
    reused = (("torvane-t2-2", "K-13"), ("sedgeway-mag", "M-03"))
    made = build(Chosen("torvane-t2-2", "sedgeway-mag", reused=reused), catalog, shelf)
    (cable,) = [line for line in made.bill.lines if line.kind == "cable"]
    own = next(
        row.built for row in tiers_of(made, catalog, shelf, None, None).rows
        if row.capacity_bytes == 2e12
    )  # fmt: skip
    assert own.worth.price == pytest.approx(made.bill.all_new - cable.price)
    assert own.delivery_days == 0.0
