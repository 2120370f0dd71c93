"""vast-cellar prove edit with several clients: called here, joined from here or elsewhere."""

from __future__ import annotations

import contextlib
import subprocess
from pathlib import Path

from vastcellar.cli.keeping import end_of, keep_and_tell, workplace_for
from vastcellar.cli.printing import echo, print_json, print_lines
from vastcellar.cli.running import is_demo, run_to_end
from vastcellar.core.units import PLAIN
from vastcellar.services.edit.together import (
    TogetherRun,
    called,
    client_command,
    joined,
    together_figures,
    together_lines,
)
from vastcellar.services.proving.file_proving import EditPlan
from vastcellar.services.workplace.folders import folders
from vastcellar.services.workplace.workplace import remove_killed_tests

_ENDS_WITHIN_S = 20.0


def call_clients(
    folder: Path,
    plan: EditPlan,
    clients: int,
    others: int,
    unit_tag: str | None,
    *,
    binds: bool,
    as_json: bool,
) -> None:
    """Play with *clients* processes here and *others* elsewhere; tell what all saw, and keep it."""
    places = folders(demo=is_demo())
    remove_killed_tests(places)
    with workplace_for(unit_tag, folder, binds=binds, as_json=as_json) as workplace:
        proof = called(folder, plan, places.test_notes, clients + others, others)
        run = proof.run
        if others and not as_json:
            echo(f"On each of {others} other computers: vast-cellar prove edit SHARE --join")
        warnings = proof.begin()
        if not as_json:
            for warning in warnings:
                echo(f"Note: {warning}.")
        _play(run, folder, clients - 1, as_json=as_json)
        if as_json:
            print_json({"target": str(folder), **together_figures(run.together)})
        else:
            print_lines(together_lines(run.together, PLAIN))
        keep_and_tell(workplace, unit_tag, proof)
    end_of(run)


def _play(run: TogetherRun, folder: Path, beside_here: int, *, as_json: bool) -> None:
    """Play with so many more processes of this computer."""
    beside = [
        subprocess.Popen(client_command(folder), stdout=subprocess.DEVNULL,
                         stderr=subprocess.DEVNULL)
        for _ in range(beside_here)
    ]  # fmt: skip
    try:
        run_to_end(run, quiet=as_json)
    finally:
        for each in beside:
            for end in (each.terminate, each.kill, each.kill):
                with contextlib.suppress(subprocess.TimeoutExpired):
                    each.wait(_ENDS_WITHIN_S)
                    break
                end()  # one that hangs in a call to the share is left in it


def join_clients(folder: Path, *, as_json: bool) -> None:
    """Play this client's part of what was called on the share in *folder*."""
    places = folders(demo=is_demo())
    run: TogetherRun = joined(folder, places.test_notes)
    run_to_end(run, quiet=as_json)
    result = run.result
    if result is not None and not as_json:
        frames = sum(step.frames for step in result.steps)
        missed = sum(step.missed for step in result.steps)
        echo(f"This client's part: {missed} of {frames} frames missed.")
    end_of(run)
