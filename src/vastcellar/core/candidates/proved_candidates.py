"""What was measured counts among candidates too: proofs of a unit outrank its model."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from vastcellar.core.candidates.candidates import CandidateTable
from vastcellar.core.chain.measured_stages import StageMeasurement, build_measured_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.evidence import Evidence, Verdict
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Camera
from vastcellar.core.verdict.judgement import judge_take
from vastcellar.core.verdict.proof import RecorderProof
from vastcellar.core.verdict.reach.comparing import Asked
from vastcellar.core.verdict.reach.reaching import answer


def with_proofs(
    table: CandidateTable,
    camera: Camera,
    need: Need,
    catalog: Catalog,
    ambient_c: float,
    proofs: tuple[RecorderProof, ...],
    stages: Sequence[StageMeasurement] = (),
) -> CandidateTable:
    """Return *table* with the margins of units that were run judged as Match judges them.

    Only rows of those units are looked at, one by one: a handful beside the thousands to buy.
    Where a run speaks against the model the margin is nan, not known.
    """
    tags = {proof.unit_tag for proof in proofs}
    margin = table.margin.copy()
    for row in _rows_of(table, tags):
        parts = find_parts(table.setup(row), catalog, table.unit(row))
        chain = build_measured_chain(parts, catalog, ambient_c, tuple(stages))
        told = answer(proofs, Asked(camera, need, chain, ambient_c))
        if told.covering is None and told.against is None:
            continue
        found = judge_take(camera, need, chain, ambient_c, proofs)
        if found.verdict is Verdict.NOT_KNOWN or found.margin is None:
            margin[row] = np.nan
        elif found.evidence is Evidence.PROVED:
            margin[row] = found.margin
    return replace(table, margin=margin)


def _rows_of(table: CandidateTable, tags: set[str]) -> list[int]:
    mine = np.array([u is not None and u.tag in tags for u in table.parts.units], dtype=bool)
    if not mine.any():
        return []
    rows: list[int] = np.flatnonzero(mine[table.assembly]).tolist()
    return rows
