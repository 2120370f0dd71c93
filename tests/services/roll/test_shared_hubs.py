"""Which hubs a copy's devices share, as made-up computers have them plugged in."""

from pathlib import Path

from computers import plugged, shipped
from vastcellar.devices.link_seen import HubSeen
from vastcellar.services.roll.shared_hubs import find_shared_hubs, shared_hubs


def test_a_hub_is_found_with_those_that_hang_on_it(catalog, tmp_path):
    """The drive behind the made-up computer's hub as the second copy; the card hangs elsewhere.
    What it carries is what its link carries in use, not its line rate."""
    hubs = next(each.link.hubs for each in plugged(shipped("ssd-behind-hub", tmp_path)).values()
                if each.link.hubs)  # fmt: skip
    (found,) = shared_hubs([(), (), hubs], catalog.modes)
    assert (found.name, found.legs, found.has_card) == (hubs[0].name, (1,), False)
    assert 0 < found.bytes_per_s < hubs[0].line_rate_bits_per_s / 8


def test_hubs_in_a_row_and_one_that_tells_no_rate(catalog):
    """Both of a chain count for those behind them; a hub without a known rate for nobody."""
    outer, inner = HubSeen("2-1", "outer", 10e9), HubSeen("2-1.2", "inner", 5e9)
    odd = HubSeen("3-1", "odd", 7e9)
    found = {each.name: each for each in
             shared_hubs([(outer,), (inner, outer), (odd,)], catalog.modes)}  # fmt: skip
    assert sorted(found) == ["inner", "outer"]
    assert (found["outer"].legs, found["outer"].has_card) == ((0,), True)
    assert (found["inner"].legs, found["inner"].has_card) == ((0,), False)
    assert found["inner"].bytes_per_s < found["outer"].bytes_per_s


def test_folders_on_no_drive_share_nothing(catalog, tmp_path):
    """A folder that isn't there, or lies in memory, hangs on no hub: nothing is raised."""
    assert find_shared_hubs(tmp_path / "gone", [Path("/dev/shm")], catalog.modes) == ()
