"""What an edit plan comes to: for each store its ladder, its safety, its months, and the cut."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

from vastcellar.core.edit.demand import PlayedDemand, play_demand
from vastcellar.core.edit.edit_load import EditLoad
from vastcellar.core.edit.edit_store import EditStore, StageKind
from vastcellar.core.edit.editors import Spell, busiest, spells_of
from vastcellar.core.edit.ladder import Ladder, Rung, ladder_of, rung_of
from vastcellar.core.edit.months import Growth, Months, months_of
from vastcellar.core.edit.rebuilding import Rebuild, rebuild_of
from vastcellar.core.edit.waiting import (
    FirstFrame,
    Scrub,
    WriteTime,
    first_frame,
    opens_in_s,
    scrub,
)
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.core.evidence import Evidence, Verdict, verdict_for_margin
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.edit_plan import EditPlan, StoreSetup
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.shoot.shoot_plan import plan_shoot
from vastcellar.services.edit.ingesting import ingest_of
from vastcellar.services.edit.measured import (
    MeasuredCut,
    MeasuredRung,
    is_of_this_place,
    measured_cut,
    measured_rungs,
)
from vastcellar.services.edit.stores import (
    build_store,
    desks_of,
    is_network,
    load_of,
    wanted_of,
)
from vastcellar.services.edit.timelines import CutReader, TimelineDemand, cut_path
from vastcellar.store.run_record import RunRecord

_TB = 1e12
_OVER_TYPICAL_SHARE = 0.10
"""So much more than is typical of it a link may carry."""


@dataclass(frozen=True)
class PlannedStore:
    """One store under what is asked of it."""

    setup: StoreSetup
    store: EditStore
    load: EditLoad
    streams: int
    """So many are wanted."""
    ladder: Ladder
    rebuild: Rebuild
    months: Months
    played: PlayedDemand | None
    """Of the cut; None without one."""
    ingest: WriteTime
    """Half a TB copied onto it: as its program says, and as it is on the disks."""
    measured: tuple[MeasuredRung, ...] = ()
    """What edit tests of its unit stand for."""
    measured_cut: MeasuredCut | None = None
    """The cut, or a part of it, played from its unit for real."""
    spells: tuple[Spell, ...] = ()
    """How busy it is through the day, where editors are named."""
    is_as_wanted: bool = True
    """Whether the editors play the plan's own stream and nothing beside: what a test measured."""

    @cached_property
    def asked(self) -> Rung:
        """The rung that is wanted."""
        return self.ladder.rung(self.streams)

    @cached_property
    def proof(self) -> MeasuredRung | None:
        """The measured rung that decides: as many streams or more in time, or as few late.

        None where editors play or do something else than the streams that were measured.
        """
        if not self.is_as_wanted:
            return None
        in_time = [m for m in self.measured if not m.late_frames_per_minute]
        late = [m for m in self.measured if m.late_frames_per_minute]
        holds = [m for m in in_time if m.streams >= self.streams]
        fails = [m for m in late if m.streams <= self.streams]
        return max((*holds, *fails), key=lambda each: each.measured_at, default=None)

    @cached_property
    def busiest(self) -> Spell | None:
        """When the editors ask most of what it can give; None where none are named."""
        return busiest(self.spells)

    @property
    def margin(self) -> float:
        """How much more there is than is asked: by the editors at their busiest, or in all."""
        spell = self.busiest
        return self.asked.margin if spell is None else spell.margin

    @property
    def verdict(self) -> Verdict:
        """Whether it plays as many streams as are wanted: as measured, else as computed."""
        if self.proof is not None:
            is_late = self.proof.late_frames_per_minute > 0
            return Verdict.FALLS_SHORT if is_late else Verdict.HOLDS
        spell = self.busiest
        is_held = self.asked.is_held if spell is None else spell.is_held
        return verdict_for_margin(self.margin) if is_held else Verdict.FALLS_SHORT

    @property
    def evidence(self) -> Evidence:
        """What the verdict rests on."""
        return Evidence.COMPUTED if self.proof is None else Evidence.PROVED

    @cached_property
    def jump(self) -> FirstFrame:
        """A first frame while the streams that it holds play."""
        return first_frame(self.store, self.load, max(min(self.streams, self.ladder.held), 1))

    @cached_property
    def scrub(self) -> Scrub:
        """The playhead dragged in one of the streams that it holds, while the others play."""
        return scrub(self.store, self.load, max(min(self.streams, self.ladder.held), 1))

    @property
    def measured_jump(self) -> MeasuredRung | None:
        """The newest test of so many streams that jumped; None where none did."""
        at = max(min(self.streams, self.ladder.held), 1)
        return next((m for m in self.measured if m.streams == at and m.first_frame_s), None)

    @property
    def opens_in_s(self) -> float:
        """A project of a short film."""
        return opens_in_s(self.store)

    @cached_property
    def rebuilding(self) -> Ladder:
        """The ladder while a failed disk is rebuilt."""
        left = replace(self.store, disk_time_share=self.rebuild.left_share)
        return ladder_of(left, self.load)

    @property
    def price_per_tb(self) -> float:
        """Of what can be used; nan where no price is known."""
        usable = self.store.array.usable_bytes / _TB
        return self.store.price / usable if self.store.price else math.nan

    @property
    def price_per_stream(self) -> float:
        """Of a stream that it holds; nan where none is, or no price is known."""
        held = self.ladder.held
        return self.store.price / held if held and self.store.price else math.nan


