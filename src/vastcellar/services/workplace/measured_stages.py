"""Keep what a stage was measured to carry on this host, or forget it again."""

from __future__ import annotations

from datetime import UTC, datetime

from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.measured_stages import StageMeasurement, device_stage, part_key_of
from vastcellar.core.errors import BadValueError
from vastcellar.services.workplace.workplace import Workplace


def measured_device(chain: Chain, bytes_per_s: float, *, is_stated: bool) -> StageMeasurement:
    """Return *bytes_per_s* as the rate of the bridge or interface of *chain*, on its port.

    *is_stated* where somebody typed it, else a run of ours found it.

    Raises BadValueError where nothing connects, or for more than the link carries.
    """
    if chain.mode is None:
        raise BadValueError(
            "nothing connects there", where="measured", mend="Choose parts that work together"
        )
    if bytes_per_s > chain.mode.ceiling_bytes_per_s * 1.001:
        raise BadValueError(
            f"{bytes_per_s / 1e6:,.0f} MB/s is more than {chain.mode.short} carries "
            f"({chain.mode.ceiling_bytes_per_s / 1e6:,.0f} MB/s)",
            where="measured",
            mend="Check the unit, or whether memory flattered the figure",
        )
    parts = chain.parts
    stage_key = device_stage(parts)
    return StageMeasurement(
        host_key=parts.host.key,
        port_key=parts.port.key,
        stage_key=stage_key,
        part_key=part_key_of(stage_key, parts),
        mode_key=chain.mode.key,
        bytes_per_s=bytes_per_s,
        measured_at=datetime.now(UTC),
        is_stated=is_stated,
    )


def keep_or_forget(workplace: Workplace, measured: StageMeasurement, *, keep: bool) -> None:
    """Keep *measured*, or drop what was measured of that stage. Raises CellarError."""
    if keep:
        workplace.cellar.keep_stage(measured)
    else:
        workplace.cellar.forget_stage(measured)
