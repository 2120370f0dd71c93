"""Judge this setup: need, chain, verdict and mends of each camera of a shoot."""

from __future__ import annotations

from pathlib import Path

from vastcellar.core.chain import Chain, build_chain, find_parts
from vastcellar.core.judgement import Judgement, judge_take, not_judged
from vastcellar.core.mends import Mends, find_mends
from vastcellar.core.needs import camera_need
from vastcellar.core.parts import Catalog, Unit
from vastcellar.core.shoot import Camera, Setup, Shoot
from vastcellar.services.workplace import Shelf
from vastcellar.store.shoot_files import read_chain


def chain_of(setup: Setup, catalog: Catalog, shelf: Shelf, ambient_c: float) -> Chain:
    """Return the chain of *setup*. Raises UnknownPartError for a part that nobody knows."""
    unit = shelf.unit(setup.unit_tag) if setup.unit_tag else None
    return build_chain(find_parts(setup, catalog, unit), catalog, ambient_c)


def chain_in_file(path: Path, catalog: Catalog) -> tuple[Chain, float]:
    """Return the chain that the chain file *path* describes, and the room's temperature in °C.

    Raises BadFileError for the file, UnknownPartError for a part that nobody knows.
    """
    setup, ambient_c, used_bytes = read_chain(path)
    tag = setup.unit_tag or "the drive"
    unit = Unit(tag, setup.drive_key, setup.enclosure_key, used_bytes=used_bytes)
    parts = find_parts(setup, catalog, unit if setup.unit_tag or used_bytes else None)
    return build_chain(parts, catalog, ambient_c), ambient_c


def judge_camera(shoot: Shoot, camera: Camera, catalog: Catalog, shelf: Shelf) -> Judgement:
    """Return the verdict on what *camera* records to, on the best evidence there is."""
    need = camera_need(camera)
    if camera.setup is None:
        return not_judged(need)
    chain = chain_of(camera.setup, catalog, shelf, shoot.ambient_c)
    return judge_take(camera, need, chain, shoot.ambient_c, shelf.proofs)


def mends_for(shoot: Shoot, camera: Camera, catalog: Catalog, shelf: Shelf) -> Mends:
    """Return what would help *camera*, cheapest first; units of other cameras are left to them."""
    if camera.setup is None:
        return Mends((), ())
    taken = frozenset(
        other.setup.unit_tag
        for other in shoot.cameras
        if other.key != camera.key and other.setup is not None and other.setup.unit_tag
    )
    return find_mends(
        camera,
        camera_need(camera),
        camera.setup,
        catalog,
        shelf.units,
        shoot.ambient_c,
        shelf.proofs,
        taken,
    )
