"""Compare two places by turns: what drifts meanwhile meets both alike."""

from __future__ import annotations

import threading
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from vastcellar.bench.flat_run import FlatPlan
from vastcellar.bench.progress import Progress
from vastcellar.core.errors import VastCellarError
from vastcellar.core.steady import difference, summarize
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.flat_proving import FlatProof, conditions_of, folder_flat_proof
from vastcellar.services.runs.measured_runs import differences_between

LEAST_TURNS = 3


@dataclass
class AlternatingRun:
    """The same test in two folders by turns, first A B, then B A, and so on.

    ``snapshots`` does the work, ``stop`` ends it; what was measured is kept in ``turns``.
    """

    folders: tuple[Path, Path]
    plan: FlatPlan
    notes_folder: Path
    times: int = LEAST_TURNS
    turns: list[tuple[int, dict[str, float]]] = field(default_factory=list)
    """(0 or 1 for the folder, its rates), in the order they were measured."""
    conditions: list[dict[str, Any]] = field(default_factory=list)
    ended_by: str = ""
    error: VastCellarError | None = None

    def __post_init__(self) -> None:
        self._stop = threading.Event()
        self._current: FlatProof | None = None
        for folder in self.folders:
            self._proof(folder)  # says at once what is in the way of either

    def _proof(self, folder: Path) -> FlatProof:
        return folder_flat_proof(folder, self.plan, self.notes_folder)

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
        proof = self._current = self._proof(self.folders[side])
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
        if result is None or not result.is_complete:
            return
        rates = {"write": result.write.bytes_per_s}
        if result.read is not None:
            rates["read"] = result.read.bytes_per_s
        self.turns.append((side, rates))
        self.conditions.append(conditions_of(proof, result))

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
