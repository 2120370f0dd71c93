"""How big the frames of a take are, one by one: constant quality swings, long GOPs pulse.

Made up from a format's figures, not taken from a clip: the take's mean, its worst second and
the length of its GOP are the format's, the order of easy and hard seconds is drawn from a seed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from vastcellar.core.checks import require_between
from vastcellar.core.trace import FloatArray

IntArray = NDArray[np.int64]

_INTRA_WEIGHT = 5.0  # a whole picture beside those that only change it (typical)
_FRAME_JITTER = 0.04
_LASTS = 0.85  # of a scene's weight still there a second later: scenes last some seconds
_STEEPEST = 8.0


@dataclass(frozen=True, slots=True)
class FrameVariation:
    """Worst second over the average, and frames in a GOP; 1 and 1 is a constant frame size."""

    crest: float = 1.0
    gop_frames: int = 1
    seed: int = 1

    def __post_init__(self) -> None:
        require_between("frames", 1.0, 10.0, crest=self.crest)
        require_between("frames", 1, 1000, gop_frames=self.gop_frames)

    @property
    def is_steady(self) -> bool:
        """Whether every frame is as big as the next."""
        return bool(self.crest == 1.0 and self.gop_frames == 1)


STEADY = FrameVariation()


@lru_cache(maxsize=16)
def frame_ends_bytes(
    average_bytes_per_s: float, frames_per_s: Fraction, count: int, variation: FrameVariation
) -> IntArray:
    """Return where each frame ends in the stream, shape (count,), in whole bytes.

    The last end is that of a take of constant frames: variation moves bytes, it adds none.
    """
    number = np.arange(count)
    total = average_bytes_per_s * count / float(frames_per_s)
    weight = np.ones(count)
    if not variation.is_steady:
        random = np.random.default_rng(variation.seed)
        second = np.floor(number / float(frames_per_s) + 1e-9).astype(np.int64)
        weight = _hardness(int(second[-1]) + 1, variation.crest, random)[second]
        if variation.gop_frames > 1:
            weight = weight * np.where(number % variation.gop_frames == 0, _INTRA_WEIGHT, 1.0)
        if variation.crest > 1:
            weight = weight * np.exp(random.normal(0.0, _FRAME_JITTER, count))
    ends = np.floor(np.cumsum(weight) / weight.sum() * total + 1e-6).astype(np.int64)
    ends[-1] = math.floor(total)
    ends.setflags(write=False)
    return np.asarray(ends, dtype=np.int64)


def _hardness(seconds: int, crest: float, random: np.random.Generator) -> FloatArray:
    """Return how hard each second's picture is, mean 1, the hardest *crest*; shape (seconds,).

    A few seconds can't have so high a peak over their own mean; they get what they can.
    """
    drawn = random.normal(0.0, 1.0, seconds)
    scene = np.empty(seconds)
    value = 0.0
    for index in range(seconds):
        value = _LASTS * value + math.sqrt(1 - _LASTS**2) * float(drawn[index])
        scene[index] = value
    if crest <= 1 or seconds < 2:
        return np.ones(seconds)

    def peak(steepness: float) -> float:
        raised = np.exp(steepness * (scene - scene.max()))
        return float(1.0 / raised.mean())

    low, high = 0.0, _STEEPEST
    for _ in range(60):
        middle = (low + high) / 2
        if peak(middle) < crest:
            low = middle
        else:
            high = middle
    hard = np.exp(low * (scene - scene.max()))
    return np.asarray(hard / hard.mean(), dtype=np.float64)
