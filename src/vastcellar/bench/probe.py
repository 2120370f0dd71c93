"""A short probe for the block and the depth at which a drive writes fastest."""

from __future__ import annotations

import threading
from dataclasses import dataclass

from vastcellar.bench.payload import STAMP_EVERY_BYTES
from vastcellar.bench.targets import Target

# Smallest first: a larger one has to earn its place.
_SHAPES = ((1, 1), (1, 4), (4, 1), (4, 4), (8, 4))
_CLEARLY_FASTER = 1.03
_EACH_S = 0.35
_EACH_BYTES = 512 * 2**20
_MOST_OF_TEST = 0.02
# What is in flight when somebody cancels must be through in well under half a second.
_MOST_IN_FLIGHT_S = 0.3


@dataclass(frozen=True, slots=True)
class Shape:
    """Size of a block, and how many are in flight."""

    block_bytes: int
    depth: int


@dataclass(frozen=True, slots=True)
class Tried:
    """What one shape wrote in the probe."""

    shape: Shape
    bytes_per_s: float


def probe_bytes(most_bytes: int) -> int:
    """Return the most that a probe before a test of *most_bytes* writes."""
    each = min(_EACH_BYTES, int(most_bytes * _MOST_OF_TEST))
    return len(_SHAPES) * max(each, 8 * 2**20)


def probe_shape(
    target: Target, stop: threading.Event, most_bytes: int
) -> tuple[Shape, tuple[Tried, ...], int]:
    """Return the best shape, all that were tried, and the bytes that this took.

    The probe's files are removed again. Where the drive is slow, only shapes are chosen whose
    blocks in flight are through in a third of a second.
    Raises DiskError.
    """
    tried: list[Tried] = []
    used = 0
    each = probe_bytes(most_bytes) // len(_SHAPES) // STAMP_EVERY_BYTES * STAMP_EVERY_BYTES
    for block_mib, depth in _SHAPES:
        shape = Shape(block_mib * 2**20, depth)
        begin_s, moved = target.now_s(), 0
        for blocks in target.write_stream(each, shape.block_bytes, shape.depth, stop):
            moved += sum(block.size_bytes for block in blocks)
            if target.now_s() - begin_s > _EACH_S:
                break
        took_s = target.now_s() - begin_s
        used += moved
        target.start_over()
        if stop.is_set():
            break
        tried.append(Tried(shape, moved / took_s if took_s > 0 else 0.0))
    return _best(tried), tuple(tried), used


def _best(tried: list[Tried]) -> Shape:
    if not tried:
        return Shape(2**20, 1)
    best = tried[0]
    for each in tried[1:]:
        in_flight_s = each.shape.block_bytes * each.shape.depth / max(each.bytes_per_s, 1.0)
        if in_flight_s <= _MOST_IN_FLIGHT_S and (
            each.bytes_per_s > best.bytes_per_s * _CLEARLY_FASTER
        ):
            best = each
    return best.shape
