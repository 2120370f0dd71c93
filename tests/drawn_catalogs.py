"""Catalogs drawn at random: parts that fit and parts that don't, for properties of the whole."""

from hypothesis import strategies as st

from vastcellar.core.links.hubs import Hub
from vastcellar.core.links.links import Cable, Port
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import (
    Case,
    Drive,
    DriveKind,
    Enclosure,
    Host,
    ThrottleStage,
    WriteBehaviour,
)
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.shoot import Setup

USB = ("usb-2", "usb-5g", "usb-10g", "usb-20g", "usb4-40g", "tunnel-40g")
CARD = ("sd-uhs-1", "sd-uhs-2", "cfexpress-2-b")
NETWORK = ("eth-1g", "eth-10g")
FORMS = ("", "2230", "2280", "2.5")


def some(keys):
    """Draw one or more of *keys*."""
    return st.lists(st.sampled_from(keys), min_size=1, max_size=4, unique=True).map(tuple)


def rates(low, high):
    """Draw a rate between so many MB/s."""
    return st.floats(low, high).map(lambda mb_per_s: mb_per_s * 1e6)


@st.composite
def behaviours(draw, is_disk=False):
    """Draw how a drive writes: disks by zones, others with cache, heat and up to two stages."""
    direct = draw(rates(80, 1500))
    if is_disk:
        return WriteBehaviour(direct, direct, inner_share=draw(st.floats(0.4, 1.0)), idle_w=3.0,
                              heat_capacity_j_per_k=400.0)  # fmt: skip
    cache = direct * draw(st.floats(1.0, 6.0))
    stages = []
    on_c, cap = draw(st.floats(62, 80)), cache * draw(st.floats(0.2, 0.8))
    for _ in range(draw(st.integers(0, 2))):
        stages.append(ThrottleStage(on_c, on_c - draw(st.floats(2, 8)), cap))
        on_c, cap = on_c + draw(st.floats(3, 8)), cap * draw(st.floats(0.3, 0.8))
    return WriteBehaviour(
        cache,
        direct,
        cache_static_bytes=draw(st.sampled_from((0.0, 6e9, 40e9))),
        cache_share_of_free=draw(st.sampled_from((0.0, 0.1))),
        fold_bytes_per_s=draw(rates(50, 500)),
        fold_while_writing=draw(st.sampled_from((0.0, 0.4, 1.0))),
        idle_w=draw(st.floats(0.2, 1.0)),
        cache_j_per_gb=draw(st.floats(1.2, 3.0)),
        direct_j_per_gb=draw(st.floats(3.0, 8.0)),
        heat_capacity_j_per_k=draw(st.floats(5, 20)),
        throttle=tuple(stages),
    )


@st.composite
def drives(draw, key):
    """Draw a drive of any kind; of some only the box is known."""
    kind = draw(st.sampled_from(list(DriveKind)))
    behaviour = draw(behaviours(is_disk=kind is DriveKind.HARD_DISK))
    is_bare = kind in (DriveKind.NVME, DriveKind.SATA, DriveKind.HARD_DISK)
    modes = {DriveKind.CARD: CARD, DriveKind.READY_MADE: USB, DriveKind.INTERNAL: ("internal",),
             DriveKind.STORE: (*NETWORK, "usb-10g")}  # fmt: skip
    if draw(st.integers(0, 5)) == 0 and kind is not DriveKind.HARD_DISK:
        behaviour = None
    claimed = draw(rates(1500, 7000))
    return Drive(
        key, f"Drive {key}", kind, "TLC", int(draw(st.sampled_from((250e9, 1e12, 4e12)))),
        claimed, claimed, behaviour,
        pcie_generation=draw(st.sampled_from((0, 3, 4))),
        pcie_lanes=draw(st.sampled_from((0, 2, 4))),
        host_modes=() if is_bare else draw(some(modes[kind])),
        form=draw(st.sampled_from(FORMS)) if is_bare else "",
        is_double_sided=draw(st.booleans()),
        peak_w=draw(st.sampled_from((0.0, 3.0, 9.0))),
        price=float(draw(st.integers(10, 500))),
        only_host=draw(st.sampled_from(("h0", "h1"))) if kind is DriveKind.INTERNAL else "",
    )  # fmt: skip


