"""Runs that the cellar couldn't take: written beside it, and offered at the next start."""

from __future__ import annotations

import json
import secrets
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from vastcellar.core.errors import BadFileError, CellarError, UnknownPartError, VastCellarError
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.json_files import (
    plain_for_json,
    read_json,
    require_format,
    write_text_whole,
)
from vastcellar.store.private_files import make_private_folder
from vastcellar.store.run_record import RunRecord

_FORMAT = "vast-cellar/rescued-run"


@dataclass(frozen=True, slots=True)
class Rescued:
    """A run that waits to be kept."""

    path: Path
    record: RunRecord
    trace_csv: str
    wear_bytes: int


def add_run(workplace: Workplace, record: RunRecord, trace_csv: str, wear_bytes: int) -> int:
    """Keep *record* in the cellar and return its number; where that fails, in a rescue file.

    Raises CellarError, UnknownPartError; their mend then names the file.
    """
    try:
        return workplace.cellar.add_run(record, trace_csv, wear_bytes=wear_bytes)
    except (CellarError, UnknownPartError) as error:
        path = _rescue(workplace.folders, Rescued(Path(), record, trace_csv, wear_bytes))
        kept = f"the run itself is safe in {path}"
        if path.parent == workplace.folders.rescued:
            kept += " and is offered at the next start"
        else:
            kept += f"; moved to {workplace.folders.rescued}, it is offered at the next start"
        raise type(error)(error.what, where=error.where, mend=f"{error.mend}; {kept}") from error


def _rescue(places: Folders, run: Rescued) -> Path:
    record = run.record
    content = {
        "format": _FORMAT,
        "version": 1,
        "unit_tag": record.unit_tag,
        "kind": record.kind,
        "measured_at": record.measured_at.isoformat(),
        "is_simulated": record.is_simulated,
        "is_complete": record.is_complete,
        "conditions": record.conditions,
        "figures": record.figures,
        "trace_csv": run.trace_csv,
        "wear_bytes": run.wear_bytes,
    }
    text = json.dumps(plain_for_json(content), ensure_ascii=True, allow_nan=False)
    name = f"{record.measured_at:%Y%m%d-%H%M%S}-{secrets.token_hex(4)}.json"
    trouble: Exception | None = None
    # The state folder may lie on the very disk that is full.
    for folder in (places.rescued, Path(tempfile.gettempdir())):
        try:
            if folder == places.rescued:
                make_private_folder(folder)
            path = folder / (name if folder == places.rescued else f"vast-cellar-{name}")
            write_text_whole(path, text, is_private=True)
            return path
        except (OSError, BadFileError) as error:
            trouble = error
    raise CellarError(
        "neither the cellar nor a rescue file could be written",
        where=str(places.rescued),
        mend="Make room; the run's figures were shown and can still be saved from there",
    ) from trouble


def rescued_runs(places: Folders) -> tuple[Rescued, ...]:
    """Return the runs that wait to be kept, oldest first; files that are none are left alone."""
    return tuple(_readable(sorted(places.rescued.glob("*.json"))))


def _readable(paths: list[Path]) -> Iterator[Rescued]:
    for path in paths:
        try:
            content = read_json(path)
            require_format(content, path, _FORMAT, 1)
            yield _rescued(path, content)
        except (BadFileError, KeyError, TypeError, ValueError):
            continue


def _rescued(path: Path, content: dict[str, Any]) -> Rescued:
    record = RunRecord(
        unit_tag=str(content["unit_tag"]),
        kind=str(content["kind"]),
        measured_at=datetime.fromisoformat(content["measured_at"]),
        is_simulated=bool(content["is_simulated"]),
        is_complete=bool(content["is_complete"]),
        conditions=dict(content["conditions"]),
        figures=dict(content["figures"]),
    )
    return Rescued(path, record, str(content["trace_csv"]), int(content["wear_bytes"]))


def keep_rescued(workplace: Workplace, run: Rescued) -> int:
    """Put a rescued run into the cellar and its file away. Raises CellarError, UnknownPartError.

    One that is there already, kept by another window or right before a crash, isn't kept twice.
    """
    same = (run.record.kind, run.record.measured_at)
    kept = workplace.cellar.runs(run.record.unit_tag)
    number = next((each.run_id for each in kept if (each.kind, each.measured_at) == same), None)
    if number is None:
        number = workplace.cellar.add_run(run.record, run.trace_csv, wear_bytes=run.wear_bytes)
    try:
        run.path.unlink(missing_ok=True)
    except OSError as error:
        raise VastCellarError(
            f"the run is kept as {number}, but its rescue file can't be removed ({error.strerror})",
            where=str(run.path),
            mend="Remove it by hand, or it is offered again",
        ) from error
    return number
