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
    """A station of the rail; ``make`` is None where it isn't built yet."""

    key: str
    title: str
    purpose: str
    make: Callable[[Workbench, Jobs], QWidget] | None
    sums: tuple[str, ...] = ()
    """Which sums the drawer has beside it, in their order; any other comes when it is asked for."""


# Stations are imported when they are first shown: the first window needs none of them.
def _shoot(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.shoot.station import ShootStation

    return ShootStation(workbench)


def _match(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.match.station import MatchStation

    return MatchStation(workbench)


def _prove(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.prove.station import ProveStation

    return ProveStation(workbench, jobs)


def _cellar(workbench: Workbench, jobs: Jobs) -> QWidget:
    from vastcellar.ui.stations.cellar.station import CellarStation

    return CellarStation(workbench)


STATIONS = (
    StationEntry("shoot", "Shoot", "What will be recorded, and what that needs.", _shoot,
                 ("need", "take", "day", "copies", "guarantee")),
    StationEntry("match", "Match", "Which drive, case, cable and port deliver it.", _match,
                 ("margin", "link", "cache", "heat", "need")),
    StationEntry(
        "build",
        "Build",
        "Will check which parts fit, and lead through assembly, first format and label.",
        None,
    ),
    StationEntry("prove", "Prove", "Measure it.", _prove,
                 ("proof", "margin", "need", "cache", "heat")),
    StationEntry(
        "roll",
        "Roll",
        "Will play the shooting day: cards filling, offloaded, verified, free again.",
        None,
    ),
    StationEntry(
        "edit",
        "Edit",
        "Will work out how many streams disks, hub and network carry for the editors.",
        None,
    ),
    StationEntry("cellar", "Cellar", "The record of every unit.", _cellar, ("unit",)),
)  # fmt: skip
