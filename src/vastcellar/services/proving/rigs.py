"""Simulated rigs: the model of a chain as a disk to test on, with the faults of its sample."""

from __future__ import annotations

from dataclasses import replace

from vastcellar.bench.simulated_rig import RigFault, SimulatedRig
from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.setup_parts import heat_path
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.writing.heat import cooled
from vastcellar.core.writing.write_profile import Phase, write_profile
from vastcellar.services.workplace.workplace import Workplace

# A simulated take is watched in under half a minute, a short one in a few seconds.
_RIG_TAKES_S = 24.0
_LEAST_RIG_SPEED = 20.0


def rig_speed(duration_s: float) -> float:
    """Return how many times faster than life a simulated take is shown."""
    return max(_LEAST_RIG_SPEED, duration_s / _RIG_TAKES_S)


def make_rig(
    chain: Chain,
    ambient_c: float,
    load: Phase,
    *,
    workplace: Workplace | None,
    speed: float,
    seed: int = 1,
    sample_tag: str = "",
    past: tuple[Phase, ...] = (),
    with_fan: bool = False,
) -> SimulatedRig:
    """Return a rig of *chain* that is offered *load*, in its own time.

    It has the faults of the sample *sample_tag*, by default of the chain's own unit, and begins
    after the *past* it was put through.
    Raises BadValueError where the chain connects nothing, or only its drive's box is known.
    """
    if chain.problem:
        raise BadValueError(
            chain.problem, where="simulated rig", mend="Choose parts that work together"
        )
    parts = chain.parts
    tag = sample_tag or (parts.unit.tag if parts.unit else "")
    fault = (workplace.rig_faults.get(tag) if workplace else None) or RigFault()
    path = heat_path(parts, ambient_c)
    profile = write_profile(
        # A rig is the class and its sample's fault; a fit to its own runs would count that twice.
        slower(parts.drive.class_writes, fault.rate_share),
        cooled(path) if with_fan else path,
        chain.link_cap_bytes_per_s,
        (*past, load),
        free_bytes=chain.free_bytes,
        capacity_bytes=parts.drive.capacity_bytes,
    )
    return SimulatedRig(
        profile,
        speed=speed,
        fault=fault,
        seed=seed,
        name=f"simulated rig of {parts.name}",
        starts_at_s=sum(phase.duration_s for phase in past),
        read_bytes_per_s=min(chain.link_cap_bytes_per_s, parts.drive.claimed_read_bytes_per_s),
    )


def slower(behaviour: WriteBehaviour, share: float) -> WriteBehaviour:
    """Return a sample that writes only *share* of what its class does, cache or not."""
    if share >= 1:
        return behaviour
    return replace(
        behaviour,
        cache_write_bytes_per_s=behaviour.cache_write_bytes_per_s * share,
        direct_write_bytes_per_s=behaviour.direct_write_bytes_per_s * share,
        fold_bytes_per_s=behaviour.fold_bytes_per_s * share,
    )
