"""Compare two places by turns: what drifts meanwhile meets both alike."""

from __future__ import annotations

import math
import threading
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from vastcellar.bench.flat_run import FlatPlan
from vastcellar.bench.progress import Progress
from vastcellar.core.chain.chain import Chain
from vastcellar.core.errors import VastCellarError
from vastcellar.core.protocols.steady import difference, summarize
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.flat_proving import FlatProof, conditions_of, folder_flat_proof
from vastcellar.services.proving.shown import AS_TURNS, ShownTest
from vastcellar.services.runs.measured_runs import differences_between
from vastcellar.services.runs.resting import COOL, Rest

LEAST_TURNS = 4
"""Below, no interval can leave chance out at 95 of 100."""
USUAL_TURNS = 5
_RIGHT_AFTER = Rest(0.0, 1.0)
# Known of the first folder's drive alone: no difference between the two.
_OF_CHAIN = ("host_key", "port_key", "mode_key", "enclosure_key", "cable_key", "drive_key")


@dataclass(frozen=True)
class TurnsResult:
    """What a comparison by turns came to."""

    figures: dict[str, Any]
    is_complete: bool
    ended_by: str
    written_bytes: int
    """Into both folders."""
    notes: tuple[str, ...]
    write_mode: str


@dataclass(frozen=True)
class Turn:
    """One turn that measured something: 0 or 1 for the folder, and when it ended."""

    side: int
    proof: FlatProof
    ended_at: datetime

    @property
    def rates(self) -> dict[str, float]:
        """What was written and read at, in bytes per second; empty where it ended early."""
        result = self.proof.run.result
        if result is None or not result.is_complete:
            return {}
        read = {"read": result.read.bytes_per_s} if result.read is not None else {}
        return {"write": result.write.bytes_per_s, **read}


@dataclass
class AlternatingRun:
    """The same test in two folders by turns, first A B, then B A, and so on.

    ``snapshots`` does the work, ``stop`` ends it; what was measured is kept in ``taken``.
    """

    folders: tuple[Path, Path]
    plan: FlatPlan
    notes_folder: Path
    times: int = USUAL_TURNS
    chain: Chain | None = None
    """What leads to the first folder's drive, where that is known."""
    ambient_c: float = math.nan
    rest: Rest = COOL
    """Of the first folder's drive, before its first turn."""
    apart: bool = False
    """Whether each turn runs in a process of its own."""
    taken: list[Turn] = field(default_factory=list)
    ended_by: str = ""
    error: VastCellarError | None = None

    def __post_init__(self) -> None:
        self._stop = threading.Event()
        self._current: FlatProof | None = None
        for side in (0, 1):
            self._proof(side)  # says at once what is in the way of either

    def _proof(self, side: int) -> FlatProof:
        is_first = side == 0 and not self.taken
        return folder_flat_proof(
            self.folders[side],
            self.plan,
            self.notes_folder,
            chain=self.chain if side == 0 else None,
            ambient_c=self.ambient_c,
            rest=self.rest if is_first else _RIGHT_AFTER,
            apart=self.apart,
        )

    @property
    def bytes_to_write(self) -> int:
        """Of all turns, into each folder."""
        return self.plan.most_bytes * self.times

    def stop(self) -> None:
        """End soon; what was measured so far is kept."""
        self._stop.set()
        if self._current is not None:
            self._current.run.stop()

    def order(self) -> list[int]:
        """Return which folder comes when: neither is always the first or the warmer one."""
        return [
            side if turn % 2 == 0 else 1 - side for turn in range(self.times) for side in (0, 1)
        ]

    def snapshots(self) -> Iterator[Progress]:
        """Do all turns. A disk that fails ends it, its sentence kept."""
        order = self.order()
        for number, side in enumerate(order):
            if self._stop.is_set() or self.error is not None:
                break
            try:
                yield from self._turn(side, number / len(order), 1 / len(order))
            except VastCellarError as error:
                self.error = error
        if self._stop.is_set():
            self.ended_by = "cancelled"
        elif self.error is not None:
            self.ended_by = str(self.error)

    def _turn(self, side: int, before: float, share: float) -> Iterator[Progress]:
        proof = self._current = self._proof(side)
        if self._stop.is_set():  # told so before there was anything to stop
            return
        proof.begin()
        for snapshot in proof.run.snapshots():
            yield replace(
                snapshot,
                phase=f"{'AB'[side]}, {snapshot.phase}",
                done_share=before + share * snapshot.done_share,
                begins_pass=False,
            )
        result = proof.run.result
        self.error = proof.run.error
        if result is not None and result.written_bytes:
            self.taken.append(Turn(side, proof, datetime.now(UTC)))

    @property
    def turns(self) -> list[tuple[int, dict[str, float]]]:
        """(0 or 1 for the folder, its rates) of the finished ones, in the order measured."""
        return [(turn.side, turn.rates) for turn in tuple(self.taken) if turn.rates]

    @property
    def conditions(self) -> list[dict[str, Any]]:
        """The conditions of each finished turn, without what is known of one folder alone."""
        made = []
        for turn in self.taken:
            result = turn.proof.run.result
            if result is not None and turn.rates:
                known = conditions_of(turn.proof, result)
                made.append({key: known[key] for key in known if key not in _OF_CHAIN})
        return made

    @property
    def result(self) -> TurnsResult | None:
        """What it came to; None where nothing was written."""
        results = [turn.proof.run.result for turn in self.taken]
        measured = [result for result in results if result is not None]
        if not measured:
            return None
        return TurnsResult(
            figures=self.figures(),
            is_complete=not self.ended_by,
            ended_by=self.ended_by,
            written_bytes=sum(result.written_bytes for result in measured),
            notes=tuple(dict.fromkeys(note for result in measured for note in result.notes)),
            write_mode=measured[0].write_mode,
        )

    def rates(self, side: int, what: str) -> list[float]:
        """Return the rates of one folder, "write" or "read", in the order measured."""
        return [rates[what] for number, rates in self.turns if number == side and what in rates]

    def figures(self) -> dict[str, Any]:
        """Return medians, spreads, and the difference of B against A with its interval."""
        compared: dict[str, Any] = {}
        for what in ("write", "read"):
            first, second = self.rates(0, what), self.rates(1, what)
            if not first or not second:
                continue
            found = difference(first, second)
            compared[what] = {
                "a": asdict(summarize(first)),
                "b": asdict(summarize(second)),
                "difference": {**asdict(found), "is_real": found.is_real} if found else None,
            }
        return {
            "a": str(self.folders[0]),
            "b": str(self.folders[1]),
            "kind": self.plan.kind,
            "times": self.times,
            "order": ["AB"[side] for side, _ in self.turns],
            "is_complete": not self.ended_by,
            "ended_by": self.ended_by,
            "compared": compared,
            "conditions_that_differ": list(differences_between(self.conditions)),
        }


