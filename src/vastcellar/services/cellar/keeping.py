"""Keep the cellar: out and in whole, checked, backed up, put back, two of them merged."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from vastcellar.core.cellar.merging import MergePlan, Pair, Take, merged, plan_merge
from vastcellar.core.csv_cells import safe_row
from vastcellar.core.errors import BadValueError, CellarError
from vastcellar.core.parts.units import Unit
from vastcellar.services.cellar.stated_runs import as_stated, state_all, stated_notes
from vastcellar.services.workplace.databases import BACKUPS
from vastcellar.services.workplace.exports import save_bytes, write_text_whole
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.backups import (
    Backup,
    backups,
    backups_of_server,
    integrity,
    newest_good,
    restored,
)
from vastcellar.store.cellar import Cellar
from vastcellar.store.cellar_file import damaged
from vastcellar.store.jobs import bookings, jobs
from vastcellar.store.json_files import plain_for_json, read_json
from vastcellar.store.kept_runs import keep_runs
from vastcellar.store.own_parts import keep_parts, kept_parts
from vastcellar.store.run_record import RunRecord
from vastcellar.store.unit_log import keep_events, unit_events
from vastcellar.store.unit_photos import keep_photos, kept_photos
from vastcellar.store.whole_cellar import take_whole, whole_as_json


def export_json(workplace: Workplace, path: Path) -> dict[str, int]:
    """Save the whole cellar as JSON; return how many rows, by table. Raises BadFileError."""
    content = whole_as_json(workplace.cellar, datetime.now(UTC))
    write_text_whole(
        path, json.dumps(plain_for_json(content), ensure_ascii=False, indent=1) + "\n",
    )  # fmt: skip
    return {name: len(rows) for name, rows in content["tables"].items()}


def export_csv(workplace: Workplace, path: Path) -> dict[str, int]:
    """Save units, runs, events and bookings as CSV tables in one ZIP; return how many of each.

    Text that a spreadsheet would take for a formula is escaped. Raises BadFileError.
    """
    cellar = workplace.cellar
    tables = {
        "units": _unit_rows(cellar),
        "runs": _run_rows(cellar),
        "events": [
            {"tag": e.unit_tag, "at": e.at.isoformat(), "kind": e.kind.value, "note": e.note,
             "data": json.dumps(dict(e.data), ensure_ascii=False, sort_keys=True)}
            for e in unit_events(cellar)
        ],
        "jobs": [
            {"name": j.name, "first_day": j.first_day.isoformat(),
             "last_day": j.last_day.isoformat(), "note": j.note}
            for j in jobs(cellar)
        ],
        "bookings": [
            {"job": b.job_name, "tag": b.unit_tag, "needs": "; ".join(b.needs),
             "out_at": b.out_at.isoformat() if b.out_at else "",
             "in_at": b.in_at.isoformat() if b.in_at else ""}
            for b in bookings(cellar)
        ],
    }  # fmt: skip
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, rows in tables.items():
            archive.writestr(f"{name}.csv", _csv(rows))
    save_bytes(path, packed.getvalue())
    return {name: len(rows) for name, rows in tables.items()}


def _csv(rows: list[dict[str, Any]]) -> str:
    out = io.StringIO()
    writer = csv.writer(out)
    names = list(rows[0]) if rows else []
    writer.writerow(names)
    for row in rows:
        writer.writerow(safe_row(row[name] for name in names))
    return out.getvalue()


def _unit_rows(cellar: Cellar) -> list[dict[str, Any]]:
    return [
        {"tag": u.tag, "drive": u.drive_key, "enclosure": u.enclosure_key, "state": u.state,
         "written_bytes": u.written_bytes, "used_bytes": u.used_bytes, "note": u.note,
         "model": u.device.model if u.device else "",
         "serial": u.device.serial if u.device else "",
         "duty": u.acceptance.duty if u.acceptance else ""}
        for u in cellar.units()
    ]  # fmt: skip


def _run_rows(cellar: Cellar) -> list[dict[str, Any]]:
    return [
        {"run": r.run_id, "tag": r.unit_tag, "kind": r.kind, "at": r.measured_at.isoformat(),
         "simulated": r.is_simulated, "complete": r.is_complete,
         "bytes_per_s": _rate(r.figures), "enclosure": r.conditions.get("enclosure_key", ""),
         "host": r.conditions.get("host_key", ""), "port": r.conditions.get("port_key", "")}
        for r in cellar.runs()
    ]  # fmt: skip


def _rate(figures: Mapping[str, Any]) -> Any:
    write = figures.get("write")
    if isinstance(write, dict):
        return write.get("bytes_per_s", "")
    return figures.get("bytes_per_s", figures.get("achieved_bytes_per_s", ""))


def import_json(workplace: Workplace, path: Path) -> dict[str, int]:
    """Take an export into the cellar, which must have no unit yet; return how many, by table.

    All or nothing. Raises BadFileError with the lines that are wrong, BadValueError, CellarError.
    """
    content = read_json(path, is_large=True)
    state_all(content, path)
    return take_whole(workplace.cellar, content, path)


def import_notes(workplace: Workplace) -> tuple[str, ...]:
    """Say what of an import that was just taken proves nothing. Raises CellarError."""
    return stated_notes(workplace.cellar.runs())


# Checked, backed up, put back


@dataclass(frozen=True)
class Health:
    """How the cellar's file is, or the one on a server."""

    where: str
    size_bytes: int
    """0 for one on a server."""
    wrong: tuple[str, ...]
    unreadable: tuple[str, ...]
    """Rows that are left out because they can't be read."""
    backups: tuple[Backup, ...]