@dataclass(frozen=True)
class PlannedEdit:
    """All stores of a plan, side by side, and the cut that they play."""

    plan: EditPlan
    stores: tuple[PlannedStore, ...]
    cut: TimelineDemand | None
    notes: tuple[str, ...]
    """What couldn't be planned, each as a sentence."""

    @property
    def chosen(self) -> PlannedStore | None:
        """The store that is looked at."""
        wanted = self.plan.store
        return next((s for s in self.stores if wanted and s.setup.name == wanted.name), None)


def plan_edit(
    plan: EditPlan,
    catalog: Catalog,
    shoot: Shoot | None = None,
    beside: Path | None = None,
    cuts: CutReader | None = None,
    records: Sequence[RunRecord] = (),
) -> PlannedEdit:
    """Return what *plan* comes to.

    A store that can't be put together, or a cut that can't be read, is a note; the rest stands.

    Args:
        plan: stores and what is asked.
        catalog: that the parts are in.
        shoot: whose cameras' formats are played, and whose material the months bring.
        beside: the folder that the path of the cut counts from; None for the working folder.
        cuts: keeps a cut that was read before; None to read it.
        records: kept runs, some of which may be edit tests of the stores' units.

    Raises:
        BadValueError: for a plan without a store, or a stream of no known rate.

    """
    if not plan.stores:
        raise BadValueError("there is no store", where="edit", mend="Add one to play from")
    load = load_of(plan, shoot)
    desks_of(plan, shoot)  # what can't be played is said once, and not of each store
    notes: list[str] = []
    cut = None
    if plan.timeline:
        try:
            path = cut_path(plan.timeline, beside)
            cut = (cuts or CutReader()).read(path, load.stream.bytes_per_s)
        except VastCellarError as error:
            notes.append(f"the cut: {error}")
    made = []
    for setup in plan.stores:
        try:
            planned = planned_store(setup, plan, catalog, shoot, cut)
        except VastCellarError as error:
            notes.append(str(error))
            continue
        here = [each for each in records if is_of_this_place(each, is_network=is_network(setup))]
        rungs = measured_rungs(here, setup.unit_tag, load)
        measured = tuple(each for each in rungs if _could_be(each, planned.ladder))
        played = measured_cut(here, setup.unit_tag, cut.demand, load) if cut else None
        made.append(replace(planned, measured=measured, measured_cut=played))
    return PlannedEdit(plan, tuple(made), cut, tuple(notes))


def _could_be(measured: MeasuredRung, ladder: Ladder) -> bool:
    """Whether its links carry what was played in time: else it was measured on others."""
    rung = ladder.rung(measured.streams)
    links = [each.bytes_per_s for each in rung.given if each.kind is not StageKind.DISKS]
    most = min(links, default=math.inf) * (1 + _OVER_TYPICAL_SHARE)
    return measured.late_frames_per_minute > 0 or rung.asked_bytes_per_s <= most


def planned_store(
    setup: StoreSetup,
    plan: EditPlan,
    catalog: Catalog,
    shoot: Shoot | None,
    cut: TimelineDemand | None,
) -> PlannedStore:
    """Return a store under what *plan* asks, with everything that is reckoned of it.

    Raises BadValueError or UnknownPartError where it can't be put together.
    """
    store, load = build_store(setup, catalog), load_of(plan, shoot)
    usable = store.array.usable_bytes
    played = None
    if cut is not None:
        given: dict[int, float] = {}

        def gives(streams: int) -> float:
            if streams not in given:
                given[streams] = rung_of(store, load, streams).limit.bytes_per_s
            return given[streams]

        played = play_demand(cut.demand, gives, load.stream.read_ahead_s)
    desks = desks_of(plan, shoot)
    return PlannedStore(
        setup,
        store,
        load,
        wanted_of(plan, shoot),
        ladder_of(store, load),
        rebuild_of(store.array, store.filled_share, store.rebuild_bytes_per_s),
        months_of(usable, usable * store.filled_share, growth_of(plan, shoot)),
        played,
        ingest_of(setup, store, catalog),
        spells=spells_of(store, desks, plan.beside),
        is_as_wanted=all(each.stream == load.stream and not each.beside for each in desks),
    )


def growth_of(plan: EditPlan, shoot: Shoot | None) -> Growth:
    """Return what a month brings: as typed in, or all that the shoot records, once a month."""
    setup = plan.growth
    month = setup.month_bytes
    if not month and shoot is not None:
        month = float(plan_shoot(shoot).copied_bytes.sum())
    return Growth(month, setup.grows_by, setup.archived_after_months, setup.kept_share)
