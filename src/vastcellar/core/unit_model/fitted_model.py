"""A unit's own write model: the typical figures of its class, moved by what its runs showed.

A place in the model is an array of deviations, one a figure, each in spreads of its class.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from vastcellar.core.diagnosis.causes import Estimate
from vastcellar.core.parts.parts import WriteBehaviour
from vastcellar.core.trace import FloatArray
from vastcellar.core.writing.drive_in_use import cache_capacity_bytes

_LEARNED = 0.35  # a posterior this much narrower than the prior was learned from the runs
_NINE_IN_TEN = 1.645


@dataclass(frozen=True, slots=True)
class Parameter:
    """A figure that may be moved; spread as a factor's logarithm, or in kelvins."""

    key: str
    spread: float
    is_kelvin: bool = False

    def around(self, value: float, deviation: float) -> Estimate:
        """Return *value* with nine tenths of its spread; *deviation* in spreads of the class."""
        width = _NINE_IN_TEN * deviation * self.spread
        if self.is_kelvin:
            return Estimate(value, value - width, value + width)
        return Estimate(value, value * math.exp(-width), value * math.exp(width))


# How far parts of one class lie apart: the ranges that typical figures are drawn from.
PARAMETERS = (
    Parameter("cache_write_bytes_per_s", 0.25),
    Parameter("direct_write_bytes_per_s", 0.50),
    Parameter("cache_bytes", 0.70),
    Parameter("fold_bytes_per_s", 0.50),
    Parameter("heat_j_per_gb", 0.35),
    Parameter("throttle_c", 4.0, is_kelvin=True),
    Parameter("throttle_band_k", 0.50),
    Parameter("throttle_cap_bytes_per_s", 0.50),
    Parameter("inner_share", 0.20),
)


def active_parameters(behaviour: WriteBehaviour) -> tuple[Parameter, ...]:
    """Return what a drive of this kind has: no cache in a hard disk, no zones in a chip."""
    has_cache = behaviour.cache_static_bytes > 0 or behaviour.cache_share_of_free > 0
    present = {
        "cache_write_bytes_per_s": has_cache,
        "direct_write_bytes_per_s": True,
        "cache_bytes": has_cache,
        "fold_bytes_per_s": has_cache and behaviour.fold_bytes_per_s > 0,
        "heat_j_per_gb": True,
        "throttle_c": bool(behaviour.throttle),
        "throttle_band_k": bool(behaviour.throttle),
        "throttle_cap_bytes_per_s": bool(behaviour.throttle),
        "inner_share": behaviour.inner_share < 1,
    }
    return tuple(each for each in PARAMETERS if present[each.key])


def adjusted(typical: WriteBehaviour, place: FloatArray) -> WriteBehaviour:
    """Return *typical* moved to *place*, in spreads of its priors."""
    moved = {
        each.key: each.spread * float(z)
        for each, z in zip(active_parameters(typical), place, strict=True)
    }

    def factor(key: str) -> float:
        return math.exp(moved.get(key, 0.0))

    in_cache = typical.cache_write_bytes_per_s * factor("cache_write_bytes_per_s")
    direct = typical.direct_write_bytes_per_s * factor("direct_write_bytes_per_s")
    if "cache_write_bytes_per_s" not in moved:
        in_cache = max(in_cache, direct)
    heat, cap_factor = factor("heat_j_per_gb"), factor("throttle_cap_bytes_per_s")
    band = factor("throttle_band_k")
    warmer_k = moved.get("throttle_c", 0.0)
    return replace(
        typical,
        cache_write_bytes_per_s=in_cache,
        direct_write_bytes_per_s=min(direct, in_cache),
        cache_static_bytes=typical.cache_static_bytes * factor("cache_bytes"),
        cache_share_of_free=min(typical.cache_share_of_free * factor("cache_bytes"), 1.0),
        fold_bytes_per_s=typical.fold_bytes_per_s * factor("fold_bytes_per_s"),
        cache_j_per_gb=typical.cache_j_per_gb * heat,
        direct_j_per_gb=typical.direct_j_per_gb * heat,
        fold_j_per_gb=typical.fold_j_per_gb * heat,
        inner_share=min(max(typical.inner_share * factor("inner_share"), 0.05), 1.0),
        throttle=tuple(
            replace(
                stage,
                on_c=stage.on_c + warmer_k,
                off_c=stage.on_c + warmer_k - (stage.on_c - stage.off_c) * band,
                cap_bytes_per_s=stage.cap_bytes_per_s * cap_factor,
            )
            for stage in typical.throttle
        ),
    )


def draws(
    typical: WriteBehaviour, place: FloatArray, covariance: FloatArray, count: int, seed: int = 1
) -> tuple[WriteBehaviour, ...]:
    """Return *count* behaviours drawn from a fit that is kept as *place* and *covariance*."""
    rng = np.random.default_rng(seed)
    places = rng.multivariate_normal(place, covariance, size=count, method="eigh")
    return tuple(adjusted(typical, each) for each in places)


@dataclass(frozen=True, slots=True)
class Fitted:
    """One figure of the model after the fit, in its SI unit, with nine tenths of its spread."""

    key: str
    estimate: Estimate
    typical: float
    is_learned: bool
    """Whether the runs told it; else it is the typical figure, hardly moved."""


@dataclass(frozen=True)
class Calibration:
    """A unit's own write behaviour; arrays are in spreads of the priors, shape (k,) and (k, k)."""

    typical: WriteBehaviour
    behaviour: WriteBehaviour
    figures: tuple[Fitted, ...]
    place: FloatArray
    covariance: FloatArray
    misfit: float
    """Typical departure of the fitted model from the measured rates, as a share."""
    open_questions: tuple[str, ...]
    """Where runs were used only up to a drop whose cause isn't decided, and what would decide."""

    def draws(self, count: int, seed: int = 1) -> tuple[WriteBehaviour, ...]:
        """Return *count* behaviours that the runs leave possible."""
        return draws(self.typical, self.place, self.covariance, count, seed)


_VALUES: dict[str, Callable[[WriteBehaviour, float], float]] = {
    "cache_write_bytes_per_s": lambda b, _: b.cache_write_bytes_per_s,
    "direct_write_bytes_per_s": lambda b, _: b.direct_write_bytes_per_s,
    "cache_bytes": cache_capacity_bytes,
    "fold_bytes_per_s": lambda b, _: b.fold_bytes_per_s,
    "heat_j_per_gb": lambda b, _: b.cache_j_per_gb,
    "throttle_c": lambda b, _: b.throttle[0].on_c,
    "throttle_band_k": lambda b, _: b.throttle[0].on_c - b.throttle[0].off_c,
    "throttle_cap_bytes_per_s": lambda b, _: b.throttle[0].cap_bytes_per_s,
    "inner_share": lambda b, _: b.inner_share,
}


def fitted_figures(
    typical: WriteBehaviour,
    behaviour: WriteBehaviour,
    active: Sequence[Parameter],
    covariance: FloatArray,
    free_bytes: float,
) -> tuple[Fitted, ...]:
    """Return each figure of the fit with its spread; the cache for so many bytes free."""
    deviations = np.sqrt(np.diag(covariance))
    return tuple(
        Fitted(
            key=each.key,
            estimate=each.around(_VALUES[each.key](behaviour, free_bytes), float(deviation)),
            typical=_VALUES[each.key](typical, free_bytes),
            is_learned=bool(deviation < _LEARNED),
        )
        for each, deviation in zip(active, deviations, strict=True)
    )