def health(path: Path, unreadable: set[str]) -> Health:
    """Return how the cellar at *path* is; reads all of it."""
    size = path.stat().st_size if path.exists() else 0
    return Health(str(path), size, tuple(integrity(path)), tuple(sorted(unreadable)),
                  tuple(backups(path)))  # fmt: skip


def server_health(workplace: Workplace) -> Health:
    """Return how the cellar on a server is: what it refuses to give, and which rows can't be read.

    Its pages are the server's own matter. Raises CellarError where it doesn't answer.
    """
    workplace.shelf()
    cellar = workplace.cellar
    made = backups_of_server(workplace.folders.data / BACKUPS)
    return Health(cellar.where, 0, (), tuple(sorted(cellar.unreadable)), tuple(made))


def back_up_now(workplace: Workplace) -> Path:
    """Make a backup on demand; return where it is. Raises CellarError."""
    return workplace.cellar.back_up("asked")


def backup_for_damaged(path: Path) -> Backup | None:
    """Return the newest good backup of a cellar that is damaged; None where it is well, or none."""
    return newest_good(path) if path.exists() and integrity(path) else None


def damage_of(path: Path) -> CellarError | None:
    """Return the sentence about a damaged cellar, read whole; None where it is well."""
    return damaged(path) if path.exists() and integrity(path) else None


def restore(path: Path) -> Path:
    """Put the newest good backup in the place of a damaged cellar; return where that lies now.

    Raises CellarError where there is none; BadValueError where nothing is wrong with the cellar.
    """
    if path.exists() and not integrity(path):
        raise BadValueError(
            "nothing is wrong with the cellar", where=str(path),
            mend="Leave it; “cellar backup” makes another copy of it",
        )  # fmt: skip
    return restored(path)


# Two become one


@dataclass(frozen=True)
class Merged:
    """What a merge did."""

    new_units: int
    changed_units: int
    runs: int
    events: int
    told: tuple[str, ...]


def merge_plan(workplace: Workplace, path: Path) -> MergePlan:
    """Return what a merge with the export at *path* would do, and what has to be decided first.

    Raises BadFileError.
    """
    with TemporaryDirectory(prefix="vast-cellar-") as folder:
        theirs = _opened(path, Path(folder), is_demo=workplace.is_demo)
        try:
            return plan_merge(workplace.cellar.units(), theirs.units())
        finally:
            theirs.close()


def merge(workplace: Workplace, path: Path, decided: Mapping[str, Take]) -> Merged:
    """Merge the export at *path* into the cellar, after a backup; runs and stories come along.

    A run or an event that is there already isn't added again: a merge that was cut off by a full
    disk is simply made again. Jobs, calibrations, measured stages and the log of copies are not
    taken over: they are of their calendar, or are made anew from the runs.
    Raises BadFileError, CellarError; BadValueError for a conflict that nobody decided: nothing was
    changed then.
    """
    cellar = workplace.cellar
    with TemporaryDirectory(prefix="vast-cellar-") as folder:
        theirs = _opened(path, Path(folder), is_demo=workplace.is_demo)
        try:
            plan = plan_merge(cellar.units(), theirs.units())
            after = {pair.theirs.tag: merged(pair, decided) for pair in plan.pairs}
            _require_own_tags(cellar, plan, after)
            cellar.back_up("merge")
            changed = 0
            for pair in plan.pairs:
                unit = _without_their_numbers(pair, after[pair.theirs.tag])
                if pair.mine is None:
                    cellar.add_unit(unit)
                elif replace(unit, device=pair.mine.device) != pair.mine:
                    cellar.change_unit(pair.mine, unit)
                    changed += 1
                if unit.device is not None and (pair.mine is None or pair.mine.device is None):
                    cellar.bind_unit(unit.tag, unit.device)
            keep_parts(cellar, _unknown_parts(cellar, theirs))
            tags = {tag: unit.tag for tag, unit in after.items()}
            runs = _new_runs(cellar, theirs, tags, path.name)
            keep_runs(cellar, runs)
            events = _new_events(cellar, theirs, tags)
            keep_photos(cellar, kept_photos(theirs, (e.text("photo") for e in events)).values())
            keep_events(cellar, events)
            _accept_by_own_numbers(cellar, theirs, plan, after)
        finally:
            theirs.close()
    told = tuple(each for pair in plan.pairs for each in pair.told)
    told += stated_notes(run for run, _trace in runs)
    new = sum(pair.mine is None for pair in plan.pairs)
    return Merged(new, changed, len(runs), len(events), told)


