"""Which stations there are, in the order of the work; a new one is one more line here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QWidget

if TYPE_CHECKING:
    from vastcellar.ui.models.jobs import Jobs
    from vastcellar.ui.models.workbench import Workbench


@dataclass(frozen=True, slots=True)
class StationEntry:
    """A station of the rail."""

    key: str
    title: str
    purpose: str
    make: Callable[[Workbench, Jobs], QWidget]
    sums: tuple[str, ...] = ()
    """Which sums the drawer has beside it, in their order; any other comes when it is asked for."""
    answers: tuple[str, ...] = ()
    """What can be found out here, for the help."""
    keys: tuple[tuple[str, str], ...] = ()
    """Its own keys, and what each does."""


# Stations are imported when they are first shown: the first window needs none of them.
def _shoot(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.shoot.station import ShootStation

    return ShootStation(workbench)


def _match(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.match.station import MatchStation

    return MatchStation(workbench)


def _build(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.build.station import BuildStation

    return BuildStation(workbench)


def _prove(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.prove.station import ProveStation

    return ProveStation(workbench, jobs)


def _roll(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.roll.station import RollStation

    return RollStation(workbench, jobs)


def _edit(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.edit.station import EditStation

    return EditStation(workbench, jobs)


def _cellar(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.cellar.station import CellarStation

    return CellarStation(workbench, jobs)


STATIONS = (
    StationEntry(
        "shoot",
        "Shoot",
        "What will be recorded, and what that needs.",
        _shoot,
        sums=("need", "take", "day", "copies", "guarantee"),
        answers=(
            "How many MB/s must never be missed, and which card classes and links stand above it",
            "How long a medium lasts, how many are needed, and when each is full",
            "Whether material and copies fit, day by day",
            "What if: another frame rate or codec beside the plan, which stays",
        ),
        keys=(
            ("Ctrl+Shift+A", "add a camera"),
            ("Ctrl+I", "what if, or drop it"),
            ("← →", "in the day: roll half an hour less or more"),
            ("↑ ↓", "in the day: the camera before or after"),
        ),
    ),
    StationEntry(
        "match",
        "Match",
        "Which drive, case, cable and port deliver it.",
        _match,
        sums=("margin", "link", "cache", "heat", "need"),
        answers=(
            "Will it hold to the end of the longest take, and which stage is the narrowest",
            "When the fast cache is full and when it gets too hot, at this room temperature",
            "Which single change makes it hold, cheapest first",
            "Everything that could be recorded to, and the same drive on every computer",
        ),
        keys=(
            ("← →", "in the candidates: the next one in price"),
            ("Enter", "on a change: take it; undo brings the old one back"),
        ),
    ),
    StationEntry(
        "build",
        "Build",
        "Do these parts go together, and will it hold, before anything is bought.",
        _build,
        sums=("stack", "heights", "bill", "need"),
        answers=(
            "Whether module, case, pad, port and plug go together, and by how many millimetres",
            "Where the heat gets stuck, and what the take comes to with this very pad and lid",
            "Which kind of case suits the module, what it costs, and what is at hand",
            "The steps of this build, with what can't be undone",
        ),
        keys=(
            ("← →", "in the kinds: the next kind of case"),
            ("Enter", "in the stack: take the pad that mends it"),
        ),
    ),
    StationEntry(
        "prove",
        "Prove",
        "Measure it.",
        _prove,
        sums=("proof", "margin", "need", "cache", "heat"),
        answers=(
            "What a plugged-in drive does: no camera, setup or unit is needed first",
            "What lasts past the cache and in the heat, what slowed it, and on what evidence",
            "Which cameras it holds, and for how long",
            "Whether a whole take gets through, frame by frame; whether a card holds what it says",
        ),
        keys=(
            ("F5", "start what is planned"),
            ("← → Enter", "in “plugged in”: choose a device, measure it"),
        ),
    ),
    StationEntry(
        "roll",
        "Roll",
        "The shooting day: cards, copies that are verified, and when it is over.",
        _roll,
        sums=("roll-last", "roll-home", "roll-fills"),
        answers=(
            "Which camera waits for a card, when and how long, and when the last copy is verified",
            "The smallest pool without waits, and what a card, a drive or another order would gain",
            "How late it gets in nine of ten days, and what that depends on",
            "Whether every file of a card is whole on every drive, and whether it may be wiped",
        ),
        keys=(
            ("← →", "in the day: wrap five minutes sooner or later"),
            ("+ −", "in the day: one card more or fewer for the chosen camera"),
            ("↑ ↓", "in the day: the camera before or after"),
            ("Enter", "on what would help: take it; undo brings the old one back"),
        ),
    ),
    StationEntry(
        "edit",
        "Edit",
        "The storage that editors work from: streams held, what limits it, what a cut asks.",
        _edit,
        sums=("edit-held", "edit-hours", "edit-disks", "edit-late", "edit-rebuild", "edit-jump"),
        answers=(
            "How many streams a drive, an array, a hub or a network store holds, and why not more",
            "Which second of the cut comes late, and which clips break it",
            "When the editors of the day ask more than the store gives, and what of it",
            "What a failed disk means, when it is full, what a stream costs",
            "What would help, cheapest first, and what would not",
        ),
        keys=(
            ("← →", "in the cut: the late place before or after"),
            ("Enter", "on what would help: take it; undo brings the old one back"),
        ),
    ),
    StationEntry(
        "cellar",
        "Cellar",
        "The memory of every unit, and which one goes on which job.",
        _cellar,
        sums=("pack-mass", "pack-risk", "cellar-trend", "unit", "cellar-ahead"),
        answers=(
            "What is wrong on the shelf, most harm first: slower than it was, stalls, worn, away",
            "Since when a unit is slower, how sure that is, and which test decides what it is",
            "Which units go on a job: lightest, fewest, cheapest or safest, and why each is in",
            "What is booked twice, what has to be back when, what is plugged in",
        ),
        keys=(
            ("← → ↑ ↓", "on the shelf: choose a unit; drag it onto a camera to record to it"),
            ("Home End", "on the shelf: the first or the last; page by page with PgUp and PgDn"),
            ("← →", "in look first and in the sets: the one before or after"),
        ),
    ),
)
