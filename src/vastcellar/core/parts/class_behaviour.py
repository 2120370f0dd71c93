"""How drives of a class usually write: where to begin with one known only from its box."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.parts.parts import Drive, DriveKind, ThrottleStage, WriteBehaviour


@dataclass(frozen=True, slots=True)
class _Usual:
    """Middles of the typical ranges; direct as a share of what the box claims in the cache."""

    direct_share: float
    cache_static_bytes: float
    cache_share_of_free: float
    fold_bytes_per_s: float
    cache_j_per_gb: float
    direct_j_per_gb: float


_NVME_TLC = _Usual(0.30, 12e9, 0.15, 450e6, 2.0, 3.8)
_NVME_QLC = _Usual(0.06, 8e9, 0.17, 150e6, 2.0, 8.0)
_SATA_TLC = _Usual(0.75, 12e9, 0.10, 200e6, 4.0, 6.0)
_SATA_QLC = _Usual(0.22, 8e9, 0.20, 120e6, 4.0, 7.0)
_THROTTLE_C, _COOLER_K, _THROTTLED_SHARE = 75.0, 6.0, 0.4


def class_behaviour(drive: Drive) -> WriteBehaviour:
    """Return the usual behaviour of drives like *drive*: all of it assumed, nothing measured."""
    claimed = drive.claimed_write_bytes_per_s
    if drive.kind is DriveKind.HARD_DISK:
        return WriteBehaviour(
            claimed, claimed, inner_share=0.5, idle_w=3.0, cache_j_per_gb=4.0,
            heat_capacity_j_per_k=400.0,
        )  # fmt: skip
    if drive.kind is DriveKind.CARD:
        return WriteBehaviour(claimed, claimed, idle_w=0.3, heat_capacity_j_per_k=4.0)
    is_qlc = drive.medium.upper() == "QLC"
    if drive.kind is DriveKind.SATA:
        usual = _SATA_QLC if is_qlc else _SATA_TLC
    else:
        usual = _NVME_QLC if is_qlc else _NVME_TLC
    return WriteBehaviour(
        cache_write_bytes_per_s=claimed,
        direct_write_bytes_per_s=claimed * usual.direct_share,
        cache_static_bytes=usual.cache_static_bytes,
        cache_share_of_free=usual.cache_share_of_free,
        fold_bytes_per_s=usual.fold_bytes_per_s,
        fold_while_writing=0.3,
        cache_j_per_gb=usual.cache_j_per_gb,
        direct_j_per_gb=usual.direct_j_per_gb,
        throttle=(ThrottleStage(_THROTTLE_C, _THROTTLE_C - _COOLER_K, claimed * _THROTTLED_SHARE),),
    )