@dataclass(frozen=True)
class TurnsProof(ShownTest):
    """A comparison by turns, ready to run."""

    run: AlternatingRun
    is_simulated = False
    shown = AS_TURNS

    @property
    def target(self) -> str:
        """Both folders."""
        first, second = self.run.folders
        return f"{first} (A), {second} (B)"

    def begin(self) -> tuple[str, ...]:
        """Each turn looks by itself how busy the computer is."""
        return ()


def turns_sentence(result: TurnsResult, fmt: NumberFormat) -> tuple[str, str]:
    """Say which folder is faster, if the turns tell; and the medians with their spread."""
    compared = result.figures["compared"]
    heads = [difference_sentence(compared, what, fmt) for what in compared]
    medians = [
        f"{what} {fmt.rate(found['a']['median'])} "
        f"({fmt.rate(found['a']['low'])} to {fmt.rate(found['a']['high'])}) in A, "
        f"{fmt.rate(found['b']['median'])} "
        f"({fmt.rate(found['b']['low'])} to {fmt.rate(found['b']['high'])}) in B"
        for what, found in compared.items()
    ]
    if not heads:
        return "No turn of both folders was finished.", ""
    text = f"Medians: {'; '.join(medians)}." if medians else ""
    order = f"In the order {' '.join(result.figures['order'])}."
    differing = words_of(result.figures["conditions_that_differ"])
    head = " ".join(f"{each[0].upper()}{each[1:]}" for each in heads)
    return head, " ".join(part for part in (text, order, differing) if part)


def difference_sentence(compared: dict[str, Any], what: str, fmt: NumberFormat) -> str:
    """Say whether B differs from A, and by how much."""
    found = compared[what]["difference"]
    if found is None:
        return f"{what}: too few runs to tell a difference from chance."
    share, low, high = (fmt.percent(found[key], signed=True) for key in ("share", "low", "high"))
    if not found["is_real"]:
        return f"{what}: no difference that these runs can tell ({low} to {high})."
    return f"{what}: B against A {share} ({low} to {high}), a real difference."


def words_of(differing: Sequence[str]) -> str:
    """Return what differs between the two, as a clause; "" where nothing does."""
    return f"They also differ in: {', '.join(differing)}." if differing else ""
