"""The way of the heat from chips to case, step by step, in K/W.

Each layer resists by thickness / (conductivity x area of the chips): heat crosses where they are,
and not over the whole module. Beside it some goes down through the connector into the carrier
board. The steps of chips and connector are typical of M.2 modules, that of the
spreader is the case's own.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from vastcellar.core.build.layout import Layout
from vastcellar.core.parts.parts import Enclosure

AIR_W_PER_MK = 0.026
CHIP_K_MM2_PER_W = 300.0
"""From the silicon to the top of its package, times its area (typical)."""
CONNECTOR_K_PER_W = 75.0
"""Down through the connector into the carrier board (typical)."""


@dataclass(frozen=True, slots=True)
class HeatStep:
    """One layer that the heat has to cross."""

    name: str
    k_per_w: float
    thickness_mm: float = 0.0
    w_per_mk: float = 0.0


@dataclass(frozen=True, slots=True)
class StackPath:
    """Up through the layers, and down beside them."""

    steps: tuple[HeatStep, ...]
    down_k_per_w: float
    chip_area_mm2: float

    @property
    def up_k_per_w(self) -> float:
        """Of all layers in a row."""
        return sum(step.k_per_w for step in self.steps)

    @property
    def drive_to_case_k_per_w(self) -> float:
        """Both ways together: they lie beside each other."""
        return 1 / (1 / self.up_k_per_w + 1 / self.down_k_per_w)

    @property
    def up_share(self) -> float:
        """Which share of the heat goes up."""
        return self.drive_to_case_k_per_w / self.up_k_per_w

    @property
    def hindering(self) -> HeatStep:
        """The layer that resists most."""
        return max(self.steps, key=lambda step: step.k_per_w)


def layer_k_per_w(thickness_mm: float, w_per_mk: float, area_mm2: float) -> float:
    """Return the resistance of a layer: thickness over conductivity times area."""
    return thickness_mm * 1000.0 / (w_per_mk * area_mm2)


def stack_path(layout: Layout) -> StackPath | None:
    """Return how the heat gets out of the module; None where a measure of it isn't known."""
    size, inside, fit = layout.drive.size, layout.enclosure.inside, layout.pad_fit
    if not layout.is_module or size is None or inside is None or fit is None:
        return None
    area = size.chip_area_mm2
    if inside.spreader_k_per_w is None:
        return None
    if area is None or (fit.pad_mm > 0 and layout.pad_w_per_mk is None):
        return None
    steps = [HeatStep("chips", CHIP_K_MM2_PER_W / area)]
    if fit.thickness_mm > 0 and layout.pad_w_per_mk is not None:
        resists = layer_k_per_w(fit.thickness_mm, layout.pad_w_per_mk, area)
        steps.append(HeatStep("pad", resists, fit.thickness_mm, layout.pad_w_per_mk))
    if fit.gap_mm > 0:
        resists = layer_k_per_w(fit.gap_mm, AIR_W_PER_MK, area)
        steps.append(HeatStep("air", resists, fit.gap_mm, AIR_W_PER_MK))
    steps.append(HeatStep("spreader", inside.spreader_k_per_w))
    return StackPath(tuple(steps), CONNECTOR_K_PER_W, area)


def as_laid_out(layout: Layout) -> Enclosure:
    """Return the case with the heat path of this very build; as listed where it isn't known."""
    path = stack_path(layout)
    if path is None:
        return layout.enclosure
    case = replace(layout.enclosure.case, drive_to_case_k_per_w=path.drive_to_case_k_per_w)
    return replace(layout.enclosure, case=case)
