"""What goes into what: a table worked out by hand, and the same answer for Match and for Build."""

from dataclasses import replace

import pytest

from vastcellar.core.errors import BadValueError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.dimensions import (
    M2_HEIGHTS_MM,
    CaseInside,
    DriveSize,
    Pad,
    m2_length_mm,
)
from vastcellar.core.parts.fitting import FitKind, case_misfit, goes_in
from vastcellar.core.parts.heights import PadFit, pads_for, right_pad_mm
from vastcellar.core.parts.parts import Case, Drive, DriveKind, Enclosure

HOLDS, TIGHT = Verdict.HOLDS, Verdict.TIGHT
SHORT, OPEN = Verdict.FALLS_SHORT, Verdict.NOT_KNOWN
CASE = Case(100.0, 3.0, 6.0)


def module(form="2280", code="S3", key="M", kind=DriveKind.NVME, **changes):
    """Return a bare drive of that form, by the height code of the specification."""
    top, bottom = M2_HEIGHTS_MM[code] if code else (None, None)
    size = DriveSize(key=key, top_mm=top, bottom_mm=bottom, chip_area_mm2=300.0)
    drive = Drive("d", "Module", kind, "TLC", 10**12, 3e9, 3e9, form=form, size=size)
    return replace(drive, **changes)


def case(posts=(30.0, 42.0, 60.0, 80.0), slot="M", under=1.5, above=2.4, **changes):
    """Return a case with that inside."""
    inside = CaseInside(posts_mm=posts, slot_key=slot, under_mm=under, above_mm=above, pad_mm=1.0)
    made = Enclosure("c", "Case", ("usb-10g",), ("nvme",), CASE, inside=inside)
    return replace(made, **changes)


def verdict_of(drive, enclosure, kind):
    """Return the verdict of that check, None where it isn't asked."""
    return next((fit.verdict for fit in goes_in(drive, enclosure) if fit.kind is kind), None)


# length against posts
LENGTHS = [
    ("2230", (30.0,), HOLDS), ("2230", (42.0, 80.0), SHORT), ("2242", (42.0,), HOLDS),
    ("2242", (30.0, 80.0), SHORT), ("2260", (60.0, 80.0), HOLDS), ("2260", (80.0,), SHORT),
    ("2280", (30.0, 80.0), HOLDS), ("2280", (30.0, 42.0, 60.0), SHORT),
    ("22110", (80.0, 110.0), HOLDS), ("22110", (80.0,), SHORT),
]  # fmt: skip
KEYS = [
    ("M", "M", HOLDS), ("M", "B", SHORT), ("B", "B", HOLDS), ("B", "M", SHORT),
    ("B+M", "B", HOLDS), ("B+M", "M", HOLDS), ("", "M", OPEN), ("M", "", OPEN),
]  # fmt: skip
PROTOCOLS = [
    (DriveKind.NVME, ("nvme",), HOLDS), (DriveKind.NVME, ("sata",), SHORT),
    (DriveKind.SATA, ("sata",), HOLDS), (DriveKind.SATA, ("nvme",), SHORT),
    (DriveKind.NVME, ("nvme", "sata"), HOLDS), (DriveKind.SATA, ("nvme", "sata"), HOLDS),
]  # fmt: skip
# height of the chips below by code, room under the board
UNDERS = [
    ("S1", 0.3, HOLDS), ("S3", 0.0, HOLDS), ("D1", 1.2, SHORT), ("D1", 1.35, TIGHT),
    ("D2", 1.5, TIGHT), ("D3", 1.56, HOLDS), ("D4", 0.6, SHORT), ("D4", 0.8, TIGHT),
    ("D5", 1.5, TIGHT), ("D5", 1.45, SHORT), ("D5", 1.8, HOLDS), ("D3", None, OPEN),
]  # fmt: skip
BODIES = [
    (7.0, 7.0, HOLDS), (7.0, 9.5, HOLDS), (9.5, 7.0, SHORT), (15.0, 9.5, SHORT),
    (5.0, 7.0, HOLDS), (None, 7.0, OPEN), (7.0, None, OPEN),
]  # fmt: skip
WIDTHS = [(20.0, SHORT), (22.0, HOLDS), (29.8, HOLDS)]
# room over the chips, pad: does it touch, is it right, does it bend
PADS = [
    (1.1, 0.5, SHORT), (1.1, 1.0, SHORT), (1.1, 1.1, TIGHT), (1.1, 1.2, TIGHT),
    (1.1, 1.25, HOLDS), (1.1, 1.5, HOLDS), (1.1, 1.57, HOLDS), (1.1, 1.6, SHORT),
    (0.35, 0.5, HOLDS), (0.35, 0.4, HOLDS), (0.0, 0.5, SHORT), (2.0, 0.0, SHORT),
]  # fmt: skip


@pytest.mark.parametrize(("form", "posts", "verdict"), LENGTHS)
def test_lengths_against_posts(form, posts, verdict):
    """A module is fixed at a post of its own length, and at no other."""
    drive, enclosure = module(form), case(posts)
    assert verdict_of(drive, enclosure, FitKind.LENGTH) is verdict
    assert bool(case_misfit(drive, enclosure)) == (verdict is SHORT)
    (fit,) = [fit for fit in goes_in(drive, enclosure) if fit.kind is FitKind.LENGTH]
    assert fit.room_mm == max(posts) - m2_length_mm(form)


