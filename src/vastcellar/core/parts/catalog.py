"""The catalog: every known link mode, codec and part, by key."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import TypeVar

from vastcellar.core.errors import UnknownPartError
from vastcellar.core.links.hubs import Hub
from vastcellar.core.links.links import Cable, LinkMode
from vastcellar.core.parts.dimensions import BadPair, Pad
from vastcellar.core.parts.file_systems import FileSystem
from vastcellar.core.parts.fitting import case_misfit
from vastcellar.core.parts.parts import Drive, Enclosure, Host, no_faster_than
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.camera_models import CameraModel
from vastcellar.core.shoot.formats import CodecFamily

T = TypeVar("T")


@dataclass(frozen=True)
class Catalog:
    """Every known link mode, codec and part, by key."""

    modes: Mapping[str, LinkMode]
    codecs: Mapping[str, CodecFamily]
    drives: Mapping[str, Drive]
    enclosures: Mapping[str, Enclosure]
    cables: Mapping[str, Cable]
    hosts: Mapping[str, Host]
    currency: str = "EUR"
    cameras: Mapping[str, CameraModel] = field(default_factory=dict)
    hubs: Mapping[str, Hub] = field(default_factory=dict)
    file_systems: Mapping[str, FileSystem] = field(default_factory=dict)
    pads: Mapping[str, Pad] = field(default_factory=dict)
    bad_pairs: Mapping[str, BadPair] = field(default_factory=dict)
    stores: Mapping[str, Enclosure] = field(default_factory=dict)
    """Boxes of several bays behind a network port: nothing that a camera records to, so Match
    doesn't list them among the cases."""

    def codec(self, key: str) -> CodecFamily:
        """Return the codec family called *key*."""
        return _find(self.codecs, key, "codec")

    def drive(self, key: str) -> Drive:
        """Return the drive called *key*."""
        return _find(self.drives, key, "drive")

    def drive_of(self, unit: Unit) -> Drive:
        """Return the drive of *unit*, with what its own runs say of how it writes.

        One that became slower writes no faster than it does now, whatever its class does: that
        counts wherever its drive does, until it is calibrated anew.
        """
        drive = self.drive(unit.drive_key)
        if unit.fitted is not None and unit.fitted_from is not None:
            drive = replace(drive, behaviour=unit.fitted, typical=unit.fitted_from)
        if unit.slowed is None or drive.behaviour is None:
            return drive
        slower = no_faster_than(drive.behaviour, unit.slowed.bytes_per_s)
        return replace(drive, behaviour=slower, typical=drive.class_writes)

    def enclosure(self, key: str) -> Enclosure:
        """Return the enclosure called *key*, or the store of several bays."""
        return _find(self.cases, key, "enclosure")

    @property
    def cases(self) -> Mapping[str, Enclosure]:
        """All that a bare drive can be built into: enclosures, and stores of several bays."""
        return {**self.enclosures, **self.stores}

    def enclosures_for(self, drive: Drive) -> tuple[Enclosure, ...]:
        """Return the enclosures that bare *drive* goes into; none for a closed one."""
        return tuple(e for e in self.enclosures.values() if not case_misfit(drive, e))

    def cable(self, key: str) -> Cable:
        """Return the cable called *key*."""
        return _find(self.cables, key, "cable")

    def hub(self, key: str) -> Hub:
        """Return the hub called *key*."""
        return _find(self.hubs, key, "hub")

    def file_system(self, key: str) -> FileSystem:
        """Return the file system called *key*."""
        return _find(self.file_systems, key, "file system")

    def camera(self, key: str) -> CameraModel:
        """Return the camera model called *key*."""
        return _find(self.cameras, key, "camera")

    def host(self, key: str) -> Host:
        """Return the host called *key*."""
        return _find(self.hosts, key, "host")


def _find(parts: Mapping[str, T], key: str, kind: str) -> T:
    try:
        return parts[key]
    except KeyError:
        raise UnknownPartError(
            f"the catalog has no {kind} {key!r}",
            where=kind,
            mend=f"Choose one that it has, or add this {kind} to a catalog file",
        ) from None
