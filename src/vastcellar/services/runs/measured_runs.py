"""Flat-out runs as they are kept and compared: medians, spread, real differences."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from vastcellar.core.cellar.likeness import WARMER_K
from vastcellar.core.protocols.steady import Difference, RunsSummary, difference, summarize
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.trace import Trace
from vastcellar.services.runs.replaying import CameraReplay, camera_replays
from vastcellar.services.workplace.run_records import FLAT_KINDS
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.run_record import RunRecord
from vastcellar.store.trace_csv import parse_trace

__all__ = [
    "CameraReplay",
    "ComparedGroup",
    "MeasuredRun",
    "Trace",
    "compare_runs",
    "differences_between",
    "differing_conditions",
    "measured_runs",
    "replay_of_run",
    "trace_of_run",
]

# Runs that differ in one of these are not of one thing.
_CONDITIONS = {
    "host_key": "host",
    "port_key": "port",
    "mode_key": "link mode",
    "enclosure_key": "enclosure",
    "cable_key": "cable",
    "file_system": "file system",
    "encryption": "encryption",
    "cooling": "cooling",
    "write_mode": "way past the host's cache",
    "block_bytes": "block",
    "depth": "depth",
}


@dataclass(frozen=True)
class MeasuredRun(RunRecord):
    """A flat-out run out of the cellar, without its trace."""

    @property
    def write_bytes_per_s(self) -> float:
        """Rate of writing, flush included."""
        return float(self.figures["write"]["bytes_per_s"])

    @property
    def read_bytes_per_s(self) -> float | None:
        """Rate of reading back, None where nothing was read."""
        read = self.figures["read"]
        return float(read["bytes_per_s"]) if read else None

    @property
    def causes(self) -> list[str]:
        """What slowed it, by name; empty for a run too short to say."""
        found = self.figures.get("diagnosis")
        return list(found["causes"]) if found else []


def measured_runs(records: Iterable[RunRecord]) -> tuple[MeasuredRun, ...]:
    """Return the flat-out runs among *records*, in their order."""
    return tuple(MeasuredRun(**vars(each)) for each in records if each.kind in FLAT_KINDS)


def trace_of_run(workplace: Workplace, run_id: int) -> Trace:
    """Return the trace of a run. Raises CellarError, UnknownPartError, BadFileError."""
    return parse_trace(workplace.cellar.trace_csv(run_id), f"run {run_id}")


def replay_of_run(workplace: Workplace, run_id: int, shoot: Shoot) -> tuple[CameraReplay, ...]:
    """Return what each camera of *shoot* would have met on the drive of a flat-out run."""
    return camera_replays(trace_of_run(workplace, run_id), shoot)


@dataclass(frozen=True)
class ComparedGroup:
    """The runs of one kind on one unit, together."""

    name: str
    runs: tuple[MeasuredRun, ...]
    write: RunsSummary
    read: RunsSummary | None
    against_first: Difference | None
    """Of the write rate, against the first group; None for the first, or for too few runs."""
    times_first: float | None = None
    """Its median over the first group's, None for the first and for another kind of test."""
    first_count: int = 0
    """How many runs the first group has."""


def compare_runs(runs: Sequence[MeasuredRun]) -> tuple[ComparedGroup, ...]:
    """Return *runs* by unit and kind of test, each with median, spread and difference.

    Different kinds of test are never put into one group: a burst says nothing of a long write.
    """
    groups: dict[tuple[str, str], list[MeasuredRun]] = {}
    for run in runs:
        groups.setdefault((run.unit_tag, run.kind), []).append(run)
    compared: list[ComparedGroup] = []
    first: list[float] | None = None
    first_kind = ""
    for (tag, kind), members in groups.items():
        written = [run.write_bytes_per_s for run in members]
        read = [rate for run in members if (rate := run.read_bytes_per_s) is not None]
        against, times = None, None
        if first is None:
            first, first_kind = written, kind
        elif kind == first_kind:
            against = difference(first, written)
            times = summarize(written).median / summarize(first).median
        compared.append(
            ComparedGroup(
                name=f"{tag} · {kind}",
                runs=tuple(members),
                write=summarize(written),
                read=summarize(read) if read else None,
                against_first=against,
                times_first=times,
                first_count=len(first),
            )
        )
    return tuple(compared)


def differing_conditions(runs: Sequence[MeasuredRun]) -> tuple[str, ...]:
    """Say in which conditions *runs* differ, in words; empty where they are alike."""
    found = list(differences_between([run.conditions for run in runs]))
    if len({run.kind for run in runs}) > 1:
        found.append("kind of test")
    if len({run.is_simulated for run in runs}) > 1:
        found.append("simulated and real")
    return tuple(found)


def differences_between(conditions: Sequence[Mapping[str, Any]]) -> tuple[str, ...]:
    """Say which of the *conditions* of runs differ, in words."""
    found = []
    for key, word in _CONDITIONS.items():
        if len({str(each.get(key, "")) for each in conditions}) > 1:
            found.append(word)
    rooms = [c for each in conditions if isinstance(c := each.get("ambient_c"), (int, float))]
    if rooms and max(rooms) - min(rooms) > WARMER_K:
        found.append("room temperature")
    if any(each.get("warnings") for each in conditions):
        found.append("other load on the computer")
    return tuple(found)