@pytest.mark.parametrize(("key", "slot", "verdict"), KEYS)
def test_notches_against_slots(key, slot, verdict):
    """B+M goes into both; M and B keep each other out; what isn't known isn't said to fit."""
    drive, enclosure = module(key=key), case(slot=slot)
    assert verdict_of(drive, enclosure, FitKind.KEY) is verdict
    assert bool(case_misfit(drive, enclosure)) == (verdict is SHORT)


@pytest.mark.parametrize(("kind", "slots", "verdict"), PROTOCOLS)
def test_protocol_is_not_the_notch(kind, slots, verdict):
    """The same slot, and not the same thing: NVMe in a SATA slot fits and does nothing."""
    drive, enclosure = module(kind=kind, key="B+M"), case(slot_protocols=slots)
    assert verdict_of(drive, enclosure, FitKind.PROTOCOL) is verdict
    assert verdict_of(drive, enclosure, FitKind.KEY) is HOLDS
    assert bool(case_misfit(drive, enclosure)) == (verdict is SHORT)


@pytest.mark.parametrize(("code", "under", "verdict"), UNDERS)
def test_chips_below_against_the_room_under_the_board(code, under, verdict):
    """By the specification's heights; under 0.2 mm of room is tight."""
    drive, enclosure = module(code=code), case(under=under)
    assert verdict_of(drive, enclosure, FitKind.UNDER) is verdict
    assert bool(case_misfit(drive, enclosure)) == (verdict is SHORT)


@pytest.mark.parametrize(("body", "bay", "verdict"), BODIES)
def test_closed_bodies_against_bays(body, bay, verdict):
    """7 mm goes into 9.5 with a spacer; 9.5 does not go into 7."""
    drive = module(form="2.5", kind=DriveKind.SATA, size=DriveSize(body_mm=body))
    enclosure = case(slot_protocols=("sata",), forms=("2.5",), inside=CaseInside(body_mm=bay))
    assert verdict_of(drive, enclosure, FitKind.BODY) is verdict
    assert bool(case_misfit(drive, enclosure)) == (verdict is SHORT)


@pytest.mark.parametrize(("width", "verdict"), WIDTHS)
def test_a_module_is_wider_than_a_type_a_card(width, verdict):
    """22 mm against 20: never into a Type A shell; into Type B it goes."""
    inside = CaseInside(posts_mm=(30.0,), slot_key="M", under_mm=0.0, width_mm=width)
    drive, enclosure = module("2230"), case(inside=inside)
    assert verdict_of(drive, enclosure, FitKind.WIDTH) is verdict
    assert bool(case_misfit(drive, enclosure)) == (verdict is SHORT)
    assert verdict_of(drive, case(), FitKind.WIDTH) is None


@pytest.mark.parametrize(("room", "pad", "verdict"), PADS)
def test_pads_by_hand(room, pad, verdict):
    """Pressed by 10 to 30 % it is right: 1.5 mm in 1.1 by 27 %, 1.6 by 31 %, 1.1 by nothing."""
    fit = PadFit(room, pad)
    assert fit.is_right == (verdict is HOLDS)
    assert fit.is_loose == (verdict is TIGHT)
    assert (fit.bends or not fit.touches) == (verdict is SHORT)
    assert fit.gap_mm == pytest.approx(max(room - pad, 0))


def test_the_pad_to_take_is_the_best_conductor_that_is_pressed_right():
    """Of four thicknesses in 1.1 mm only 1.5 is right; two of them go by conductivity and price."""
    pads = [
        Pad("a", "0.5", 0.5, 6.0), Pad("b", "1.0", 1.0, 6.0), Pad("c", "1.5 poor", 1.5, 2.0, 3.0),
        Pad("d", "1.5", 1.5, 6.0, 6.0), Pad("e", "1.5 dear", 1.5, 6.0, 9.0),
    ]  # fmt: skip
    assert [pad.key for pad in pads_for(1.1, pads)] == ["d", "e", "c"]
    assert right_pad_mm(1.1) == (pytest.approx(1.2222, abs=1e-4), pytest.approx(1.5714, abs=1e-4))
    assert pads_for(-0.1, pads) == () and pads_for(0.0, pads) == ()


def test_what_nobody_measured_is_not_said_to_fit():
    """Without measures: length by the forms that the case names, the rest not known."""
    drive, enclosure = module(size=None), case(inside=None, forms=("2280",))
    found = {fit.kind: fit.verdict for fit in goes_in(drive, enclosure)}
    assert found == {
        FitKind.PROTOCOL: HOLDS, FitKind.LENGTH: HOLDS, FitKind.KEY: OPEN, FitKind.UNDER: OPEN,
    }  # fmt: skip
    assert verdict_of(replace(drive, form=""), enclosure, FitKind.LENGTH) is OPEN
    both = replace(drive, is_double_sided=True), replace(enclosure, takes_double_sided=False)
    assert verdict_of(*both, FitKind.UNDER) is SHORT
    assert "both sides" in case_misfit(*both)


@pytest.mark.parametrize("wrong", [{"key": "A"}, {"top_mm": -1.0}, {"body_mm": 0.0}])
def test_sizes_that_cannot_be_are_refused(wrong):
    """A notch that no standard has, parts below nothing: one sentence each."""
    with pytest.raises(BadValueError, match="size of a drive"):
        DriveSize(**wrong)
    with pytest.raises(BadValueError, match="inside of a case"):
        CaseInside(above_mm=-0.1)
    assert m2_length_mm("2290") is None and m2_length_mm("2.5") is None
