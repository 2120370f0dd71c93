"""The edit test of several clients on one share: called here, joined from anywhere."""

from __future__ import annotations

import sys
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from vastcellar.bench.edit_run import EditPlan
from vastcellar.bench.meeting import MOST_CLIENTS, Meeting
from vastcellar.bench.together_run import TogetherRun, TogetherStep, shared_out
from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.units import NumberFormat
from vastcellar.services.proving.places import find_place, folder_target, require_room_for

__all__ = ["TogetherRun", "called", "client_command", "joined", "together_figures",
           "together_lines"]  # fmt: skip
_CODE = "from vastcellar.cli.main import main; main()"


def called(folder: Path, plan: EditPlan, notes_folder: Path, clients: int) -> TogetherRun:
    """Call a meeting of so many *clients* in *folder*, and return this one's part.

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
    return _run(plan, folder, notes_folder, meeting, clients)


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
        "streams_held": max((each.streams for each in steps if not each.missed), default=0),
        "steps": [
            {
                "streams": each.streams,
                "frames": each.frames,
                "missed": each.missed,
                "read_bytes_per_s": each.read_bytes_per_s,
                "clients": [asdict(client) for client in each.clients],
            }
            for each in steps
        ],
    }


def together_lines(steps: list[TogetherStep], fmt: NumberFormat) -> list[tuple[str, str]]:
    """Return it line by line."""
    held = max((each.streams for each in steps if not each.missed), default=0)
    lines = [("streams without a miss, all clients", str(held))]
    for each in steps:
        shares = " + ".join(str(client.streams) for client in each.clients)
        lines.append(
            (
                f"{each.streams} ({shares}) at {fmt.rate(each.read_bytes_per_s)}",
                f"{each.missed} of {each.frames} frames missed",
            )
        )
    return lines
