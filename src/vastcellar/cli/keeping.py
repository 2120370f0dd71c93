"""Runs in the terminal that are kept under a unit: which device it is, then what was measured."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vastcellar.cli.exit_codes import CANCELLED, ENDED_BY_DISK
from vastcellar.cli.printing import echo
from vastcellar.cli.running import is_demo
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.printable import printable
from vastcellar.core.units import PLAIN
from vastcellar.services.proving.binding import bind, binding_question
from vastcellar.services.proving.keeping import AnyProof, keep_any
from vastcellar.services.runs.calibration_wording import prediction_sentence
from vastcellar.services.workplace.workplace import Workplace, open_workplace, require_unit

if TYPE_CHECKING:
    from vastcellar.services.edit.playing_cuts import CutProof
    from vastcellar.services.edit.together import TogetherProof


def unit_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Add --unit and --bind."""
    for option in (
        click.option(
            "--bind",
            "binds",
            is_flag=True,
            help="Yes, the device in FOLDER is that unit: asked once, at its first real run.",
        ),
        click.option("--unit", "unit_tag", help="Keep the run in the cellar under this tag."),
    ):
        command = option(command)
    return command


@contextlib.contextmanager
def workplace_for(
    unit_tag: str | None, folder: Path | None, *, binds: bool, as_json: bool
) -> Iterator[Workplace | None]:
    """Yield the workplace that a run is kept in, None without a unit.

    A run in a real *folder* settles first whether its device is the unit's.
    Raises UnknownPartError for the unit, BadValueError where the folder lies on another device.
    """
    if not unit_tag:
        yield None
        return
    workplace = open_workplace(demo=is_demo())
    try:
        require_unit(workplace.shelf(), unit_tag)
        if folder is not None:
            _settle(workplace, unit_tag, folder, binds=binds, as_json=as_json)
        yield workplace
    finally:
        workplace.close()


def _settle(
    workplace: Workplace, unit_tag: str, folder: Path, *, binds: bool, as_json: bool
) -> None:
    question = binding_question(workplace.shelf(), unit_tag, folder, workplace.catalog)
    if question is None:
        return
    if not binds:
        if as_json or not sys.stdin.isatty():
            raise BadValueError(
                f"it isn't bound to a device yet, and nobody can be asked. {question.text}",
                where=f"unit {unit_tag}",
                mend="If so, add --bind; to measure without keeping, leave --unit out",
            )
        if not click.confirm(printable(f"{question.text}.\nBind it?"), err=True):
            raise click.Abort
    bind(workplace, question)


def keep_and_tell(
    workplace: Workplace | None, unit_tag: str | None, proof: AnyProof | CutProof | TogetherProof
) -> None:
    """Keep what has ended, after it was shown, and say as what. Raises CellarError."""
    if workplace is None or not unit_tag:
        return
    for kept in keep_any(proof, workplace, unit_tag):
        if kept.prediction is not None:
            echo(prediction_sentence(kept.prediction, PLAIN), err=True)
        echo(f"Kept as run {kept.run_id}.", err=True)


def end_of(run: Any) -> None:
    """Leave with the exit code of how *run* ended: whole, cancelled, or ended by its disk."""
    error, result = run.error, run.result
    if isinstance(error, VastCellarError):
        echo(f"vast-cellar: {error}", err=True)
        raise SystemExit(ENDED_BY_DISK)
    if result is None or not getattr(result, "is_complete", True):
        echo("vast-cellar: the run was cancelled.", err=True)
        raise SystemExit(CANCELLED)
