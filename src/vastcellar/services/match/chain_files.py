"""Chain files: a chain described in a file of its own, its parts looked up in the catalog."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from vastcellar.core.chain.chain import Chain, KnownRate, build_chain
from vastcellar.core.chain.setup_parts import find_parts, require_parts_of_unit
from vastcellar.core.checks import require_between
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.shoot import DEFAULT_BUFFER_BYTES
from vastcellar.core.units import PLAIN
from vastcellar.store.shoot_files import read_chain, setup_in_chain


@dataclass(frozen=True)
class ChainFile:
    """A chain file, its parts looked up."""

    chain: Chain
    ambient_c: float
    average_bytes_per_s: float | None = None
    """What the file says is asked of it, None where it says nothing."""
    needed_write_bytes_per_s: float | None = None
    frames_per_s: Fraction = Fraction(25)
    buffer_bytes: int = DEFAULT_BUFFER_BYTES


def chain_in_file(
    path: Path,
    catalog: Catalog,
    ambient_c: float | None = None,
    *,
    unit: Unit | None = None,
) -> ChainFile:
    """Return what the chain file *path* describes, in a room of *ambient_c* if that is given.

    With *unit* it is what leads to that unit, of the cellar.
    Raises BadFileError for the file, UnknownPartError for a part that nobody knows,
    BadValueError for a room or a rate that can't be, or where the file is of other parts than
    the unit.
    """
    document = read_chain(path)
    setup = setup_in_chain(document, path)
    room_c = document.ambient_c if ambient_c is None else ambient_c
    require_between("room", -40, 90, ambient_c=room_c)
    drive = catalog.drive(setup.drive_key)
    if document.used_bytes > drive.capacity_bytes:
        raise BadValueError(
            f"{PLAIN.size(document.used_bytes)} are said to be in use on {drive.name}, which holds "
            f"{PLAIN.size(drive.capacity_bytes)}",
            where=f"{path.name}: used_bytes",
            mend="Give what lies on it, or the larger drive",
        )
    tag = setup.unit_tag or "the drive"
    named: Unit | None = Unit(
        tag, setup.drive_key, setup.enclosure_key, used_bytes=document.used_bytes
    )
    named = unit or named if setup.unit_tag or document.used_bytes or unit else None
    parts = find_parts(setup, catalog, named)
    # Whoever wrote the file says so: nothing in it was measured here.
    stated = {key: KnownRate(rate) for key, rate in document.measured_bytes_per_s.items()}
    chain = build_chain(parts, catalog, room_c, stated)
    if unit is not None:
        require_parts_of_unit(parts, unit, catalog)
    load = document.load
    if load is None:
        return ChainFile(chain, room_c)
    return ChainFile(
        chain,
        room_c,
        load.average_bytes_per_s,
        load.needed_write_bytes_per_s,
        load.frames_per_s,
        load.buffer_bytes,
    )
