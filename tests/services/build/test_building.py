"""A build from parts and tags: checked, judged with its own heat path, mended, priced."""

from dataclasses import replace

import pytest

from vastcellar.core.build.steps import BuildKind, Caution, kind_of, screws_of
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.fitting import FitKind
from vastcellar.core.units import PLAIN
from vastcellar.services.build.building import (
    Chosen,
    build,
    chosen_from,
    gains_of,
    instead_of,
    mended,
)
from vastcellar.services.build.wording import (
    CAUTION_WORDS,
    CHECK_NAMES,
    FIT_WORDS,
    fit_sentence,
    gains_sentence,
    mend_words,
    price_words,
    step_words,
)
from vastcellar.services.match.judging import judge_camera


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
        for case in catalog.enclosures.values():
            made = build(Chosen(drive.key, case.key), catalog, shelf)
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
    offered = instead_of(made, catalog)
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
