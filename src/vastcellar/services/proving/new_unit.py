"""A device that was measured for itself becomes a unit: what it said, what its trace fits."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.links.links import LinkMode
from vastcellar.core.links.seen import LinkKind
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.parts import Drive, DriveKind
from vastcellar.core.parts.storage_classes import StorageClass, classes_that_fit
from vastcellar.core.parts.units import Unit
from vastcellar.core.units import NumberFormat
from vastcellar.services.plugged.seen import SeenDevice
from vastcellar.services.plugged.wording import link_words, wear_words
from vastcellar.services.proving.binding import identity_words
from vastcellar.services.proving.flat_proving import FlatProof, diagnosis_of_proof
from vastcellar.services.proving.keeping import KeptRun, keep_any
from vastcellar.services.workplace.own_catalog import own_key
from vastcellar.services.workplace.own_drives import UNKNOWN_CLASS, of_class, with_drive
from vastcellar.services.workplace.own_units import checked_unit
from vastcellar.services.workplace.workplace import Shelf, Workplace

# Where nothing tells how it is plugged: what nearly every closed drive can be plugged with.
_USUAL_MODES = ("usb-10g", "usb-5g", "usb-2")
_USB_MODES = ("usb4-40g", "usb-20g", *_USUAL_MODES)


@dataclass(frozen=True, slots=True)
class MeasuredDevice:
    """A device as it was measured, and what it may be kept as."""

    name: str
    identity: DeviceIdentity
    capacity_bytes: int
    first_bytes_per_s: float
    """The first level that it wrote at."""
    lasting_bytes_per_s: float
    """The last one."""
    read_bytes_per_s: float
    """0 where nothing was read back."""
    used_bytes: int
    written_bytes: float
    """By its own account before the run; 0 where it doesn't say."""
    kind: DriveKind
    host_modes: tuple[str, ...]
    classes: tuple[StorageClass, ...]
    """What the trace doesn't contradict: several, one or none."""
    said: str
    """What the device and its link said, in words."""


def measured_device_of(
    proof: FlatProof, seen: SeenDevice | None, catalog: Catalog, fmt: NumberFormat
) -> MeasuredDevice:
    """Return the device of a finished flat-out run; *seen* is it as plugged in, where that's known.

    Raises BadValueError where it was simulated, lies on another computer or in memory, or can't
    be told from other devices.
    """
    result = proof.run.result
    assert result is not None, "the run must have ended"
    conditions = proof.conditions(result)
    where = proof.target
    if result.is_simulated:
        raise BadValueError(
            "a simulated rig is no device", where=where, mend="Measure a folder on a real drive"
        )
    if conditions.is_over_network or conditions.is_in_memory:
        what = "on another computer" if conditions.is_over_network else "in this one's memory"
        raise BadValueError(
            f"the folder lies {what}: there is no drive to keep",
            where=where,
            mend="Measure a folder on a drive that is plugged in",
        )
    identity = DeviceIdentity(
        conditions.device_model,
        conditions.device_serial,
        conditions.device_size_bytes,
        conditions.file_system_uuid,
        conditions.device_bus,
    )
    if not identity.is_telling:
        raise BadValueError(
            "the device has neither a serial number nor a file system with an identity: it can't "
            "be told from others",
            where=where,
            mend="Add the unit by hand in Cellar; its runs then prove nothing of it",
        )
    if seen is not None and not _is_of(seen, identity):
        seen = None  # something else is mounted there by now: what that says is none of this
    found = diagnosis_of_proof(proof, result)
    first = found.burst_bytes_per_s if found else result.write.bytes_per_s
    lasting = found.sustained_bytes_per_s if found else result.write.bytes_per_s
    device = seen.device if seen else None
    mode = seen.mode if seen else None
    capacity = result.true_capacity_bytes or identity.size_bytes or conditions.capacity_bytes or 1
    smart = device.smart if device else None
    return MeasuredDevice(
        name=seen.title if seen else Path(identity.model).name,
        identity=identity,
        capacity_bytes=capacity,
        first_bytes_per_s=first,
        lasting_bytes_per_s=lasting,
        read_bytes_per_s=result.read.bytes_per_s if result.read else 0.0,
        used_bytes=min(sum(v.used_bytes or 0 for v in device.volumes) if device else 0, capacity),
        written_bytes=float(smart.written_bytes or 0) if smart else 0.0,
        kind=_kind(seen),
        host_modes=_host_modes(seen, catalog),
        classes=classes_that_fit(
            first,
            lasting,
            mode.typical_bytes_per_s if mode else 0.0,
            is_rotational=device.is_rotational if device else None,
        ),
        said=_said(identity, seen, conditions.file_system, fmt),
    )


