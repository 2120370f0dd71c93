"""The kinds of tests that work with files: what is said, drawn and kept of each."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import asdict
from typing import Any, Generic, TypeVar

from vastcellar.bench.edit_run import EditPlan, EditResult
from vastcellar.bench.offload_run import OffloadPlan, OffloadResult
from vastcellar.bench.project_run import ProjectPlan, ProjectResult
from vastcellar.core.trace import Trace
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.file_rows import ResultRows, edit_rows, loss_text, project_rows
from vastcellar.services.proving.offloading import limit_sentence, offload_figures
from vastcellar.services.proving.shown import AS_COPY, AS_PARTS, Shown

FileResult = EditResult | ProjectResult | OffloadResult
R = TypeVar("R", EditResult, ProjectResult, OffloadResult)


class FileKind(ABC, Generic[R]):
    """One kind; a new one says here all that is to be known of it."""

    key: str
    shown: Shown = AS_PARTS

    @abstractmethod
    def figures(self, result: R) -> dict[str, Any]:
        """Return what it measured, as it is kept and printed."""

    @abstractmethod
    def sentences(self, result: R, fmt: NumberFormat) -> tuple[str, str]:
        """Return what came of it, and its figures, as two sentences."""

    def rows(self, result: R, fmt: NumberFormat) -> ResultRows | None:
        """Return its parts to draw; None where it is drawn otherwise."""
        return None

    def write_mode(self, result: R) -> str:
        """Return how it wrote; where one mode is for both ways, how it read."""
        return str(getattr(result, "write_mode", result.read_mode))

    def trace(self, result: R) -> Trace | None:
        """Return its trace, where it has one."""
        return None


class EditKind(FileKind[EditResult]):
    """Streams that are added until one misses a frame."""

    key = "edit"

    def figures(self, result: EditResult) -> dict[str, Any]:
        """With the bytes that its clips take."""
        figures = asdict(result)
        figures["plan"]["bytes_to_write"] = result.plan.bytes_to_write
        return figures

    def sentences(self, result: EditResult, fmt: NumberFormat) -> tuple[str, str]:
        """Say how many streams it held, and what came late with one more."""
        plan = result.plan
        rate = fmt.rate(plan.stream_bytes_per_s, 1)
        count = result.most_streams
        streams = "1 stream" if count == 1 else f"{count} streams"
        head = (
            f"{streams} of {rate} without a missed frame" if count else f"Not one stream of {rate}"
        )
        if count == plan.streams:
            head += ", as many as were asked for"
        failed = next((step for step in result.steps if not step.is_held), None)
        parts = []
        if failed is not None and not failed.missed:
            loss = loss_text(failed.read_ahead_loss_s_per_s, fmt)
            parts.append(
                f"With {failed.streams}, no frame came late yet, but {loss}: "
                "soon it would be used up."
            )
        elif failed is not None:
            parts.append(
                f"With {failed.streams}, {fmt.number(failed.missed, 0)} of "
                f"{fmt.number(failed.frames, 0)} frames came late, the worst by "
                f"{fmt.number(failed.worst_late_s * 1e3, 0)} ms."
            )
        jumps = [step.first_frame.p99_s for step in result.steps if step.jumps]
        if jumps:
            first = fmt.number(max(jumps) * 1e3, 0)
            parts.append(f"After a jump the first frame came within {first} ms (99 of 100).")
        dragged = [step.scrub_frame.p99_s for step in result.steps if step.scrubs]
        if dragged:
            each = fmt.number(max(dragged) * 1e3, 0)
            parts.append(f"While scrubbing each frame came within {each} ms (99 of 100).")
        return f"{head}.", " ".join(parts)

    def rows(self, result: EditResult, fmt: NumberFormat) -> ResultRows:
        """Its steps with their need."""
        return edit_rows(result, fmt)


class ProjectKind(FileKind[ProjectResult]):
    """A project that is opened and saved: thousands of small files."""

    key = "project"

    def figures(self, result: ProjectResult) -> dict[str, Any]:
        """As it was measured."""
        return asdict(result)

    def sentences(self, result: ProjectResult, fmt: NumberFormat) -> tuple[str, str]:
        """Say how many operations went through a second, and the longest wait."""
        head = ", ".join(
            f"{each.name} {fmt.number(each.per_s, 0)} a second" for each in result.operations
        )
        slowest = max(result.operations, key=lambda each: each.latency.longest_s)
        wait = fmt.number(slowest.latency.longest_s * 1e3, 0)
        return head[:1].upper() + head[1:] + ".", f"The longest wait: {wait} ms ({slowest.name})."

    def rows(self, result: ProjectResult, fmt: NumberFormat) -> ResultRows:
        """Its operations."""
        return project_rows(result, fmt)


class OffloadKind(FileKind[OffloadResult]):
    """Clips that are copied, flushed and read back."""

    key = "offload"
    shown = AS_COPY

    def figures(self, result: OffloadResult) -> dict[str, Any]:
        """With whose rate it is the rate of."""
        return offload_figures(result)

    def sentences(self, result: OffloadResult, fmt: NumberFormat) -> tuple[str, str]:
        """Say what was copied, how it came back, and what the limit was."""
        copied = f"{len(result.clips)} clips, {fmt.size(result.written_bytes)}"
        head = f"{copied} copied at {fmt.rate(result.copy.bytes_per_s)}, flushed clip by clip"
        if result.verify is not None:
            came_back = (
                "every one came back as it was read"
                if not result.different
                else f"came back different: {', '.join(result.different)}"
            )
            head += f"; {came_back}"
        return f"{head}.", limit_sentence(result, fmt)

    def trace(self, result: OffloadResult) -> Trace:
        """Of the copy."""
        return result.copy.trace


EDIT, PROJECT, OFFLOAD = EditKind(), ProjectKind(), OffloadKind()
_KINDS: dict[type[Any], FileKind[Any]] = {
    EditPlan: EDIT,
    EditResult: EDIT,
    ProjectPlan: PROJECT,
    ProjectResult: PROJECT,
    OffloadPlan: OFFLOAD,
    OffloadResult: OFFLOAD,
}


def kind_of(plan_or_result: object) -> FileKind[Any]:
    """Return the kind of test that a plan or a result is of."""
    return _KINDS[type(plan_or_result)]


def file_figures(result: FileResult) -> dict[str, Any]:
    """Return what such a test measured, as it is kept and printed, with its kind."""
    kind = kind_of(result)
    return {"kind": kind.key, **kind.figures(result)}


def file_sentence(result: FileResult, fmt: NumberFormat) -> tuple[str, str]:
    """Return what came of such a test, and its figures, as two sentences."""
    return kind_of(result).sentences(result, fmt)


def file_rows(result: FileResult, fmt: NumberFormat) -> ResultRows | None:
    """Return the parts of such a result to draw; None where it is drawn otherwise."""
    return kind_of(result).rows(result, fmt)
