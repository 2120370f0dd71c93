"""The parts a setup is put together from, and the units that stand on the shelf."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TypeVar

from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.links.links import Port
from vastcellar.core.parts.dimensions import CaseInside, DriveSize

T = TypeVar("T")


class DriveKind(StrEnum):
    """What a drive is, by how it is connected."""

    NVME = "nvme"
    SATA = "sata"
    HARD_DISK = "hard_disk"
    INTERNAL = "internal"
    """A factory upgrade of a computer's own disk."""
    CARD = "card"
    READY_MADE = "ready_made"
    STORE = "store"
    """Several disks that act as one: an array at the desk, or a store in the network."""


MAGNETIC = "magnetic"
"""The medium of what turns: it keeps what it holds without power."""


@dataclass(frozen=True, slots=True)
class ThrottleStage:
    """Above ``on_c`` the drive caps its rate, until it has cooled to ``off_c``."""

    on_c: float
    off_c: float
    cap_bytes_per_s: float

    def __post_init__(self) -> None:
        # With T_off at or above T_on events would pile up without end.
        if not self.off_c < self.on_c:
            raise BadValueError(
                f"it lets go at {self.off_c:g} °C, not below its start at {self.on_c:g} °C",
                where="throttle stage",
                mend="Give off_c below on_c",
            )
        require_above_zero("throttle stage", cap_bytes_per_s=self.cap_bytes_per_s)


@dataclass(frozen=True, slots=True)
class WriteBehaviour:
    """How a drive writes: fast cache, what comes after it, and the heat it makes.

    All figures are typical unless a measurement of the unit stands behind them.
    For a hard disk ``inner_share`` is inner over outer rate, and there is no cache.
    """

    cache_write_bytes_per_s: float
    direct_write_bytes_per_s: float
    cache_static_bytes: float = 0.0
    cache_share_of_free: float = 0.0
    fold_bytes_per_s: float = 0.0
    fold_while_writing: float = 0.0
    inner_share: float = 1.0
    idle_w: float = 0.5
    cache_j_per_gb: float = 2.0
    direct_j_per_gb: float = 4.0
    fold_j_per_gb: float = 0.0
    heat_capacity_j_per_k: float = 12.0
    throttle: tuple[ThrottleStage, ...] = ()

    def __post_init__(self) -> None:
        where = "write behaviour"
        require_above_zero(
            where,
            cache_write_bytes_per_s=self.cache_write_bytes_per_s,
            direct_write_bytes_per_s=self.direct_write_bytes_per_s,
            heat_capacity_j_per_k=self.heat_capacity_j_per_k,
        )
        require_not_negative(
            where,
            cache_static_bytes=self.cache_static_bytes,
            fold_bytes_per_s=self.fold_bytes_per_s,
            idle_w=self.idle_w,
            cache_j_per_gb=self.cache_j_per_gb,
            direct_j_per_gb=self.direct_j_per_gb,
            fold_j_per_gb=self.fold_j_per_gb,
        )
        require_between(
            where,
            0,
            1,
            cache_share_of_free=self.cache_share_of_free,
            fold_while_writing=self.fold_while_writing,
        )
        require_between(where, 0.05, 1, inner_share=self.inner_share)
        starts = [stage.on_c for stage in self.throttle]
        if starts != sorted(set(starts)):
            raise BadValueError(
                "the throttle stages do not rise", where=where, mend="List them coolest first"
            )

    @property
    def has_cache(self) -> bool:
        """Whether some of it is written faster than the rest."""
        return self.cache_static_bytes > 0 or self.cache_share_of_free > 0


