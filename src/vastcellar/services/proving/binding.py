"""Which device a unit is: asked once, at its first real run, and held to from then on."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.units import Unit
from vastcellar.core.units import PLAIN
from vastcellar.services.proving.places import find_place
from vastcellar.services.workplace.workplace import Shelf, Workplace, require_unit

_SHOWN_UUID = 13


def identity_words(identity: DeviceIdentity) -> str:
    """Return what a device says of itself, as one would read it off its label."""
    parts = [identity.model or "a device without a model name"]
    if identity.has_own_serial:
        parts.append(f"serial {identity.serial}")
    elif identity.file_system_uuid:
        parts.append(f"file system {identity.file_system_uuid[:_SHOWN_UUID]}")
    if identity.size_bytes:
        parts.append(PLAIN.size(identity.size_bytes))
    return ", ".join(parts)


@dataclass(frozen=True, slots=True)
class BindingQuestion:
    """What is to be asked before a unit's first real run."""

    unit_tag: str
    device: DeviceIdentity
    folder: Path
    record_bytes: float = 0.0
    """What the unit holds by its record; 0 where that isn't known."""

    @property
    def text(self) -> str:
        """The question."""
        text = (
            f"{self.folder} lies on {identity_words(self.device)}. Is that {self.unit_tag}? From "
            "then on only this device proves anything of it"
        )
        if not self.device.is_as_large_as(self.record_bytes):
            text += (
                f"; by its record it holds {PLAIN.size(self.record_bytes)}, and a device of "
                "another size proves nothing of it"
            )
        return text


def binding_question(
    shelf: Shelf, unit_tag: str, folder: Path, catalog: Catalog | None = None
) -> BindingQuestion | None:
    """Return what to ask before a run in *folder* is kept under a unit; None for nothing.

    By the *catalog* the question says where the device isn't as large as the unit's record.

    There is nothing to ask where the unit is bound to this very device, or where the device
    doesn't say which it is: then the run is kept and proves nothing.
    Raises DiskError for the folder, UnknownPartError for the unit, and BadValueError where the
    folder lies on another device than the unit's, or on another unit's.
    """
    unit, found = require_unit(shelf, unit_tag), find_place(folder).identity
    others = [each.tag for each in shelf.units_on(found) if each.tag != unit_tag]
    same = unit.device.is_same_as(found) if unit.device is not None else None
    if others and not same:
        bound = f"{unit_tag} is {identity_words(unit.device)}" if unit.device else ""
        raise BadValueError(
            f"{folder} lies on {identity_words(found)}, which is {others[0]}"
            + (f"; {bound}" if bound else f", not {unit_tag}"),
            where=f"unit {unit_tag}",
            mend=f"Look whether the labels of {unit_tag} and {others[0]} are swapped, or choose "
            "the other unit",
        )
    if same or not found.is_telling:
        if unit.device is not None and not same:
            raise _other_device(unit, unit.device, found, folder)
        return None
    if unit.device is not None:
        raise _other_device(unit, unit.device, found, folder)
    drive = catalog.drives.get(unit.drive_key) if catalog else None
    return BindingQuestion(unit_tag, found, folder, float(drive.capacity_bytes) if drive else 0.0)


def _other_device(
    unit: Unit, bound: DeviceIdentity, found: DeviceIdentity, folder: Path
) -> BadValueError:
    return BadValueError(
        f"{folder} lies on {identity_words(found)}; {unit.tag} is {identity_words(bound)}",
        where=f"unit {unit.tag}",
        mend="Choose a folder on that device, or another unit; if it was formatted anew or its "
        "drive replaced, release the unit from its device first",
    )


def bind(workplace: Workplace, question: BindingQuestion) -> None:
    """Bind the unit to the device that was asked about. Raises CellarError, UnknownPartError."""
    workplace.cellar.bind_unit(question.unit_tag, question.device)


def release(workplace: Workplace, unit_tag: str) -> None:
    """Let the unit be bound anew at its next real run. Raises CellarError, UnknownPartError."""
    require_unit(workplace.shelf(), unit_tag)
    workplace.cellar.bind_unit(unit_tag, None)


def twins(shelf: Shelf) -> tuple[tuple[str, str], ...]:
    """Return pairs of units that are bound to one and the same device."""
    bound = [unit for unit in shelf.units if unit.device is not None]
    return tuple(
        (one.tag, other.tag)
        for index, one in enumerate(bound)
        for other in bound[index + 1 :]
        if one.device is not None and other.device and one.device.is_same_as(other.device)
    )