def _is_of(seen: SeenDevice, identity: DeviceIdentity) -> bool:
    told = [seen.device.identity, *(volume.identity for volume in seen.device.volumes)]
    return any(each.is_same_as(identity) is not False for each in told)


def _kind(seen: SeenDevice | None) -> DriveKind:
    is_card = seen is not None and seen.device.link.kind is LinkKind.CARD
    return DriveKind.CARD if is_card else DriveKind.READY_MADE


def _host_modes(seen: SeenDevice | None, catalog: Catalog) -> tuple[str, ...]:
    """Return what it links at: as seen or better seen before, and what is below that."""
    best: LinkMode | None = (seen.could or seen.mode) if seen else None
    if seen is None or best is None:
        return _USUAL_MODES
    if seen.device.link.kind is not LinkKind.USB:
        return (best.key,) if best.key in catalog.modes else ("internal",)
    modes = [catalog.modes[key] for key in _USB_MODES]
    ceiling = max(best.ceiling_bytes_per_s, seen.mode.ceiling_bytes_per_s if seen.mode else 0)
    return tuple(mode.key for mode in modes if mode.ceiling_bytes_per_s <= ceiling * 1.001)


def _said(
    identity: DeviceIdentity, seen: SeenDevice | None, file_system: str, fmt: NumberFormat
) -> str:
    parts = [identity_words(identity), file_system]
    if seen is not None:
        parts += [link_words(seen), wear_words(seen, fmt)]
    return "; ".join(part for part in parts if part)


def class_choices(measured: MeasuredDevice) -> tuple[tuple[str, str], ...]:
    """Return the classes to choose from, by key and name; that nobody knows comes first."""
    return ((UNKNOWN_CLASS, "don't know"), *((each.key, each.name) for each in measured.classes))


def free_tag(shelf: Shelf) -> str:
    """Return a tag that no unit has yet."""
    taken = {unit.tag for unit in shelf.units}
    return next(tag for n in range(1, len(taken) + 2) if (tag := f"D-{n:02d}") not in taken)


@dataclass(frozen=True, slots=True)
class KeptUnit:
    """A unit that was made of a measured device."""

    unit: Unit
    catalog: Catalog
    """With its drive in it."""
    runs: tuple[KeptRun, ...]
    trouble: VastCellarError | None = None
    """Why its run couldn't be kept; the unit stands all the same."""


def keep_as_unit(
    workplace: Workplace,
    measured: MeasuredDevice,
    proof: FlatProof,
    tag: str,
    class_key: str = UNKNOWN_CLASS,
) -> KeptUnit:
    """Make a drive and a unit of what was measured, bind it to the device, and keep its run.

    Raises BadValueError for a tag that is taken, a device that is a unit already, or a class that
    the trace contradicts; BadFileError, CellarError.
    """
    shelf = workplace.shelf()
    if already := shelf.units_on(measured.identity):
        raise BadValueError(
            f"{identity_words(measured.identity)} is {already[0].tag} already",
            where=f"unit {tag}",
            mend=f"Measure it as {already[0].tag}, or release that unit from its device first",
        )
    drive = _drive(measured, tag.strip(), class_key)
    unit = Unit(
        tag=tag,
        drive_key=drive.key,
        written_bytes=measured.written_bytes,
        used_bytes=float(measured.used_bytes),
        note=measured.said,
    )
    # The tag is tried before anything is written, against a catalog that has the drive.
    unit = checked_unit(unit, with_drive(workplace.catalog, drive), shelf)
    workplace = workplace.with_own([drive])
    workplace.cellar.add_unit(unit)
    workplace.cellar.bind_unit(unit.tag, measured.identity)
    try:
        runs = keep_any(proof, workplace, unit.tag)
    except VastCellarError as error:  # it says itself where the run is safe
        return KeptUnit(unit, workplace.catalog, (), error)
    return KeptUnit(unit, workplace.catalog, runs)


def _drive(measured: MeasuredDevice, tag: str, class_key: str) -> Drive:
    if class_key not in (UNKNOWN_CLASS, *(each.key for each in measured.classes)):
        raise BadValueError(
            f"the trace doesn't fit the class {class_key!r}",
            where="class",
            mend="Choose one that it fits, or “don't know”",
        )
    name = f"{measured.name or 'Drive'} ({tag})"
    bare = Drive(
        key=own_key(f"{measured.name} {tag}"),
        name=name,
        kind=measured.kind,
        medium="not known",
        capacity_bytes=measured.capacity_bytes,
        claimed_read_bytes_per_s=measured.read_bytes_per_s or measured.first_bytes_per_s,
        claimed_write_bytes_per_s=measured.first_bytes_per_s,
        host_modes=measured.host_modes,
        source="measured on this computer; its box isn't known",
        note=measured.said,
    )
    return of_class(bare, class_key)
