"""Simulate this setup: its write profile under a load, judged moment by moment."""

from __future__ import annotations

import math
from dataclasses import dataclass

from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.setup_parts import heat_path
from vastcellar.core.errors import BadValueError
from vastcellar.core.recording.recorder import FluidOutcome, profile_outcome
from vastcellar.core.writing.drive_in_use import EventKind
from vastcellar.core.writing.workloads import Workload, cards_in_a_row, flat_out, paced
from vastcellar.core.writing.write_profile import WriteProfile, write_profile


@dataclass(frozen=True, slots=True)
class Load:
    """What is asked of a chain; an infinite rate writes flat out and loses nothing."""

    average_bytes_per_s: float
    needed_write_bytes_per_s: float
    duration_s: float
    buffer_bytes: int
    bytes_per_frame: float

    @property
    def is_flat_out(self) -> bool:
        """Whether it takes whatever the drive gives."""
        return math.isinf(self.average_bytes_per_s)


@dataclass(frozen=True)
class Simulated:
    """What came of it; nothing in it was measured."""

    chain: Chain
    load: Load
    run: WriteProfile
    outcome: FluidOutcome | None

    @property
    def holds(self) -> bool | None:
        """Whether the drive could take the need at every moment; None where nothing is needed."""
        if self.load.is_flat_out:
            return None
        return self.run.lowest_ability_bytes_per_s >= self.load.needed_write_bytes_per_s

    def first_s(self, kind: EventKind) -> float | None:
        """Return when *kind* first happens, or None."""
        event = self.run.first(kind)
        return event.at_s if event else None

    @property
    def dropped_frames(self) -> float:
        """Frames that the buffer arithmetic expects lost."""
        return self.outcome.lost_bytes / self.load.bytes_per_frame if self.outcome else 0.0


@dataclass(frozen=True, slots=True)
class CardCopied:
    """One card of an offload; seconds count from the first byte of the first card."""

    start_s: float
    end_s: float
    """Infinite where the drive was full before."""

    @property
    def duration_s(self) -> float:
        """How long its copy took."""
        return self.end_s - self.start_s


@dataclass(frozen=True)
class Offloaded:
    """Cards copied one after the other: a copy waits, so its time is the answer."""

    chain: Chain
    run: WriteProfile
    card_bytes: float
    cards: tuple[CardCopied, ...]

    @property
    def copied_s(self) -> float:
        """When the last card was copied, infinite where they don't all fit."""
        return self.cards[-1].end_s

    def rate_of(self, card: CardCopied) -> float:
        """Return the mean rate that one of the cards was copied at."""
        return self.card_bytes / card.duration_s

    @property
    def fitting(self) -> int:
        """How many cards fit."""
        return sum(math.isfinite(card.end_s) for card in self.cards)


def simulate_offload(
    chain: Chain,
    ambient_c: float,
    count: int,
    card_bytes: float,
    source_bytes_per_s: float,
    pause_s: float = 0.0,
) -> Offloaded:
    """Return the offload of cards onto *chain*, one after the other.

    Args:
        chain: from the port to the drive that they are copied to.
        ambient_c: of the room.
        count: of cards.
        card_bytes: on each.
        source_bytes_per_s: what a card reads; infinity for one that is never the limit.
        pause_s: to swap two cards.

    Raises:
        BadValueError: where the chain connects nothing or a figure can't be.

    """
    run = _profile(chain, ambient_c, cards_in_a_row(count, card_bytes, source_bytes_per_s, pause_s))
    cards: list[CardCopied] = []
    for number in range(count):
        start_s = cards[-1].end_s + pause_s if cards else 0.0
        cards.append(CardCopied(start_s, run.written_after_s((number + 1) * card_bytes)))
    return Offloaded(chain, run, card_bytes, tuple(cards))


def simulate(
    chain: Chain, ambient_c: float, load: Load, workload: Workload | None = None
) -> Simulated:
    """Return the write profile of *chain* under *load*, or under *workload* in its place.

    Raises BadValueError where the chain connects nothing or the load can't be.
    """
    if workload is None and load.is_flat_out:
        workload = flat_out(load.duration_s)
    elif workload is None:
        workload = paced(load.average_bytes_per_s, load.duration_s)
    run = _profile(chain, ambient_c, workload)
    outcome = None
    if not load.is_flat_out:
        outcome = profile_outcome(run, load.average_bytes_per_s, load.buffer_bytes)
    return Simulated(chain, load, run, outcome)


def _profile(chain: Chain, ambient_c: float, workload: Workload) -> WriteProfile:
    if chain.problem:
        raise BadValueError(chain.problem, where="chain", mend="Choose parts that work together")
    return write_profile(
        chain.parts.drive.writes,
        heat_path(chain.parts, ambient_c),
        chain.link_cap_bytes_per_s,
        workload,
        free_bytes=chain.free_bytes,
        capacity_bytes=chain.parts.drive.capacity_bytes,
    )
