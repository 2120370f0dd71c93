"""What a test with files came to, part by part: streams or operations, as rows to draw."""

from __future__ import annotations

import math
from dataclasses import dataclass

from vastcellar.bench.edit_run import EditResult, EditStep
from vastcellar.bench.project_run import Operation, ProjectResult
from vastcellar.core.units import NumberFormat


@dataclass(frozen=True, slots=True)
class ResultRow:
    """One part of a result: a bar beside others, with what is to be said of it."""

    name: str
    share: float
    """Of the longest bar, 0 to 1."""
    wanted: float
    """Where on the bar the need lies, 0 to 1; nan where nothing was asked for."""
    text: str
    is_short: bool
    """Whether it missed, or came back wrong."""


@dataclass(frozen=True, slots=True)
class ResultRows:
    """Rows with a word on what their bars show."""

    title: str
    rows: tuple[ResultRow, ...]


def edit_rows(result: EditResult, fmt: NumberFormat) -> ResultRows:
    """Return the steps of *result* with their need."""
    return ResultRows(
        "read by the editor, jumps and scrubs included; the stroke is what playing asks",
        _steps(result, fmt),
    )


def project_rows(result: ProjectResult, fmt: NumberFormat) -> ResultRows:
    """Return the operations of *result*."""
    return ResultRows("99 of 100 took up to", _operations(result, fmt))


def _steps(result: EditResult, fmt: NumberFormat) -> tuple[ResultRow, ...]:
    rate = result.plan.stream_bytes_per_s
    top = max([step.streams * rate for step in result.steps]
              + [step.read_bytes_per_s for step in result.steps], default=1.0)  # fmt: skip
    return tuple(
        ResultRow(
            name="1 stream" if step.streams == 1 else f"{step.streams} streams",
            share=step.read_bytes_per_s / top,
            wanted=step.streams * rate / top,
            text=_step_text(step, rate, fmt),
            is_short=not step.is_held,
        )
        for step in result.steps
    )


def _step_text(step: EditStep, rate: float, fmt: NumberFormat) -> str:
    late = (
        f"{fmt.number(step.missed, 0)} of {fmt.number(step.frames, 0)} frames late"
        if step.missed
        else "no frame late"
    )
    read, asked = fmt.rate(step.read_bytes_per_s, 0), fmt.rate(step.streams * rate, 0)
    parts = [f"{read} read, {asked} asked", late]
    if loss := loss_text(step.read_ahead_loss_s_per_s, fmt):
        parts.append(loss)
    if not math.isnan(step.first_frame.p99_s):
        parts.append(f"after a jump {fmt.number(step.first_frame.p99_s * 1e3, 0)} ms")
    return " · ".join(parts)


def loss_text(loss_s_per_s: float, fmt: NumberFormat) -> str:
    """Say what went of that which had been read ahead, each second; "" where nothing did."""
    if not loss_s_per_s:
        return ""
    return f"what was read ahead shrank by {fmt.number(loss_s_per_s * 1e3, 0)} ms a second"


def _operations(result: ProjectResult, fmt: NumberFormat) -> tuple[ResultRow, ...]:
    top = max((each.latency.p99_s for each in result.operations), default=1.0) or 1.0
    return tuple(
        ResultRow(each.name, each.latency.p99_s / top, math.nan, _operation_text(each, fmt), False)
        for each in result.operations
    )


def _operation_text(each: Operation, fmt: NumberFormat) -> str:
    return (
        f"{fmt.number(each.latency.p99_s * 1e3)} ms, at most "
        f"{fmt.number(each.latency.longest_s * 1e3)} ms · {fmt.number(each.per_s, 0)} a second"
    )
