"""The edit test of several clients on one share: called here, joined from anywhere."""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from vastcellar.bench.edit_run import EditPlan, EditResult
from vastcellar.bench.meeting import MOST_CLIENTS, Meeting
from vastcellar.bench.together_run import TogetherRun, TogetherStep, shared_out
from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.conditions import LoadBefore
from vastcellar.services.proving.file_kinds import EDIT
from vastcellar.services.proving.file_rows import loss_text
from vastcellar.services.proving.keeping import NO_TRACE, KeptRun, keep_any
from vastcellar.services.proving.places import find_place, folder_target, require_room_for
from vastcellar.services.workplace.rescuing import add_run
from vastcellar.services.workplace.run_records import Conditions
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.run_record import RunRecord

__all__ = ["TogetherProof", "TogetherRun", "called", "client_command", "joined",
           "together_figures", "together_lines"]  # fmt: skip
_CODE = "from vastcellar.cli.main import main; main()"


@dataclass(frozen=True)
class TogetherProof:
    """The part of the client that called, ready to run; it has what all of them saw."""

    run: TogetherRun
    plan: EditPlan
    """Of all clients together."""
    clients: int
    others: int
    """Of them on other computers."""
    begin: Callable[[], tuple[str, ...]]
    conditions: Callable[[EditResult], Conditions]


def called(
    folder: Path, plan: EditPlan, notes_folder: Path, clients: int, others: int = 0
) -> TogetherProof:
    """Call a meeting of so many *clients* in *folder*, and return this one's part.

    *others* of them are on other computers.

    Raises BadValueError for one client or too many; DiskError where the folder can't be used, or
    clients meet there already.
    """
    if not 2 <= clients <= MOST_CLIENTS:
        raise BadValueError(
            f"{clients} clients can't meet", where="clients",
            mend=f"Give 2 to {MOST_CLIENTS} in all",
        )  # fmt: skip
    place = find_place(folder)
    shares = replace(plan, streams=shared_out(plan.streams, 0, clients) * clients)
    require_room_for(shares.bytes_to_write, place)
    meeting = Meeting(folder)
    meeting.call({"plan": asdict(plan), "clients": clients})
    before = LoadBefore(place)

    def conditions(result: EditResult) -> Conditions:
        return before.conditions(folder, result.read_mode, result.write_mode)

    run = _run(plan, folder, notes_folder, meeting, clients)
    return TogetherProof(run, plan, clients, others, before.begin, conditions)


@keep_any.register
def _(proof: TogetherProof, workplace: Workplace, unit_tag: str) -> tuple[KeptRun, ...]:
    """Keep what all clients saw as one edit test. Raises CellarError, UnknownPartError."""
    result, steps = proof.run.result, proof.run.together
    if result is None or not steps:
        return ()
    figures = {
        **EDIT.figures(result),
        "kind": "edit",
        "plan": asdict(proof.plan) | {"bytes_to_write": result.plan.bytes_to_write},
        "steps": together_figures(steps)["steps"],
        "most_streams": _held(steps),
        "clients": proof.clients,
        "other_computers": proof.others,
    }
    record = RunRecord(
        unit_tag=unit_tag,
        kind="edit",
        measured_at=datetime.now(UTC),
        is_simulated=False,
        is_complete=result.is_complete,
        conditions=asdict(proof.conditions(result)),
        figures=figures,
    )
    # What the others wrote wears the unit as well.
    return (KeptRun(add_run(workplace, record, NO_TRACE, result.written_bytes * proof.clients)),)


def joined(folder: Path, notes_folder: Path) -> TogetherRun:
    """Join the meeting that was called in *folder*, and return this client's part.

    Raises DiskError where none is called in time, BadFileError where its word can't be read.
    """
    find_place(folder)
    meeting = Meeting(folder)
    content = meeting.join()
    try:
        fields = content["plan"]
        plan = EditPlan(**{name: fields[name] for name in EditPlan.__dataclass_fields__})
        clients = int(content["clients"])
    except (KeyError, TypeError, ValueError, BadValueError) as error:
        raise BadFileError(
            "what is to be played can't be read", where=str(folder),
            mend="Use the same version everywhere",
        ) from error  # fmt: skip
    return _run(plan, folder, notes_folder, meeting, clients)


def _run(
    plan: EditPlan, folder: Path, notes_folder: Path, meeting: Meeting, clients: int
) -> TogetherRun:
    place = find_place(folder)
    return TogetherRun(plan, folder_target(folder, place, notes_folder), meeting, clients)


def client_command(folder: Path) -> list[str]:
    """Return the command of a client that joins, as a process of this computer."""
    return [sys.executable, "-c", _CODE, "prove", "edit", str(folder), "--join", "--json"]


def together_figures(steps: list[TogetherStep]) -> dict[str, Any]:
    """Return what all clients measured together, as it is printed as JSON."""
    return {
        "streams_held": _held(steps),
        "steps": [
            {
                "streams": each.streams,
                "frames": each.frames,
                "missed": each.missed,
                "read_ahead_loss_s_per_s": each.read_ahead_loss_s_per_s,
                "read_bytes_per_s": each.read_bytes_per_s,
                "clients": [asdict(client) for client in each.clients],
            }
            for each in steps
        ],
    }


def together_lines(steps: list[TogetherStep], fmt: NumberFormat) -> list[tuple[str, str]]:
    """Return it line by line."""
    lines = [("streams held, all clients", str(_held(steps)))]
    for each in steps:
        shares = " + ".join(str(client.streams) for client in each.clients)
        loss = loss_text(each.read_ahead_loss_s_per_s, fmt)
        lost = f", {loss}" if loss else ""
        lines.append(
            (
                f"{each.streams} ({shares}) at {fmt.rate(each.read_bytes_per_s)}",
                f"{each.missed} of {each.frames} frames missed{lost}",
            )
        )
    return lines


def _held(steps: list[TogetherStep]) -> int:
    """Return the most streams of all clients that were held."""
    return max((each.streams for each in steps if each.is_held), default=0)
