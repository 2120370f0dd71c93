"""Judge this setup: need, chain, verdict and mends of each camera of a shoot."""

from __future__ import annotations

from datetime import UTC, datetime

from vastcellar.core.candidates.mends import Mends, find_mends
from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.measured_stages import build_measured_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.needs import camera_need
from vastcellar.core.shoot.shoot import Camera, Setup, Shoot, tags_in_use
from vastcellar.core.verdict.judgement import Judgement, judge_take, not_judged
from vastcellar.services.workplace.workplace import Shelf


def chain_of(setup: Setup, catalog: Catalog, shelf: Shelf, ambient_c: float) -> Chain:
    """Return the chain of *setup*. Raises UnknownPartError for a part that nobody knows."""
    unit = shelf.unit(setup.unit_tag) if setup.unit_tag else None
    parts = find_parts(setup, catalog, unit)
    return build_measured_chain(parts, catalog, ambient_c, shelf.stages)


def judge_camera(shoot: Shoot, camera: Camera, catalog: Catalog, shelf: Shelf) -> Judgement:
    """Return the verdict on what *camera* records to, on the best evidence there is."""
    need = camera_need(camera)
    if camera.setup is None:
        return not_judged(need)
    chain = chain_of(camera.setup, catalog, shelf, shoot.ambient_c)
    return judge_take(camera, need, chain, shoot.ambient_c, shelf.proofs, now=datetime.now(UTC))


def mends_for(shoot: Shoot, camera: Camera, catalog: Catalog, shelf: Shelf) -> Mends:
    """Return what would help *camera*, cheapest first; units in use elsewhere stay there."""
    if camera.setup is None:
        return Mends((), ())
    return find_mends(
        camera,
        camera_need(camera),
        camera.setup,
        catalog,
        shelf.units,
        shoot.ambient_c,
        shelf.proofs,
        tags_in_use(shoot, besides=camera.key),
        shelf.stages,
    )