@st.composite
def enclosures(draw, key):
    """Draw a case with a bridge."""
    return Enclosure(
        key, f"Case {key}", draw(some(USB)),
        draw(st.sampled_from((("nvme",), ("sata",), ("nvme", "sata")))),
        Case(draw(st.floats(20, 300)), draw(st.floats(1, 8)), draw(st.floats(2, 14)),
             draw(st.floats(0, 2.5))),
        pcie_generation=draw(st.sampled_from((3, 4))),
        pcie_lanes=draw(st.sampled_from((1, 2, 4))),
        bridge_write_bytes_per_s=draw(st.sampled_from((0.0, 400e6, 950e6, 2800e6))),
        price=float(draw(st.integers(5, 90))),
        forms=draw(st.sampled_from(((), ("2230",), ("2280", "2230"), ("2.5",)))),
        takes_double_sided=draw(st.booleans()),
    )  # fmt: skip


@st.composite
def hosts(draw, key):
    """Draw a computer, or a camera, with ports and slots."""
    ports = []
    for number in range(draw(st.integers(1, 2))):
        plug = draw(st.sampled_from(("C", "C", "A", "slot", "RJ45")))
        of_plug = {"slot": (*CARD, "internal"), "RJ45": NETWORK}
        modes = draw(some(of_plug.get(plug, USB)))
        watts = draw(st.sampled_from((0.0, 4.5, 15.0)))
        ports.append(Port(f"p{number}", f"Port {number}", plug, modes, watts))
    return Host(key, f"Host {key}", draw(st.booleans()), tuple(ports))


@st.composite
def cables(draw, key):
    """Draw a cable, some with a Type-A end, some too long for 40G."""
    plugs = draw(st.sampled_from((("C", "C"), ("A", "C"), ("RJ45", "RJ45"))))
    modes = draw(some(NETWORK if "RJ45" in plugs else USB))
    return Cable(key, f"Cable {key}", modes, draw(st.sampled_from((0.3, 1.2))), plugs,
                 draw(st.booleans()), float(draw(st.integers(3, 40))))  # fmt: skip


@st.composite
def catalogs(draw, shipped):
    """Draw a small catalog over the link modes and file systems of the one that is *shipped*."""

    def few(make, letter, most, least=1):
        count = draw(st.integers(least, most))
        return {key: draw(make(key)) for key in (f"{letter}{n}" for n in range(count))}

    def hub(key):
        return st.builds(
            Hub, st.just(key), st.just(f"Hub {key}"), some(USB), some((*USB, *CARD)),
            st.sampled_from((1, 4)), st.just(20.0),
        )  # fmt: skip

    return Catalog(
        modes=shipped.modes, codecs={}, drives=few(drives, "d", 3),
        enclosures=few(enclosures, "e", 2), cables=few(cables, "c", 3), hosts=few(hosts, "h", 2),
        hubs=few(hub, "u", 2, 0), file_systems=shipped.file_systems,
    )  # fmt: skip


@st.composite
def shelves(draw, catalog):
    """Draw units of drives of *catalog*: some full, some in a case that they fit into."""
    found = []
    for number, drive in enumerate(catalog.drives.values()):
        if draw(st.booleans()):
            fitting = [case.key for case in catalog.enclosures_for(drive)]
            case = draw(st.sampled_from(["", *fitting]))
            used = drive.capacity_bytes * draw(st.sampled_from((0.0, 0.5, 0.93, 1.2)))
            found.append(Unit(f"U-{number}", drive.key, case, used_bytes=used))
    return tuple(found)


@st.composite
def kept_setups(draw, catalog):
    """Draw a setup that is to be changed: formatted somehow, perhaps behind shared hubs."""
    hubs = draw(st.lists(st.sampled_from(list(catalog.hubs)), max_size=2, unique=True)
                if catalog.hubs else st.just([]))  # fmt: skip
    return Setup(
        next(iter(catalog.drives)), "h0", "p0",
        hub_keys=tuple(hubs),
        sharing=draw(st.integers(1, 5)) if hubs else 1,
        file_system_key=draw(st.sampled_from(["", *catalog.file_systems])),
        is_encrypted=draw(st.booleans()),
    )  # fmt: skip
