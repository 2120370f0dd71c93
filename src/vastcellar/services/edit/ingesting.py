"""Material copied onto a store: until the program says that it is done, and until it is."""

from __future__ import annotations

import math

from vastcellar.core.chain.setup_parts import heat_path_of
from vastcellar.core.edit.arrays import Level, array_of
from vastcellar.core.edit.as_drive import array_as_drive
from vastcellar.core.edit.edit_store import EditStore
from vastcellar.core.edit.waiting import WriteTime, written_in, written_warm_in
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.edit_plan import StoreSetup

INGEST_BYTES, MEMORY_BYTES = 0.5e12, 8e9
"""What is copied onto each store to compare them, and what a computer usually lets wait in memory
before it makes a program wait."""
SUITE_C = 23.0
"""A room that people edit in; a set may be hotter."""


def ingest_of(setup: StoreSetup, store: EditStore, catalog: Catalog) -> WriteTime:
    """Return how long half a TB takes onto *store*, its caches filling and its disks warming.

    A store that has no room for so much is taken as empty: then only its rates are compared.
    """
    link = min((stage.bytes_per_s for stage in store.stages), default=math.inf)
    members = [catalog.drive(key) for key in setup.disk_keys]
    array = store.array
    if array.level is Level.EACH:  # each is a volume: it goes onto one of them
        members, array = members[:1], array_of(Level.SINGLE, array.disks[:1])
    box = catalog.enclosure(setup.box_key) if setup.box_key else None
    modes = (setup.port_mode or next(iter(catalog.modes)),)  # its links are asked for apart
    drive = array_as_drive(setup.name, setup.name, array, members, modes, box)
    if drive.capacity_bytes < INGEST_BYTES:
        return written_in(store, INGEST_BYTES, memory_bytes=MEMORY_BYTES)
    has_room = drive.capacity_bytes * (1 - store.filled_share) >= INGEST_BYTES
    return written_warm_in(
        drive, heat_path_of(drive, None, SUITE_C), INGEST_BYTES,
        filled_share=store.filled_share if has_room else 0.0,
        link_bytes_per_s=link, memory_bytes=MEMORY_BYTES,
    )  # fmt: skip
