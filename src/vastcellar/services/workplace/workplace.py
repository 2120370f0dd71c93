"""A workplace: catalog and cellar, opened together, with the leftovers of killed tests removed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from vastcellar.bench.leftovers import Removed, remove_leftovers
from vastcellar.bench.simulated_rig import RigFault
from vastcellar.core.chain.measured_stages import StageMeasurement
from vastcellar.core.errors import UnknownPartError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit
from vastcellar.core.verdict.proof import RecorderProof
from vastcellar.core.verdict.reach.reaching import newest_standing
from vastcellar.data import data_path
from vastcellar.services.workplace.catalogs import read_catalog
from vastcellar.services.workplace.folders import Folders, folders
from vastcellar.services.workplace.run_records import recorder_proofs
from vastcellar.store.calibration_record import CalibrationRecord
from vastcellar.store.json_files import read_json, write_text_whole
from vastcellar.store.run_record import RunRecord

if TYPE_CHECKING:
    from vastcellar.store.cellar import Cellar

DEMO_SHOOT_NAME = "slipway.shoot.json"


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
    removed: tuple[Removed, ...] = ()
    """Leftovers of killed tests that this start took away."""

    @property
    def rig_word(self) -> str:
        """What a run on a rig is called: it stands for a drive in a demo only."""
        return "simulated" if self.is_demo else "simulated, a rehearsal"

    def shelf(self) -> Shelf:
        """Return the units and proofs as they stand now."""
        runs = self.cellar.runs()
        return Shelf(
            self.cellar.units(),
            recorder_proofs(runs, self.catalog, is_demo=self.is_demo),
            self.cellar.stage_measurements(),
            runs,
            self.cellar.calibrations(),
        )

    def close(self) -> None:
        """Let go of the cellar."""
        self.cellar.close()


@dataclass(frozen=True, slots=True)
class Shelf:
    """Units and the recorder tests made on them: what verdicts are made from."""

    units: tuple[Unit, ...] = ()
    proofs: tuple[RecorderProof, ...] = ()
    stages: tuple[StageMeasurement, ...] = ()
    """What stages carried that were measured on a host."""
    records: tuple[RunRecord, ...] = ()
    """Every run, newest first, without its trace."""
    calibrations: tuple[CalibrationRecord, ...] = ()

    @property
    def count_text(self) -> str:
        """How many units there are, in words."""
        return "1 unit" if len(self.units) == 1 else f"{len(self.units)} units"

    @property
    def standing_proofs(self) -> dict[str, RecorderProof]:
        """The newest recorder test that counts of each unit, by its tag."""
        by_unit: dict[str, list[RecorderProof]] = {}
        for proof in self.proofs:
            by_unit.setdefault(proof.unit_tag, []).append(proof)
        found = {unit.tag: newest_standing(by_unit.get(unit.tag, ()), unit) for unit in self.units}
        return {tag: proof for tag, proof in found.items() if proof is not None}

    def unit(self, tag: str) -> Unit | None:
        """Return the unit with *tag*, or None."""
        return next((unit for unit in self.units if unit.tag == tag), None)


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


def open_workplace(*, demo: bool = False, places: Folders | None = None) -> Workplace:
    """Open catalog and cellar and remove what killed tests left.

    The demo is seeded on its first start and then kept like any other work.
    Raises BadFileError for a catalog file, CellarError for the database.
    """
    # The database takes a third of a second to load: not needed to answer in a terminal.
    from vastcellar.store.cellar import Cellar

    places = places or folders(demo=demo)
    catalog = read_catalog(places)
    cellar = Cellar(places.cellar_file, is_demo=demo)
    faults: dict[str, RigFault] = {}
    if cellar.is_demo:
        if not cellar.units():
            from vastcellar.store.catalog_files import read_units  # only a demo reads them

            cellar.save_units(read_units(data_path("demo", "cellar.json")))
        faults = {
            tag: RigFault(**fault)
            for tag, fault in read_json(data_path("demo", "rigs.json"))["faults"].items()
        }
    removed = remove_killed_tests(places)
    return Workplace(places, catalog, cellar, cellar.is_demo, faults, removed)


def remove_killed_tests(places: Folders) -> tuple[Removed, ...]:
    """Remove what tests of this workplace left that were killed, and nothing else."""
    return remove_leftovers(places.test_notes)


def demo_shoot_path(places: Folders) -> Path:
    """Return the demo's shoot file, made from the shipped one where it is missing."""
    path = places.data / DEMO_SHOOT_NAME
    if not path.exists():
        places.data.mkdir(parents=True, exist_ok=True)
        write_text_whole(path, data_path("demo", DEMO_SHOOT_NAME).read_text(encoding="utf-8"))
    return path