def no_faster_than(behaviour: WriteBehaviour, most_bytes_per_s: float) -> WriteBehaviour:
    """Return *behaviour* of a drive that never writes more than *most_bytes_per_s*, above 0."""
    require_above_zero("write behaviour", most_bytes_per_s=most_bytes_per_s)
    return replace(
        behaviour,
        cache_write_bytes_per_s=min(behaviour.cache_write_bytes_per_s, most_bytes_per_s),
        direct_write_bytes_per_s=min(behaviour.direct_write_bytes_per_s, most_bytes_per_s),
        fold_bytes_per_s=min(behaviour.fold_bytes_per_s, most_bytes_per_s),
        throttle=tuple(
            replace(each, cap_bytes_per_s=min(each.cap_bytes_per_s, most_bytes_per_s))
            for each in behaviour.throttle
        ),
    )


@dataclass(frozen=True, slots=True)
class Case:
    """Heat path from the drive to the room, and the heat of the bridge chip.

    Two nodes: drive, then enclosure. Resistances in K/W, heat capacity in J/K.
    """

    heat_capacity_j_per_k: float
    drive_to_case_k_per_w: float
    case_to_room_k_per_w: float
    bridge_w: float = 0.0

    def __post_init__(self) -> None:
        require_above_zero(
            "case",
            heat_capacity_j_per_k=self.heat_capacity_j_per_k,
            drive_to_case_k_per_w=self.drive_to_case_k_per_w,
            case_to_room_k_per_w=self.case_to_room_k_per_w,
        )
        require_not_negative("case", bridge_w=self.bridge_w)


@dataclass(frozen=True, slots=True)
class Drive:
    """A bare module, hard disk, card or ready-made drive out of the catalog."""

    key: str
    name: str
    kind: DriveKind
    medium: str
    """TLC, QLC or magnetic."""
    capacity_bytes: int
    claimed_read_bytes_per_s: float
    claimed_write_bytes_per_s: float
    behaviour: WriteBehaviour | None = None
    """How it writes; None where nothing but its box is known."""
    pcie_generation: int = 0
    pcie_lanes: int = 0
    host_modes: tuple[str, ...] = ()
    """Link modes of a card or ready-made drive; a bare drive has none."""
    own_case: Case | None = None
    guaranteed_write_bytes_per_s: float = 0.0
    tbw_bytes: float = 0.0
    price: float = 0.0
    form: str = ""
    """"2280", "2230", "2.5", "3.5" or a card's kind; "" where it isn't known."""
    is_double_sided: bool = False
    peak_w: float = 0.0
    """Most power it draws, 0 where it isn't known."""
    mass_g: float = 0.0
    warranty_years: float = 0.0
    only_host: str = ""
    """The computer that an internal disk belongs to."""
    source: str = "typical of its class; an invented part"
    note: str = ""
    size: DriveSize | None = None
    """Its measures; None where nothing but its form is known."""
    typical: WriteBehaviour | None = None
    """Of its class, where ``behaviour`` was fitted to the runs of one unit; None where not."""
    delivery_days: float | None = None
    """Until it is there when it is ordered; None where nobody knows."""

    def __post_init__(self) -> None:
        where = f"drive {self.key!r}"
        require_not_negative(
            where, peak_w=self.peak_w, mass_g=self.mass_g, warranty_years=self.warranty_years
        )
        behaviour = self.behaviour
        if (
            behaviour is not None
            and self.typical is None  # what was measured may be more than its box claims
            and self.claimed_write_bytes_per_s < behaviour.direct_write_bytes_per_s * 0.999
        ):
            raise BadValueError(
                f"its box claims {self.claimed_write_bytes_per_s / 1e6:g} MB/s, less than the "
                f"{behaviour.direct_write_bytes_per_s / 1e6:g} MB/s it is said to write",
                where=where,
                mend="Check the units of both",
            )
        require_above_zero(
            where,
            capacity_bytes=self.capacity_bytes,
            claimed_read_bytes_per_s=self.claimed_read_bytes_per_s,
            claimed_write_bytes_per_s=self.claimed_write_bytes_per_s,
        )
        require_not_negative(where, tbw_bytes=self.tbw_bytes, price=self.price)
        require_not_negative(where, delivery_days=self.delivery_days or 0.0)
        if self.needs_enclosure == bool(self.host_modes):
            raise BadValueError(
                "it must either need an enclosure or have link modes of its own",
                where=where,
                mend="Give host_modes to cards and ready-made drives, and to nothing else",
            )

    @property
    def writes(self) -> WriteBehaviour:
        """How it writes. Raises BadValueError where nothing but its box is known."""
        if self.behaviour is None:
            raise BadValueError(
                "how it writes once its cache is full is not known",
                where=f"drive {self.key!r}",
                mend="Measure it in Prove, or add its behaviour to the catalog",
            )
        return self.behaviour

    @property
    def class_writes(self) -> WriteBehaviour:
        """How its class writes, whatever the runs of one unit have shown.

        Raises BadValueError where nothing but its box is known.
        """
        return self.typical or self.writes

    @property
    def is_calibrated(self) -> bool:
        """Whether how it writes was fitted to runs of this very unit."""
        return self.typical is not None

    @property
    def needs_enclosure(self) -> bool:
        """Whether it is a bare part that something must connect to a host."""
        return self.kind in (DriveKind.NVME, DriveKind.SATA, DriveKind.HARD_DISK)

    @property
    def slot_protocol(self) -> str:
        """ "nvme" or "sata": what its bare connector speaks; "" for a closed drive."""
        if not self.needs_enclosure:
            return ""
        return "nvme" if self.kind is DriveKind.NVME else "sata"


