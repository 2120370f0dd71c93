"""Links as negotiated: which mode that is, and what may have made it fall back."""

import pytest

from vastcellar.core.links.seen import LinkKind, Suspect, link_fall, mode_seen

HUB, CABLE, PORT = Suspect.HUB, Suspect.CABLE, Suspect.PORT


@pytest.mark.parametrize(
    ("kind", "rate", "key"),
    [
        (LinkKind.USB, 480e6, "usb-2"),
        (LinkKind.USB, 5e9, "usb-5g"),
        (LinkKind.USB, 10e9, "usb-10g"),
        (LinkKind.USB, 20e9, "usb-20g"),
        (LinkKind.SATA, 6e9, "sata-6g"),
        (LinkKind.TUNNEL, 40e9, "tunnel-40g"),
        (LinkKind.NETWORK, 2.5e9, "eth-2.5g"),
        (LinkKind.USB, 12e6, None),
        (LinkKind.USB, 0.0, None),
        (LinkKind.CARD, 832e6, None),
        (LinkKind.VIRTUAL, 5e9, None),
    ],
)
def test_a_rate_is_the_mode_of_its_kind(kind, rate, key, catalog):
    """The line rate names the mode within its family; what no standard has is not known."""
    found = mode_seen(kind, rate, catalog.modes)
    assert (found.key if found else None) == key


def test_pcie_goes_by_generation_and_lanes(catalog):
    """Of PCIe both count; a width that doesn't exist is not known."""
    found = mode_seen(LinkKind.PCIE, 64e9, catalog.modes, pcie_generation=4, lanes=4)
    assert found.key == "pcie-4-x4"
    assert mode_seen(LinkKind.PCIE, 64e9, catalog.modes, pcie_generation=4, lanes=3) is None


@pytest.mark.parametrize(
    ("seen", "port", "hubs", "suspects"),
    [
        ("usb-5g", 20e9, [5e9], (HUB, CABLE)),  # a hub that is no faster explains it
        ("usb-5g", 20e9, [10e9], (CABLE,)),  # a faster hub doesn't
        ("usb-5g", 20e9, [], (CABLE,)),
        ("usb-5g", 5e9, [], (PORT,)),  # and a port that is no faster explains it whole
        ("usb-5g", 0.0, [], (CABLE, PORT)),  # of a port that says nothing either
        ("usb-5g", 5e9, [5e9], (HUB, PORT)),
        ("usb-2", 0.0, [480e6], (CABLE,)),  # the fast pairs are missing: no hub lacks them
    ],
)
def test_who_is_suspected_when_a_link_falls_back(seen, port, hubs, suspects, catalog):
    """A hub or port that is no faster explains it; else the cable is left."""
    modes = catalog.modes
    found = link_fall(
        modes[seen],
        modes["usb-10g"],
        port_line_rate_bits_per_s=port,
        hub_line_rates_bits_per_s=hubs,
        modes=modes,
    )
    assert (found.could.key, found.suspects) == ("usb-10g", suspects)


def test_a_link_at_its_best_is_nobodys_fault(catalog):
    """As good as the unit can, or a unit that isn't known: nothing is suspected."""
    modes = catalog.modes
    assert link_fall(modes["usb-10g"], modes["usb-10g"], modes=modes) is None
    assert link_fall(modes["usb-20g"], modes["usb-10g"], modes=modes) is None
    assert link_fall(modes["usb-5g"], None, modes=modes) is None


def test_a_bridge_that_says_itself_that_it_could_do_more_is_believed(catalog):
    """Without a unit, too; and the better of both counts."""
    modes = catalog.modes
    alone = link_fall(modes["usb-2"], None, most_line_rate_bits_per_s=5e9, modes=modes)
    assert (alone.could.key, alone.suspects) == ("usb-5g", (CABLE,))
    both = link_fall(modes["usb-2"], modes["usb-10g"], most_line_rate_bits_per_s=5e9, modes=modes)
    assert both.could.key == "usb-10g"
