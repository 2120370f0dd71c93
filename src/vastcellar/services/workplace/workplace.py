"""A workplace: catalog and cellar, opened together, with the leftovers of killed tests removed."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from vastcellar.bench.leftovers import Removed, SetAside, remove_leftovers
from vastcellar.bench.simulated_rig import RigFault
from vastcellar.core.cellar.story import Story, UnitEvent, stories
from vastcellar.core.chain.measured_stages import StageMeasurement
from vastcellar.core.errors import UnknownPartError, VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.identity import DeviceIdentity
from vastcellar.core.parts.units import Unit
from vastcellar.core.verdict.proof import RecorderProof
from vastcellar.core.verdict.reach.reaching import newest_standing
from vastcellar.data import data_path
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.databases import open_cellar
from vastcellar.services.workplace.folders import Folders, folders
from vastcellar.services.workplace.own_catalog import Own
from vastcellar.services.workplace.run_records import recorder_proofs
from vastcellar.services.workplace.shared_parts import brought_together, save_shared
from vastcellar.services.workplace.slowing import SlowedUnits, since_slowed
from vastcellar.store.calibration_record import CalibrationRecord
from vastcellar.store.json_files import read_json, write_text_whole
from vastcellar.store.private_files import make_private_folder
from vastcellar.store.run_record import RunRecord

if TYPE_CHECKING:
    from vastcellar.store.cellar import Cellar, RunsMark

DEMO_SHOOT_NAME, DEMO_CUT_NAME = "slipway.shoot.json", "slipway.otio"


class _KnownRuns:
    """Runs that were read from the cellar, and the proofs among them; for any thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._mark: RunsMark | None = None
        self._catalog: Catalog | None = None
        self._records: tuple[RunRecord, ...] = ()
        self._proofs: tuple[RecorderProof, ...] = ()
        self._events_mark: tuple[int, int] | None = None
        self._tags: frozenset[tuple[int, str]] = frozenset()
        self._events: tuple[UnitEvent, ...] = ()

    def events(self, cellar: Cellar) -> tuple[UnitEvent, ...]:
        """Return what happened to all units; read anew where anything is new, or called anew."""
        from vastcellar.store.unit_log import events_mark, unit_events

        with self._lock:
            mark = events_mark(cellar)
            tags = self._mark.tags if self._mark else frozenset()
            if mark != self._events_mark or tags != self._tags:
                self._events = unit_events(cellar)
                self._events_mark, self._tags = mark, tags
            return self._events

    def read(
        self, cellar: Cellar, catalog: Catalog, *, is_demo: bool
    ) -> tuple[tuple[RunRecord, ...], tuple[RecorderProof, ...]]:
        """Return all runs, newest first, and the proofs among them."""
        with self._lock:
            mark, known = cellar.runs_mark(), self._mark
            if known is None or catalog is not self._catalog or not _follows(mark, known):
                self._records = cellar.runs()
                self._proofs = recorder_proofs(self._records, catalog, is_demo=is_demo)
            elif mark.newest_id > known.newest_id:
                new = cellar.runs(after_id=known.newest_id)
                more = recorder_proofs(new, catalog, is_demo=is_demo)
                self._records = tuple(sorted((*new, *self._records), key=_newest_first))
                self._proofs = tuple(sorted((*more, *self._proofs), key=_newest_first))
            self._mark, self._catalog = mark, catalog
            return self._records, self._proofs


def _newest_first(made: RunRecord | RecorderProof) -> tuple[float, int]:
    return -made.measured_at.timestamp(), -made.run_id


def _follows(mark: RunsMark, known: RunsMark) -> bool:
    """Return whether nothing but new runs and new units lies between two marks."""
    added = mark.newest_id > known.newest_id
    return known.tags <= mark.tags and (added or mark.count == known.count)


@dataclass(frozen=True)
class Workplace:
    """Everything that judging and proving lean on."""

    folders: Folders
    catalog: Catalog
    cellar: Cellar
    is_demo: bool
    """As it stands in the cellar since it was made: only there a rig stands for a drive."""
    rig_faults: Mapping[str, RigFault] = field(default_factory=dict)
    """How the demo's simulated samples differ from their model, by unit tag."""
    removed: tuple[Removed | SetAside, ...] = ()
    """Leftovers of killed tests that this start took away."""
    _known: _KnownRuns = field(default_factory=_KnownRuns, compare=False, repr=False)
    _slowed: SlowedUnits = field(default_factory=SlowedUnits, compare=False, repr=False)

    @property
    def rig_word(self) -> str:
        """What a run on a rig is called: it stands for a drive in a demo only."""
        return "simulated" if self.is_demo else "simulated, a rehearsal"

    def shelf(self) -> Shelf:
        """Return units, runs and what was proved, as they are now. Raises CellarError.

        Runs that were read before are not read again: an edit of a unit leaves thousands as they
        were. Of new ones only those are read; a unit of another tag makes all be read anew.
        """
        records, proofs = self._known.read(self.cellar, self.catalog, is_demo=self.is_demo)
        events = self._known.events(self.cellar)
        told = stories(events)
        units = tuple(_with_doubt(each, told) for each in self.cellar.units())
        units = self._slowed.mark(units, runs_by_tag(records), is_demo=self.is_demo)
        return Shelf(
            units,
            since_slowed(proofs, units),
            self.cellar.stage_measurements(),
            records,
            self.cellar.calibrations(),
            events,
        )

    def with_own(self, things: Sequence[Own]) -> Workplace:
        """Return the workplace with *things* in one's own catalog, on every desk of its cellar.

        Raises CellarError, BadFileError.
        """
        return replace(self, catalog=save_shared(things, self.folders, self.cellar))

    def with_others_parts(self) -> Workplace:
        """Return the workplace with what other desks have described; itself where none has.

        Raises CellarError, BadFileError.
        """
        catalog = brought_together(self.folders, self.cellar, self.catalog)
        return self if catalog is self.catalog else replace(self, catalog=catalog)

    def close(self) -> None:
        """Let go of the cellar."""
        self.cellar.close()


