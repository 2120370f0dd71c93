"""Compare two places by turns: what drifts meanwhile meets both alike."""

from __future__ import annotations

import math
import threading
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Mapping
from dataclasses import asdict, dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Generic, TypeVar

from vastcellar.bench.copying.room import file_system_of
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.flat_run import FlatPlan
from vastcellar.bench.progress import Progress
from vastcellar.core.chain.chain import Chain
from vastcellar.core.errors import VastCellarError
from vastcellar.core.protocols.steady import difference, summarize
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.file_proving import EditPlan, EditResult, FileProof, file_proof
from vastcellar.services.proving.flat_proving import FlatProof, conditions_of, folder_flat_proof
from vastcellar.services.proving.shown import AS_TURNS, ShownTest
from vastcellar.services.runs.measured_runs import differences_between
from vastcellar.services.runs.resting import COOL, Rest

LEAST_TURNS = 4
"""Below, no interval can leave chance out at 95 of 100."""
USUAL_TURNS = 5
STREAMS, FIRST_FRAME = "streams", "first frame"
"""What an edit test measures, beside what it reads: in time, and after half of its jumps."""
_SHOWN: dict[str, Callable[[float, NumberFormat], str]] = {
    STREAMS: lambda value, fmt: fmt.number(value, 0),
    FIRST_FRAME: lambda value, fmt: f"{fmt.number(value * 1e3, 1)} ms",
}


def _rate_text(value: float, fmt: NumberFormat) -> str:
    return fmt.rate(value)


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


P = TypeVar("P", FlatProof, FileProof)


@dataclass(frozen=True)
class Turn(Generic[P]):
    """One turn that measured something: 0 or 1 for the folder, and when it ended."""

    side: int
    proof: P
    ended_at: datetime
    rates: dict[str, float]
    """What it measured, by name; empty where it ended early."""


class Turns(ABC, Generic[P]):
    """The same test in two folders by turns, first A B, then B A, and so on.

    ``snapshots`` does the work, ``stop`` ends it; what was measured is kept in ``taken``.
    """

    folders: tuple[Path, Path]
    times: int
    taken: list[Turn[P]]
    ended_by: str
    error: VastCellarError | None

    def __post_init__(self) -> None:
        self._stop = threading.Event()
        self._current: P | None = None
        for side in (0, 1):
            self._proof(side)  # says at once what is in the way of either
        self.is_one_file_system = _is_one_file_system(self.folders)

    @abstractmethod
    def _proof(self, side: int) -> P:
        """Return one turn's test. Raises DiskError, BadValueError."""

    @abstractmethod
    def _measured(self, proof: P) -> dict[str, float]:
        """Return what a complete turn measured, by name; all above 0."""

    @abstractmethod
    def _conditions(self, proof: P) -> dict[str, Any]:
        """Return what a turn was measured under."""

    @property
    @abstractmethod
    def kind(self) -> str:
        """What is done in each turn."""

    @property
    @abstractmethod
    def bytes_each(self) -> int:
        """What a turn writes at most."""

    @property
    def bytes_to_write(self) -> int:
        """Of all turns, into each folder."""
        return self.bytes_each * self.times

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
            rates = self._measured(proof) if result.is_complete else {}
            self.taken.append(Turn(side, proof, datetime.now(UTC), rates))

    @property
    def turns(self) -> list[tuple[int, dict[str, float]]]:
        """(0 or 1 for the folder, its rates) of the finished ones, in the order measured."""
        return [(turn.side, turn.rates) for turn in tuple(self.taken) if turn.rates]

    @property
    def conditions(self) -> list[dict[str, Any]]:
        """The conditions of each finished turn, without what is known of one folder alone."""
        made = []
        for turn in self.taken:
            if turn.rates:
                known = self._conditions(turn.proof)
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
            write_mode=str(getattr(measured[0], "write_mode", "")),
        )

    def rates(self, side: int, what: str) -> list[float]:
        """Return one measure of one folder, as "write" or "read", in the order measured."""
        return [rates[what] for number, rates in self.turns if number == side and what in rates]

    def figures(self) -> dict[str, Any]:
        """Return medians, spreads, and the difference of B against A with its interval."""
        compared: dict[str, Any] = {}
        for what in dict.fromkeys(name for turn in self.taken for name in turn.rates):
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
            "kind": self.kind,
            "times": self.times,
            "order": ["AB"[side] for side, _ in self.turns],
            "is_complete": not self.ended_by,
            "ended_by": self.ended_by,
            "compared": compared,
            "conditions_that_differ": list(differences_between(self.conditions)),
            "is_one_file_system": self.is_one_file_system,
        }


