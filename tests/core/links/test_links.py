"""Each rule of negotiation, by a link it decides."""

import pytest

from vastcellar.core.links.links import Cable, Port, negotiate, pcie_mode
from vastcellar.store.catalog_files import load_catalog

MODES = load_catalog().modes
USB = ("usb-10g", "usb-5g", "usb-2")
TWO_BY_TWO = ("usb-20g", *USB)
USB4 = ("usb4-40g", "usb4-20g", *USB)
TUNNEL_PORT = ("tunnel-40g", "tunnel-20g", *USB)
TUNNEL_ONLY = ("tunnel-40g", "tunnel-20g")
EVERYTHING = tuple(key for key in MODES if key.startswith(("usb", "tunnel")))


def cable(modes=EVERYTHING, length_m=0.5, plugs=("C", "C"), is_active=False):
    return Cable("c", "cable", modes, length_m, plugs, is_active)


def settles_on(port_modes, device_modes, a_cable=None, plug="C"):
    port = Port("p", "port", plug, port_modes)
    return negotiate(port, a_cable or cable(), device_modes, MODES)


@pytest.mark.parametrize(
    ("port", "device", "mode"),
    [
        (TWO_BY_TWO, TWO_BY_TWO, "usb-20g"),
        (USB4, TWO_BY_TWO, "usb-10g"),  # a USB4 port need not have 2x2
        (TUNNEL_PORT, TWO_BY_TWO, "usb-10g"),
        (USB, USB4, "usb-10g"),  # a USB4 device on a 10G port
        (TUNNEL_PORT, TUNNEL_ONLY, "tunnel-40g"),
        (("usb-5g", "usb-2"), USB, "usb-5g"),
        (USB, TUNNEL_ONLY, None),  # tunnel-only on a plain USB port
        (USB, (*TUNNEL_ONLY, "usb-10g"), "usb-10g"),  # with a USB fallback
    ],
)
def test_the_best_common_mode_wins(port, device, mode):
    """Port, cable and device meet in the best mode that all three have."""
    found = settles_on(port, device)
    assert (found.mode.key if found.mode else None) == mode
    assert found.why


def test_a_tunnel_only_device_says_why_it_gets_nothing():
    """A device that only tunnels gets nothing from a plain port, with the reason."""
    assert "tunnel-only device on a plain USB port" in settles_on(USB, TUNNEL_ONLY).why


def test_a_charging_cable_carries_usb_2_only():
    """A charging cable is a USB 2 link, and it is the cable that is blamed."""
    found = settles_on(USB, USB, cable(("usb-2",)))
    assert found.mode.key == "usb-2"
    assert found.limited_by == "cable"
    assert found.mode.ceiling_bytes_per_s == pytest.approx(53.2e6, rel=1e-3)


def test_a_5g_cable_carries_5g_and_a_5g_fallback_gives_5g():
    """A slow cable and a device's fallback both lead to 5 Gb/s."""
    assert settles_on(TWO_BY_TWO, TWO_BY_TWO, cable(("usb-5g", "usb-2"))).mode.key == "usb-5g"
    assert settles_on(USB, (*TUNNEL_ONLY, "usb-5g")).mode.key == "usb-5g"


def test_a_type_a_plug_never_carries_more_than_10g():
    """Type-A ends at 10 Gb/s whatever port and device could do."""
    found = settles_on(TWO_BY_TWO, TWO_BY_TWO, cable(plugs=("A", "C")), plug="A")
    assert found.mode.key == "usb-10g"
    assert "Type-A" in found.why


@pytest.mark.parametrize(
    ("length_m", "is_active", "mode"),
    [(0.8, False, "usb4-40g"), (1.2, False, "usb4-20g"), (2.0, True, "usb4-40g")],
)
def test_long_passive_40g_cables_drop_to_20g(length_m, is_active, mode):
    """Passive 40G cables past their length fall back, active ones don't."""
    assert settles_on(USB4, USB4, cable(length_m=length_m, is_active=is_active)).mode.key == mode


def test_a_cable_without_the_ports_plug_connects_nothing():
    """A cable whose plug the port doesn't have connects nothing."""
    found = settles_on(USB, USB, cable(plugs=("C", "C")), plug="A")
    assert found.mode is None
    assert "Type-A" in found.why


def test_a_cable_must_leave_a_type_c_end_to_the_device():
    """One end of the cable must fit the device, the other the port."""
    found = settles_on(USB, USB, cable(plugs=("A", "C")), plug="C")
    assert found.mode is None
    assert "leave its A end to the device" in found.why
    assert settles_on(USB, USB, cable(plugs=("A", "C")), plug="A").mode.key == "usb-10g"


@pytest.mark.parametrize(
    ("key", "mb_per_s"),
    [
        ("usb-5g", 500),
        ("usb-10g", 1212.1),
        ("usb-20g", 2424.2),
        ("usb4-40g", 4848.5),
        ("usb4-80g", 7877),
        ("tunnel-40g", 2750),
        ("tunnel-40g-x2", 1969),
        ("sata-6g", 600),
        ("cfexpress-2-b", 1969.2),
        ("cfexpress-4-c", 7876.9),
        ("sd-uhs-2", 312),
    ],
)
def test_ceilings_are_those_of_the_standards(key, mb_per_s):
    """Line rate x code / 8, and no typical value above it."""
    assert MODES[key].ceiling_bytes_per_s / 1e6 == pytest.approx(mb_per_s, rel=1e-3)
    assert MODES[key].typical_high_bytes_per_s <= MODES[key].ceiling_bytes_per_s


def test_pcie_lanes_multiply():
    """Lanes add up by the per-lane rate of each generation."""
    assert pcie_mode(3, 1).ceiling_bytes_per_s / 1e6 == pytest.approx(984.6, rel=1e-4)
    assert pcie_mode(5, 4).ceiling_bytes_per_s / 1e6 == pytest.approx(4 * 3938.5, rel=1e-4)
