"""A set of tests as one line to type: "burst x3; write 40% up to 30 min; rest 5 min; read 8 GB"."""

from __future__ import annotations

import re
from dataclasses import replace

from vastcellar.core.errors import BadValueError
from vastcellar.core.protocols.amounts import exact_size, exactly, take_amount
from vastcellar.core.protocols.protocols import ProtocolStep, StepKind
from vastcellar.core.units import parse_duration, parse_size

_REST = ("rest", "pause", "wait")
_MOST_TIMES = 100
_LIST = "burst, write, read, record, offload, edit, project, capacity or rest"
HINT = "burst x3; write 40% up to 30 min; rest 5 min; hands: Put a fan on the case; read 8 GB"


def parse_steps(text: str, *, where: str = "Steps", decimal_point: str = ".") -> tuple[
    ProtocolStep, ...
]:  # fmt: skip
    """Return the steps that *text* names, divided by semicolons or lines.

    Each begins with its kind. Then may follow, in any order: a size or a share of the free
    space, ``up to`` a time, ``until steady``, ``x3`` for three times. ``hands: …`` says what is
    to be done before the next test.
    Raises BadValueError naming the step that isn't understood.
    """
    steps: list[ProtocolStep] = []
    instruction = ""
    for part in re.split(r"[;\n]", text):
        words = part.strip()
        if not words:
            continue
        head, _, rest = words.partition(":")
        if head.strip().lower() == "hands" and rest.strip():
            instruction = rest.strip()
            continue
        step = _step(words, f"{where}, {words!r}", decimal_point)
        steps.append(replace(step, instruction=instruction))
        instruction = ""
    if instruction:
        raise BadValueError(
            "nothing follows what is to be done", where=where, mend="Add the test after it"
        )
    if not steps:
        raise BadValueError("it has no step", where=where, mend=f"Write for example: {HINT}")
    return tuple(steps)


def _step(words: str, where: str, decimal_point: str) -> ProtocolStep:
    name, _, rest = words.partition(" ")
    kind, rest = name.lower(), rest.strip()
    if kind in _REST:
        seconds = parse_duration(rest, where=where, decimal_point=decimal_point)
        return ProtocolStep(StepKind.PAUSE, pause_s=seconds)
    if kind not in list(StepKind):
        raise BadValueError(f"there is no test {name!r}", where=where, mend=f"Use {_LIST}")
    step = ProtocolStep(StepKind(kind))
    if found := re.search(r"\bx ?(\d+)\b", rest, re.IGNORECASE):
        step = _times(step, found, where)
        rest = f"{rest[: found.start()]} {rest[found.end() :]}".strip()
    amount, rest = take_amount(rest, where, decimal_point)
    step = replace(
        step,
        share_of_free=amount.share_of_free,
        most_s=amount.most_s,
        until_steady=amount.until_steady,
    )
    if not rest:
        return step
    size = parse_size(rest, where=where, decimal_point=decimal_point)
    return replace(step, size_bytes=int(size))


def _times(step: ProtocolStep, found: re.Match[str], where: str) -> ProtocolStep:
    times = int(found.group(1))
    if not 1 <= times <= _MOST_TIMES:
        raise BadValueError(
            f"it is done {times} times", where=where, mend=f"Give 1 to {_MOST_TIMES}"
        )
    return replace(step, times=times)


def steps_text(steps: tuple[ProtocolStep, ...]) -> str:
    """Return *steps* as ``parse_steps`` reads them."""
    return "; ".join(part for step in steps for part in _texts(step))


def _texts(step: ProtocolStep) -> list[str]:
    hands = [f"hands: {step.instruction}"] if step.instruction else []
    if step.kind is StepKind.PAUSE:
        return [*hands, f"rest {exactly(step.pause_s)}"]
    words = [step.kind.value]
    if step.share_of_free:
        words.append(f"{step.share_of_free * 100:g}%")
    elif step.size_bytes:
        words.append(exact_size(step.size_bytes))
    if step.most_s:
        words.append(f"up to {exactly(step.most_s)}")
    if step.until_steady:
        words.append("until steady")
    if step.times > 1:
        words.append(f"x{step.times}")
    return [*hands, " ".join(words)]
