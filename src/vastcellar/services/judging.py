"""Judge this setup: need, chain, verdict and mends of each camera of a shoot."""

from __future__ import annotations

from vastcellar.core.chain import Chain, build_chain, find_parts
from vastcellar.core.judgement import Judgement, judge_take, not_judged
from vastcellar.core.mends import Mends, find_mends
from vastcellar.core.needs import camera_need
from vastcellar.core.parts import Catalog
from vastcellar.core.shoot import Camera, Setup, Shoot
from vastcellar.services.workplace import Shelf


def chain_of(setup: Setup, catalog: Catalog, shelf: Shelf, ambient_c: float) -> Chain:
    """Return the chain of *setup*. Raises UnknownPartError for a part that nobody knows."""
    unit = shelf.unit(setup.unit_tag) if setup.unit_tag else None
    return build_chain(find_parts(setup, catalog, unit), catalog, ambient_c)


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
