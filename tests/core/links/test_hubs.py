"""Hubs, file systems, encryption and measured stages in the chain."""

from dataclasses import replace

import pytest

from vastcellar.core.chain.chain import KnownRate, build_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.evidence import Evidence
from vastcellar.core.links.hubs import Hub
from vastcellar.core.parts.file_systems import CAMERA, file_systems_for
from vastcellar.core.shoot.shoot import Setup

MAGAZINE = Setup(
    drive_key="torvane-t2-1",
    enclosure_key="sedgeway-mag",
    cable_key="wr-10g",
    host_key="van-laptop",
    port_key="c-10g",
    hub_keys=("sedgeway-berth-4",),
)


def chain_of(setup, catalog, measured=None):
    return build_chain(find_parts(setup, catalog, None), catalog, 24.0, measured)


@pytest.mark.parametrize(("sharing", "mb_per_s"), [(1, 980), (2, 490), (4, 245)])
def test_everything_behind_a_dock_shares_its_uplink(catalog, sharing, mb_per_s):
    """Four magazines read at once on one 10G uplink: about 250 MB/s each, not 1,000."""
    chain = chain_of(replace(MAGAZINE, sharing=sharing), catalog)
    assert chain.at_first_bytes_per_s == pytest.approx(mb_per_s * 1e6)
    assert chain.bottleneck.key == "hub"
    assert dict(chain.bottleneck.why.values)["mode"] == "10G"


def test_a_slow_cable_slows_the_uplink_and_so_all_behind_it(catalog):
    """The dock's own cable is a stage of everything behind it."""
    chain = chain_of(replace(MAGAZINE, cable_key="wr-charge"), catalog)
    assert chain.at_first_bytes_per_s == pytest.approx(38.5e6)


def test_a_dock_passes_a_tunnel_on_only_where_its_own_uplink_is_one(catalog):
    """A tunnel through a dock needs a tunnel on its uplink."""
    hollow = replace(
        MAGAZINE, enclosure_key="sedgeway-hollow", cable_key="wr-40g-08", hub_keys=("drumlin-quay",)
    )
    tunnelled = chain_of(replace(hollow, port_key="bolt-1"), catalog)
    assert tunnelled.mode.key == "tunnel-40g"
    plain = chain_of(hollow, catalog)
    assert plain.mode is None
    assert "tunnel-only device" in plain.problem
    assert plain.at_first_bytes_per_s == 0


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"hub_keys": ("drumlin-quay", "drumlin-quay")}, "hubs can't form a ring"),
        ({"sharing": 5}, "has 4 slots, 5 devices don't fit"),
    ],
)
def test_what_cant_be_plugged_together_says_why(catalog, change, says):
    """A ring of hubs and more devices than slots are problems, each with its sentence."""
    assert says in chain_of(replace(MAGAZINE, **change), catalog).problem


def test_values_that_cant_be_are_refused(catalog):
    """Sharing by none, unknown hubs and hubs without a link are refused."""
    with pytest.raises(BadValueError, match="sharing is 0"):
        replace(MAGAZINE, sharing=0)
    with pytest.raises(UnknownPartError, match="no hub 'x'"):
        chain_of(replace(MAGAZINE, hub_keys=("x",)), catalog)
    with pytest.raises(BadValueError, match="no link mode on one side"):
        Hub("h", "hub", ("usb-5g",), (), 4)


def test_file_system_and_encryption_take_their_share(catalog):
    """A file system costs its per cent, and encryption its own beside that."""
    bare = replace(MAGAZINE, hub_keys=())
    plain = chain_of(bare, catalog)
    formatted = chain_of(replace(bare, file_system_key="exfat"), catalog)
    locked = chain_of(replace(bare, file_system_key="exfat", is_encrypted=True), catalog)
    assert formatted.at_first_bytes_per_s == pytest.approx(0.98 * plain.at_first_bytes_per_s)
    assert locked.at_first_bytes_per_s == pytest.approx(0.6 * formatted.at_first_bytes_per_s)
    assert locked.link_cap_bytes_per_s == locked.at_first_bytes_per_s
    assert locked.bottleneck.key == "encryption"
    assert locked.bottleneck.why.kind == "encryption leaves"


def test_a_stage_measured_on_this_host_replaces_its_typical_value(catalog):
    """A measured or stated rate replaces the typical one, and says which of both it is."""
    bare = replace(MAGAZINE, hub_keys=())
    chain = chain_of(bare, catalog, {"bridge": KnownRate(905e6, is_stated=False)})
    bridge = next(stage for stage in chain.stages if stage.key == "bridge")
    assert (bridge.evidence, bridge.typical_bytes_per_s) == (Evidence.PROVED, 905e6)
    stated = chain_of(bare, catalog, {"bridge": KnownRate(905e6)})
    bridge = next(stage for stage in stated.stages if stage.key == "bridge")
    assert (bridge.evidence, bridge.typical_bytes_per_s) == (Evidence.STATED, 905e6)
    assert bridge.why.kind == "stated rate"
    assert chain.at_first_bytes_per_s == 905e6
    with pytest.raises(BadValueError, match="can't have been measured"):
        chain_of(bare, catalog, {"bridge": KnownRate(9e9)})
    with pytest.raises(BadValueError, match="no stage 'hub'"):
        chain_of(bare, catalog, {"hub": KnownRate(1e8)})


def test_advice_follows_from_the_devices_that_must_write_it(catalog):
    """The file system advised is one that all the devices named can write."""
    known = catalog.file_systems.values()
    mixed = file_systems_for(["Linux", "macOS", "Windows", CAMERA], known)
    assert [each.key for each in mixed] == ["exfat", "fat32"]  # no split clips first
    assert file_systems_for(["Linux"], known)[0].has_journal
    assert file_systems_for(["Amiga"], known) == ()


@pytest.mark.parametrize(
    ("key", "mb_per_s"),
    [
        ("eth-1g", 117.7),
        ("eth-2.5g", 294.2),
        ("eth-10g", 1176.9),
        ("eth-25g", 2942.1),
        ("eth-1g-jumbo", 123.8),
        ("eth-10g-jumbo", 1237.6),
    ],
)
def test_ethernet_carries_its_payload(catalog, key, mb_per_s):
    """Ethernet's payload rate is what its frame arithmetic leaves."""
    assert catalog.modes[key].ceiling_bytes_per_s / 1e6 == pytest.approx(mb_per_s, rel=1e-3)