@dataclass
class AlternatingRun(Turns[FlatProof]):
    """Written flat out, and read back, by turns."""

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
    taken: list[Turn[FlatProof]] = field(default_factory=list)
    ended_by: str = ""
    error: VastCellarError | None = None

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

    def _measured(self, proof: FlatProof) -> dict[str, float]:
        result = proof.run.result
        assert result is not None, "the turn has ended"
        read = {"read": result.read.bytes_per_s} if result.read is not None else {}
        return {"write": result.write.bytes_per_s, **read}

    def _conditions(self, proof: FlatProof) -> dict[str, Any]:
        result = proof.run.result
        assert result is not None, "the turn has ended"
        return conditions_of(proof, result)

    @property
    def kind(self) -> str:
        """Of the flat-out test."""
        return self.plan.kind

    @property
    def bytes_each(self) -> int:
        """As planned."""
        return self.plan.most_bytes


@dataclass
class AlternatingEdit(Turns[FileProof]):
    """Streams played by turns: encrypted beside plain, a mirror beside one, a share beside local.

    A turn without one stream in time says nothing of how many there are: it counts for the rest.
    """

    folders: tuple[Path, Path]
    plan: EditPlan
    notes_folder: Path
    times: int = USUAL_TURNS
    chain: Chain | None = None
    ambient_c: float = math.nan
    apart: bool = False
    taken: list[Turn[FileProof]] = field(default_factory=list)
    ended_by: str = ""
    error: VastCellarError | None = None

    def _proof(self, side: int) -> FileProof:
        chain = self.chain if side == 0 else None
        return file_proof(
            self.folders[side], self.plan, self.notes_folder, chain=chain,
            ambient_c=self.ambient_c, apart=self.apart,
        )  # fmt: skip

    def _measured(self, proof: FileProof) -> dict[str, float]:
        result = proof.run.result
        assert isinstance(result, EditResult), "the turn has ended"
        one = result.steps[0]
        found = {
            STREAMS: float(result.most_streams),
            FIRST_FRAME: one.first_frame.p50_s,
            "read": max(step.read_bytes_per_s for step in result.steps),
        }
        return {name: value for name, value in found.items() if value > 0}

    def _conditions(self, proof: FileProof) -> dict[str, Any]:
        result = proof.run.result
        assert result is not None, "the turn has ended"
        return asdict(proof.conditions(result))

    @property
    def kind(self) -> str:
        """Of the edit test."""
        return "edit"

    @property
    def bytes_each(self) -> int:
        """Clips, and what is rendered beside."""
        return self.plan.bytes_to_write


@dataclass(frozen=True)
class TurnsProof(ShownTest):
    """A comparison by turns, ready to run."""

    run: AlternatingRun | AlternatingEdit
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
        f"{what} {side_text(what, found['a'], fmt)} in A, {side_text(what, found['b'], fmt)} in B"
        for what, found in compared.items()
    ]
    if not heads:
        return "No turn of both folders was finished.", ""
    text = f"Medians: {'; '.join(medians)}." if medians else ""
    order = f"In the order {' '.join(result.figures['order'])}."
    differing = words_of(result.figures)
    head = " ".join(f"{each[0].upper()}{each[1:]}" for each in heads)
    return head, " ".join(part for part in (text, order, differing) if part)


def side_text(what: str, summary: dict[str, Any], fmt: NumberFormat) -> str:
    """Return the median of a measure in one folder, and from where to where its turns went."""
    shown = _SHOWN.get(what, _rate_text)
    median, low, high = (shown(summary[key], fmt) for key in ("median", "low", "high"))
    return f"{median} ({low} to {high})"


def turn_text(rates: Mapping[str, float], fmt: NumberFormat) -> str:
    """Return what one turn measured."""
    return ", ".join(
        f"{what} {_SHOWN.get(what, _rate_text)(value, fmt)}" for what, value in rates.items()
    )


def difference_sentence(compared: dict[str, Any], what: str, fmt: NumberFormat) -> str:
    """Say whether B differs from A, and by how much."""
    found = compared[what]["difference"]
    if found is None:
        return f"{what}: too few runs to tell a difference from chance."
    share, low, high = (fmt.percent(found[key], signed=True) for key in ("share", "low", "high"))
    if not found["is_real"]:
        return f"{what}: no difference that these runs can tell ({low} to {high})."
    return f"{what}: B against A {share} ({low} to {high}), a real difference."


def words_of(figures: Mapping[str, Any]) -> str:
    """Return what is to be known beside the rates of a comparison; "" for nothing."""
    differing = figures["conditions_that_differ"]
    said = [f"They also differ in: {', '.join(differing)}."] if differing else []
    if figures["is_one_file_system"]:
        said.insert(0, "Both lie on one file system: no other drive was measured. Is it mounted?")
    return " ".join(said)


def _is_one_file_system(folders: tuple[Path, Path]) -> bool:
    """Whether a drive, or what encrypts it, can be no difference between the two."""
    try:
        return file_system_of(folders[0]) == file_system_of(folders[1])
    except OSError as error:
        raise as_disk_error(error, str(folders[1])) from error
