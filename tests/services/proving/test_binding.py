"""Which device a unit is: asked once, held to, refused by both names, never guessed."""

from dataclasses import replace
from pathlib import Path

import pytest

from vastcellar.core.chain.setup_parts import require_parts_of_unit
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.services.match.judging import judge_camera
from vastcellar.services.proving.binding import (
    bind,
    binding_question,
    identity_words,
    release,
    twins,
)

CARRY = DeviceIdentity("Carry One", "SN-77120", 2_000_000_000_000, "aaaa-1111")
OTHER = DeviceIdentity("Carry One", "SN-77121", 2_000_000_000_000, "bbbb-2222")
BRIDGED = DeviceIdentity("Bridge", "0123456789ABCDEF", 1_000_000_000_000, "cccc-3333")
SILENT = DeviceIdentity("Card reader", "000000", 64_000_000_000, "")
FOLDER = Path("/media/somewhere")


def bound(workplace, lies_on, tag, identity):
    lies_on(identity)
    bind(workplace, binding_question(workplace.shelf(), tag, FOLDER))


def test_the_first_real_run_asks_and_the_second_does_not(workplace, lies_on):
    """Once a device is confirmed for a unit it isn't asked about again."""
    lies_on(CARRY)
    question = binding_question(workplace.shelf(), "M-03", FOLDER)
    assert "serial SN-77120" in question.text
    assert "Is that M-03?" in question.text
    bind(workplace, question)
    assert workplace.shelf().unit("M-03").device == CARRY
    assert binding_question(workplace.shelf(), "M-03", FOLDER) is None


def test_another_device_is_refused_with_both_names(workplace, lies_on):
    """Another device under the same label is refused, and both are named."""
    bound(workplace, lies_on, "M-03", CARRY)
    lies_on(OTHER)
    with pytest.raises(BadValueError) as told:
        binding_question(workplace.shelf(), "M-03", FOLDER)
    assert "SN-77121" in str(told.value) and "SN-77120" in str(told.value)
    assert workplace.shelf().unit("M-03").device == CARRY


def test_another_units_device_says_that_labels_may_be_swapped(workplace, lies_on):
    """A device known as another unit's suggests that the labels were swapped."""
    bound(workplace, lies_on, "M-03", CARRY)
    with pytest.raises(BadValueError, match=r"which is M-03, not K-11.*labels of K-11 and M-03"):
        binding_question(workplace.shelf(), "K-11", FOLDER)
    bound(workplace, lies_on, "K-11", OTHER)
    lies_on(CARRY)
    with pytest.raises(BadValueError, match="which is M-03; K-11 is Carry One, serial SN-77121"):
        binding_question(workplace.shelf(), "K-11", FOLDER)


def test_a_bridges_own_serial_tells_nothing_the_file_system_does(workplace, lies_on):
    """Behind one bridge another file system is another disk, or one formatted anew."""
    bound(workplace, lies_on, "M-03", BRIDGED)
    lies_on(replace(BRIDGED, file_system_uuid="dddd-4444"))
    with pytest.raises(BadValueError, match="formatted anew"):
        binding_question(workplace.shelf(), "M-03", FOLDER)
    lies_on(BRIDGED)
    assert binding_question(workplace.shelf(), "M-03", FOLDER) is None


def test_a_copy_of_a_file_system_on_a_smaller_device_is_another_device(workplace, lies_on):
    """The same file system on a smaller device isn't the unit."""
    bound(workplace, lies_on, "M-03", BRIDGED)
    lies_on(replace(BRIDGED, size_bytes=500_000_000_000))
    with pytest.raises(BadValueError, match="M-03 is"):
        binding_question(workplace.shelf(), "M-03", FOLDER)


def test_a_device_that_says_nothing_is_not_asked_about_and_never_taken_for_a_bound_one(
    workplace, lies_on
):
    """A device without any mark neither binds nor passes for one that did."""
    lies_on(SILENT)
    assert binding_question(workplace.shelf(), "M-03", FOLDER) is None
    bound(workplace, lies_on, "M-03", CARRY)
    lies_on(SILENT)
    with pytest.raises(BadValueError, match="M-03 is Carry One"):
        binding_question(workplace.shelf(), "M-03", FOLDER)


def test_a_released_unit_is_asked_about_again(workplace, lies_on):
    """After a release the next device is asked about."""
    bound(workplace, lies_on, "M-03", CARRY)
    release(workplace, "M-03")
    lies_on(OTHER)
    assert binding_question(workplace.shelf(), "M-03", FOLDER).device == OTHER
    with pytest.raises(UnknownPartError, match="Z-99"):
        release(workplace, "Z-99")


def test_two_units_of_one_device_are_told_as_twins(workplace, lies_on):
    """Two units bound to one device are reported."""
    assert twins(workplace.shelf()) == ()
    bound(workplace, lies_on, "M-03", CARRY)
    # As an older cellar may have it.
    workplace.cellar.bind_unit("K-11", CARRY)
    assert set(map(frozenset, twins(workplace.shelf()))) == {frozenset(("M-03", "K-11"))}


def test_a_device_is_named_by_its_own_serial_or_else_by_its_file_system():
    """A device is called by its serial, else by its file system, else by nothing."""
    assert identity_words(CARRY) == "Carry One, serial SN-77120, 2 TB"
    assert "serial" not in identity_words(BRIDGED)
    assert "file system cccc-3333" in identity_words(BRIDGED)
    assert identity_words(DeviceIdentity()) == "a device without a model name"


def test_a_chain_of_other_parts_is_not_the_units(slipway, catalog, shelf):
    """Under the unit's tag it would prove another drive's rate."""
    chain = judge_camera(slipway, slipway.camera("A"), catalog, shelf).chain
    unit = shelf.unit(chain.parts.unit.tag)
    require_parts_of_unit(chain.parts, unit, catalog)
    with pytest.raises(BadValueError, match=f"the chain is of .*, and {unit.tag} is"):
        require_parts_of_unit(chain.parts, replace(unit, drive_key="kelmarsh-flat-1"), catalog)
    with pytest.raises(BadValueError, match=unit.tag):
        require_parts_of_unit(chain.parts, replace(unit, enclosure_key="drumlin-flat"), catalog)


def test_a_device_of_another_size_than_the_record_is_said_in_the_question(workplace, lies_on):
    """274.9 GB behind a label of 2 TB: bound all the same if that is the answer, and told why it
    proves nothing."""
    small = DeviceIdentity("Carry One", "SN-77122", 274_900_000_000)
    lies_on(small)
    question = binding_question(workplace.shelf(), "M-03", FOLDER, workplace.catalog)
    assert "a device of another size proves nothing of it" in question.text
    lies_on(CARRY)
    drive = workplace.catalog.drive(workplace.shelf().unit("M-03").drive_key)
    fits = replace(CARRY, size_bytes=int(drive.capacity_bytes * 0.98))
    lies_on(fits)
    told = binding_question(workplace.shelf(), "M-03", FOLDER, workplace.catalog).text
    assert "another size" not in told


def test_a_copy_of_a_whole_disk_is_not_the_disk(workplace):
    """The same file system on a drive of another model, bus or size is another device."""
    bridged = replace(BRIDGED, bus="usb")
    for change in ({"model": "Other"}, {"bus": "ata"}, {"size_bytes": 500_000_000_000}):
        assert bridged.is_same_as(replace(bridged, **change)) is False
    assert bridged.is_same_as(replace(bridged, bus="")) is True
    card = replace(bridged, bus="", model="Reader of the van")
    assert card.is_same_as(replace(card, model="Reader of the desk")) is True
