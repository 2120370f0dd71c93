"""How long a test takes by the model of its drive: announced before it begins."""

from __future__ import annotations

import math
from collections.abc import Iterable

from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.setup_parts import heat_path
from vastcellar.core.writing.write_profile import Phase, WriteProfile, write_profile
from vastcellar.services.proving.flat_proving import FlatPlan


def flat_out_phase(bytes_to_write: float, most_s: float = math.inf) -> Phase:
    """Return writing so many bytes as fast as it goes, for at most so long."""
    return Phase(math.inf, most_s, bytes_to_write)


def model_profile(
    chain: Chain | None, ambient_c: float, phases: Iterable[Phase], bytes_to_write: float
) -> WriteProfile | None:
    """Return what the model has for *phases*, from rest; None where it has nothing to say.

    It is the unit's own model where that was calibrated. A real folder may have more room than
    the shelf knows of: then what is to be written counts.
    """
    if chain is None or chain.problem or chain.parts.drive.behaviour is None:
        return None
    drive = chain.parts.drive
    free = max(chain.free_bytes, bytes_to_write)
    return write_profile(
        drive.writes,
        heat_path(chain.parts, ambient_c),
        chain.link_cap_bytes_per_s,
        tuple(phases),
        free_bytes=free,
        capacity_bytes=max(drive.capacity_bytes, free),
    )


def writing_s(
    chain: Chain | None, ambient_c: float, phases: Iterable[Phase], bytes_to_write: float
) -> float:
    """Return how long *phases* take by the model; infinite where it has nothing to say."""
    run = model_profile(chain, ambient_c, phases, bytes_to_write)
    return run.duration_s if run is not None else math.inf


def reading_s(chain: Chain | None, bytes_to_read: float) -> float:
    """Return how long it takes to read so much back; infinite where that isn't known."""
    rate = chain.reading_bytes_per_s if chain else 0.0
    return bytes_to_read / rate if rate else math.inf


def flat_test_s(plan: FlatPlan, chain: Chain | None, ambient_c: float) -> float:
    """Return how long a flat-out test takes at most; infinite where the model is silent.

    It may end sooner, where it is steady before all bytes are written.
    """
    phases = [flat_out_phase(plan.most_bytes, plan.most_s)]
    seconds = writing_s(chain, ambient_c, phases, plan.most_bytes)
    return min(seconds, plan.most_s) + (
        reading_s(chain, plan.most_bytes) if plan.reads_back else 0.0
    )
