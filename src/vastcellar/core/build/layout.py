"""The exact parts of a build, and where it will be plugged."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from vastcellar.core.errors import BadValueError
from vastcellar.core.links.hubs import Hub, is_dock
from vastcellar.core.links.links import Cable, LinkMode, Port
from vastcellar.core.parts.dimensions import BadPair, Pad, m2_length_mm
from vastcellar.core.parts.heights import PadFit
from vastcellar.core.parts.mirrors import MirroredPairs, mirrored_pairs
from vastcellar.core.parts.parts import Drive, Enclosure, Host


@dataclass(frozen=True)
class Layout:
    """A bare drive, its case, the pad between them, and the way to a port."""

    drive: Drive
    enclosure: Enclosure
    pad: Pad | None = None
    """None for the one that comes with the case, if any does."""
    host: Host | None = None
    port: Port | None = None
    cable: Cable | None = None
    hubs: tuple[Hub, ...] = ()
    modes: Mapping[str, LinkMode] | None = None
    """Every known link mode; None where links aren't asked about."""
    beside_w: float = 0.0
    """What other devices draw at the same port or hub."""
    wants_splash: bool = False
    """Whether it will be out in the wet."""
    bad_pairs: tuple[BadPair, ...] = ()
    beside: tuple[Drive, ...] = ()
    """What stands in the other bays or slots; () for drives of the same model."""
    dock: Hub | None = None
    """What the finished cases slide into, for several that are read at once."""

    def __post_init__(self) -> None:
        if not self.drive.needs_enclosure:
            raise BadValueError(
                f"{self.drive.name} is closed: there is nothing to build",
                where="build",
                mend="Choose a bare module or disk, or match it as it is",
            )
        if self.beside and len(self.beside) != self.bays - 1:
            raise BadValueError(
                f"{len(self.beside) + 1} drives are named, and {self._holder} takes {self.bays}",
                where="build",
                mend="Name one drive for all of them, or one for each",
            )
        if self.dock is not None and not is_dock(self.dock):
            raise BadValueError(
                f"nothing slides into {self.dock.name}: it is a hub",
                where="build",
                mend="Choose a dock",
            )

    @property
    def _holder(self) -> str:
        return self.dock.name if self.dock else self.enclosure.name

    @property
    def bays(self) -> int:
        """How many drives the whole of it holds."""
        return self.dock.slots if self.dock else self.enclosure.bays

    @property
    def drives(self) -> tuple[Drive, ...]:
        """The drive of each bay."""
        return (self.drive, *(self.beside or (self.drive,) * (self.bays - 1)))

    @property
    def mirrors(self) -> MirroredPairs | None:
        """The disks of a store in pairs; None for anything else.

        Raises BadValueError for an odd number of bays.
        """
        if self.enclosure.bays == 1:
            return None
        return mirrored_pairs([each.capacity_bytes for each in self.drives])

    @property
    def capacity_bytes(self) -> float:
        """What can be written to all of it."""
        if (mirrors := self.mirrors) is not None:
            return mirrors.usable_bytes
        return sum(each.capacity_bytes for each in self.drives)

    @property
    def is_module(self) -> bool:
        """Whether the drive is an M.2 module."""
        return m2_length_mm(self.drive.form) is not None

    @property
    def pad_mm(self) -> float | None:
        """Of the pad that is put in; 0 for none, None where nobody knows."""
        if self.pad is not None:
            return self.pad.thickness_mm
        return self.enclosure.inside.pad_mm if self.enclosure.inside else None

    @property
    def pad_w_per_mk(self) -> float | None:
        """Its conductivity."""
        if self.pad is not None:
            return self.pad.w_per_mk
        return self.enclosure.inside.pad_w_per_mk if self.enclosure.inside else None

    @property
    def room_mm(self) -> float | None:
        """From the chips' top to what takes the heat on; None where it isn't known."""
        inside, size = self.enclosure.inside, self.drive.size
        if inside is None or size is None or inside.above_mm is None or size.top_mm is None:
            return None
        return inside.above_mm - size.top_mm

    @property
    def pad_fit(self) -> PadFit | None:
        """The pad in that room; None where either isn't known."""
        if self.room_mm is None or self.pad_mm is None:
            return None
        return PadFit(self.room_mm, self.pad_mm)
