"""How warm each layer of a stack gets in a take: where it drops, the heat doesn't get through."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vastcellar.core.build.stack_path import StackPath
from vastcellar.core.writing.write_profile import WriteProfile, sample

_MOMENTS = 2000


@dataclass(frozen=True, slots=True)
class Layer:
    """One step of the heat path, from its lower to its upper face."""

    name: str
    below_c: float
    above_c: float


@dataclass(frozen=True, slots=True)
class StackHeat:
    """The hottest moment of a take."""

    at_s: float
    chips_c: float
    case_c: float
    up_w: float
    """What goes up through the layers."""
    down_w: float
    layers: tuple[Layer, ...]


def hottest_case_c(run: WriteProfile) -> float:
    """Return how hot the case gets in *run*; its chips may have been hottest before."""
    return float(np.max(sample(run, np.linspace(0.0, run.duration_s, _MOMENTS)).case_c))


def stack_heat(path: StackPath, run: WriteProfile) -> StackHeat:
    """Return the layers' temperatures when the chips of *run* are hottest.

    What goes through a row of layers drops at each in proportion to what that resists.
    """
    moments = np.linspace(0.0, run.duration_s, _MOMENTS)
    at = sample(run, moments)
    hottest = int(np.argmax(at.drive_c))
    chips_c, case_c = float(at.drive_c[hottest]), float(at.case_c[hottest])
    span_k = chips_c - case_c
    layers, below = [], chips_c
    for step in path.steps:
        above = below - span_k * step.k_per_w / path.up_k_per_w
        layers.append(Layer(step.name, below, above))
        below = above
    return StackHeat(
        at_s=float(moments[hottest]),
        chips_c=chips_c,
        case_c=case_c,
        up_w=span_k / path.up_k_per_w,
        down_w=span_k / path.down_k_per_w,
        layers=tuple(layers),
    )