def _unknown_parts(cellar: Cellar, theirs: Cellar) -> dict[str, list[dict[str, Any]]]:
    """Return what they have described that nobody here has: their units are made of it."""
    here = kept_parts(cellar)
    return {
        section: [row for key, row in rows.items() if key not in here.get(section, {})]
        for section, rows in kept_parts(theirs).items()
    }


def _without_their_numbers(pair: Pair, unit: Unit) -> Unit:
    """Return *unit* without a decision that rests on runs by the numbers of the other cellar."""
    mine = pair.mine.acceptance if pair.mine else None
    return unit if unit.acceptance == mine else replace(unit, acceptance=None)


def _accept_by_own_numbers(
    cellar: Cellar, theirs: Cellar, plan: MergePlan, after: Mapping[str, Unit]
) -> None:
    """Take over decisions of theirs, their baselines by the numbers that the runs have here."""
    there = {run.run_id: (run.unit_tag, run.kind, run.measured_at) for run in theirs.runs()}
    here = {(run.unit_tag, run.kind, run.measured_at): run.run_id for run in cellar.runs()}
    now = {unit.tag: unit for unit in cellar.units()}
    for pair in plan.pairs:
        unit = after[pair.theirs.tag]
        decided, mine = unit.acceptance, pair.mine.acceptance if pair.mine else None
        if decided is None or decided == mine:
            continue

        def numbers(ids: tuple[int, ...], tag: str = unit.tag) -> tuple[int, ...]:
            return tuple(here[tag, there[each][1], there[each][2]] for each in ids if each in there)

        taken = replace(
            decided, baseline_run_ids=numbers(decided.baseline_run_ids),
            simulated_run_ids=numbers(decided.simulated_run_ids),
        ) if set(decided.baseline_run_ids) <= set(there) else None  # fmt: skip
        cellar.change_unit(now[unit.tag], replace(now[unit.tag], acceptance=taken))


def _require_own_tags(cellar: Cellar, plan: MergePlan, after: Mapping[str, Unit]) -> None:
    """Raise BadValueError where two units would be called the same: before anything is written."""
    changed = {pair.mine.tag for pair in plan.pairs if pair.mine}
    names = Counter(unit.tag for unit in cellar.units() if unit.tag not in changed)
    names.update(unit.tag for unit in after.values())
    name, count = next(iter(names.most_common(1)), ("", 0))
    if count > 1:
        raise BadValueError(
            f"two units would be called {name}", where="merge",
            mend="Decide that tag otherwise",
        )  # fmt: skip


def _opened(path: Path, folder: Path, *, is_demo: bool) -> Cellar:
    opened = Cellar(folder / "theirs.db", is_demo=is_demo)
    try:
        take_whole(opened, read_json(path, is_large=True), path)
    except BaseException:
        opened.close()
        raise
    return opened


def _new_runs(
    cellar: Cellar, theirs: Cellar, tags: Mapping[str, str], source: str
) -> list[tuple[RunRecord, str]]:
    known = {(r.unit_tag, r.kind, r.measured_at) for r in cellar.runs()}
    found = []
    for run in theirs.runs():
        tag = tags[run.unit_tag]
        if (tag, run.kind, run.measured_at) not in known:
            trace = theirs.trace_csv(run.run_id)
            found.append((as_stated(replace(run, unit_tag=tag), trace, source), trace))
    return found


def _new_events(cellar: Cellar, theirs: Cellar, tags: Mapping[str, str]) -> list[Any]:
    known = {(e.unit_tag, e.kind, e.at) for e in unit_events(cellar)}
    return [
        replace(event, unit_tag=tags[event.unit_tag])
        for event in unit_events(theirs)
        if (tags[event.unit_tag], event.kind, event.at) not in known
    ]


def parse_decisions(texts: tuple[str, ...], plan: MergePlan, rest: Take | None) -> dict[str, Take]:
    """Return the decisions that *texts* name, as "K-07.note=theirs"; *rest* is for all others.

    Raises BadValueError for one that names no conflict.
    """
    keys = {each.key for each in plan.conflicts}
    found: dict[str, Take] = dict.fromkeys(keys, rest) if rest else {}
    for text in texts:
        key, _, take = text.rpartition("=")
        if key not in keys or take not in tuple(Take):
            raise BadValueError(
                f"{text!r} decides nothing", where="merge",
                mend="Give it as K-07.note=mine or =theirs, for one of the conflicts",
            )  # fmt: skip
        found[key] = Take(take)
    return found