def _with_doubt(unit: Unit, told: Mapping[str, Story]) -> Unit:
    doubt = told[unit.tag].doubted_since() if unit.tag in told else None
    return replace(unit, doubted_at=doubt.at) if doubt else unit


@dataclass(frozen=True)
class Shelf:
    """Units and the recorder tests made on them: what verdicts are made from."""

    units: tuple[Unit, ...] = ()
    proofs: tuple[RecorderProof, ...] = ()
    stages: tuple[StageMeasurement, ...] = ()
    """What stages carried that were measured on a host."""
    records: tuple[RunRecord, ...] = ()
    """Every run, newest first, without its trace."""
    calibrations: tuple[CalibrationRecord, ...] = ()
    events: tuple[UnitEvent, ...] = ()
    """What happened to all units, oldest first."""

    @cached_property
    def stories(self) -> dict[str, Story]:
        """What happened to each unit, by its tag; none for one to which nothing did."""
        return stories(self.events)

    def story(self, tag: str) -> Story:
        """Return what happened to the unit *tag*."""
        return self.stories.get(tag, Story())

    @cached_property
    def runs_by_tag(self) -> dict[str, tuple[RunRecord, ...]]:
        """The runs of each unit that has any, newest first."""
        return runs_by_tag(self.records)

    @property
    def count_text(self) -> str:
        """How many units there are, in words."""
        return "1 unit" if len(self.units) == 1 else f"{len(self.units)} units"

    @cached_property
    def standing_proofs(self) -> dict[str, RecorderProof]:
        """The newest recorder test that counts of each unit, by its tag."""
        by_unit: dict[str, list[RecorderProof]] = {}
        for proof in self.proofs:
            by_unit.setdefault(proof.unit_tag, []).append(proof)
        found = {unit.tag: newest_standing(by_unit.get(unit.tag, ()), unit) for unit in self.units}
        return {tag: proof for tag, proof in found.items() if proof is not None}

    def units_on(self, *devices: DeviceIdentity) -> tuple[Unit, ...]:
        """Return the units that are bound to one of *devices*: several where labels are swapped."""
        return tuple(
            unit
            for unit in self.units
            if unit.device is not None and any(unit.device.is_same_as(each) for each in devices)
        )

    def unit(self, tag: str) -> Unit | None:
        """Return the unit with *tag*, or None."""
        return self._by_tag.get(tag)

    @cached_property
    def _by_tag(self) -> dict[str, Unit]:
        return {unit.tag: unit for unit in reversed(self.units)}


def runs_by_tag(records: Sequence[RunRecord]) -> dict[str, tuple[RunRecord, ...]]:
    """Return *records* by the unit that they are of, in their order."""
    found: dict[str, list[RunRecord]] = {}
    for record in records:
        found.setdefault(record.unit_tag, []).append(record)
    return {tag: tuple(runs) for tag, runs in found.items()}


def require_unit(shelf: Shelf, tag: str) -> Unit:
    """Return the unit with *tag*. Raises UnknownPartError where there is none."""
    unit = shelf.unit(tag)
    if unit is None:
        raise UnknownPartError(
            f"the cellar has no unit {tag!r}",
            where="unit",
            mend="Choose one of its units, or add this one in the Cellar",
        )
    return unit


def open_workplace(
    *,
    demo: bool = False,
    places: Folders | None = None,
    with_history: bool = True,
    in_file: bool = False,
) -> Workplace:
    """Open catalog and cellar and remove what killed tests left.

    The demo is seeded on its first start and then kept like any other work; with its two invented
    years, unless *with_history* says otherwise. With *in_file* the cellar is this desk's own, even
    where it is on a server.
    Raises BadFileError for a catalog file, CellarError for the database.
    """
    places = places or folders(demo=demo)
    catalog = read_catalog(places)
    cellar = open_cellar(places, demo=demo, in_file=in_file)
    faults: dict[str, RigFault] = {}
    if cellar.is_demo:
        rigs = read_json(data_path("demo", "rigs.json"))
        if not cellar.units():
            from vastcellar.store.catalog_files import read_units  # only a demo reads them

            cellar.save_units(read_units(data_path("demo", "cellar.json")))
            for tag, device in rigs["devices"].items():
                cellar.bind_unit(tag, DeviceIdentity(**device))
            if with_history:
                from vastcellar.services.workplace.demo_history import seed_history

                seed_history(cellar, date.today(), str(places.data / DEMO_SHOOT_NAME))
        faults = {tag: RigFault(**fault) for tag, fault in rigs["faults"].items()}
    removed = remove_killed_tests(places)
    opened = Workplace(places, catalog, cellar, cellar.is_demo, faults, removed)
    with contextlib.suppress(VastCellarError):  # a read-only folder keeps nobody from looking
        return opened.with_others_parts()
    return opened


def remove_killed_tests(places: Folders) -> tuple[Removed | SetAside, ...]:
    """Remove what tests of this workplace left that were killed, and nothing else."""
    return remove_leftovers(places.test_notes)


def demo_shoot_path(places: Folders) -> Path:
    """Return the demo's shoot file, made from the shipped one where it is missing, its cut too."""
    for name in (DEMO_SHOOT_NAME, DEMO_CUT_NAME):
        path = places.data / name
        if not path.exists():
            make_private_folder(places.data)
            write_text_whole(path, data_path("demo", name).read_text(encoding="utf-8"))
    return places.data / DEMO_SHOOT_NAME