@dataclass(frozen=True, slots=True)
class Enclosure:
    """A case with a bridge chip: link modes outside, a slot inside."""

    key: str
    name: str
    host_modes: tuple[str, ...]
    slot_protocols: tuple[str, ...]
    case: Case
    pcie_generation: int = 3
    pcie_lanes: int = 4
    bridge_write_bytes_per_s: float = 0.0
    """What the bridge reaches in use where known, else 0: the link's typical value counts."""
    price: float = 0.0
    forms: tuple[str, ...] = ()
    """Which drives fit, by their form; () where it isn't known."""
    takes_double_sided: bool = True
    mass_g: float = 0.0
    size_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)
    material: str = ""
    is_tool_less: bool = False
    is_sealed: bool = False
    warranty_years: float = 0.0
    inside: CaseInside | None = None
    """What it has room for; None where nothing but the forms it takes is known."""
    kind: str = ""
    """Which kind of build it is the case of; "" where that follows from what it takes."""
    bays: int = 1
    """How many drives it takes; those of more than one are mirrored in pairs."""
    source: str = "typical of its class; an invented part"
    note: str = ""
    delivery_days: float | None = None
    """Until it is there when it is ordered; None where nobody knows."""

    def __post_init__(self) -> None:
        where = f"enclosure {self.key!r}"
        require_not_negative(where, mass_g=self.mass_g, warranty_years=self.warranty_years)
        require_not_negative(
            where, bridge_write_bytes_per_s=self.bridge_write_bytes_per_s, price=self.price
        )
        require_not_negative(where, delivery_days=self.delivery_days or 0.0)
        require_between(where, 1, 64, bays=self.bays)
        if self.bays > 1 and self.bays % 2:
            raise BadValueError(
                f"{self.bays} bays can't be mirrored in pairs",
                where=where,
                mend="Give an even number of bays, or 1",
            )
        if not self.host_modes:
            raise BadValueError("it has no link mode", where=where, mend="List its host_modes")


@dataclass(frozen=True, slots=True)
class Host:
    """A computer or camera with its ports."""

    key: str
    name: str
    is_camera: bool
    ports: tuple[Port, ...]
    disk_read_bytes_per_s: float = 0.0
    disk_write_bytes_per_s: float = 0.0
    """Its own disk, the other end of many copies; 0 where it isn't known."""

    def port(self, key: str) -> Port:
        """Return the port called *key*. Raises UnknownPartError where there is none."""
        for port in self.ports:
            if port.key == key:
                return port
        known = ", ".join(port.key for port in self.ports)
        raise UnknownPartError(
            f"{self.name} has no port {key!r}", where="port", mend=f"It has: {known}"
        )
