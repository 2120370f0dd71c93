"""Fixtures that every test may use: the shipped catalog, the demo, folders of one's own."""

from __future__ import annotations

import os
import shutil
import sqlite3
from collections.abc import Iterator

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.pop("VAST_CELLAR_DATABASE", None)  # nobody's own cellar is ever tested on

from pathlib import Path
from types import SimpleNamespace

import pytest
from hypothesis import settings

from postgres import NoServerHereError, Server
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.data import data_path
from vastcellar.services.proving.places import Place
from vastcellar.services.workplace.folders import Folders
from vastcellar.services.workplace.workplace import (
    DEMO_SHOOT_NAME,
    Shelf,
    Workplace,
    open_workplace,
)
from vastcellar.store.catalog_files import load_catalog, read_units
from vastcellar.store.shoot_files import read_shoot

# The machines that test are small and shared: a slow example is no failure. The same examples
# everywhere, so that a red run is the change's own doing; `--hypothesis-profile=explore` hunts.
settings.register_profile("vast", deadline=None, max_examples=60, derandomize=True)
settings.register_profile("explore", deadline=None, max_examples=2000)
settings.load_profile("vast")


@pytest.fixture(scope="session")
def catalog() -> Catalog:
    return load_catalog()


@pytest.fixture(scope="session")
def slipway(catalog: Catalog) -> Shoot:
    return read_shoot(data_path("demo", "slipway.shoot.json"), catalog)


@pytest.fixture(scope="session")
def shelf() -> Shelf:
    return Shelf(read_units(data_path("demo", "cellar.json")))


@pytest.fixture
def places(request: pytest.FixtureRequest, tmp_path: Path) -> Folders:
    made = Folders(tmp_path / "data ü", tmp_path / "state ü", tmp_path / "config ü")
    if "two_years" in request.fixturenames:  # before anything opens them
        made.data.mkdir()
        shutil.copy(request.getfixturevalue("demo_cellar"), made.cellar_file)
        with sqlite3.connect(made.cellar_file) as kept:  # where this demo's shoot will lie
            shoot = str(made.data / DEMO_SHOOT_NAME)
            kept.execute("UPDATE jobs SET shoot_file = ? WHERE shoot_file <> ''", (shoot,))
        kept.close()
    return made


@pytest.fixture(autouse=True)
def _without_history(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Most tests keep runs of their own in the demo: its two invented years would be in the way."""
    if "demo_cellar" not in request.fixturenames:
        monkeypatch.setattr(
            "vastcellar.services.workplace.demo_history.seed_history", lambda *_: None
        )


@pytest.fixture(scope="session")
def demo_cellar(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's cellar with its two years, made once: to be copied."""
    base = tmp_path_factory.mktemp("demo")
    made = Folders(base / "d", base / "s", base / "c")
    open_workplace(demo=True, places=made).close()
    return made.cellar_file


@pytest.fixture
def two_years(demo_cellar: Path) -> Path:
    """Asks for a demo as its user first sees it, with two invented years behind it."""
    return demo_cellar


@pytest.fixture
def workplace(places: Folders) -> Iterator[Workplace]:
    opened = open_workplace(demo=True, places=places)
    yield opened
    opened.close()


@pytest.fixture
def lies_on(monkeypatch):
    """Say which device every folder lies on."""

    def say(identity):
        monkeypatch.setattr(Place, "identity", property(lambda _place: identity))
        monkeypatch.setattr(
            "vastcellar.services.proving.binding.find_place",
            lambda _folder: SimpleNamespace(identity=identity),
        )

    return say


_NOT_TESTED: list[str] = []


@pytest.fixture(scope="session")
def server() -> Iterator[Server]:
    """A real PostgreSQL server; where the system has none, that is said at the end of all."""
    try:
        made = Server()
    except NoServerHereError as error:
        _NOT_TESTED.append(str(error))
        pytest.skip(str(error))
    yield made
    made.remove()


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    """Say what couldn't be tested here: it must not pass for tested."""
    for why in _NOT_TESTED:
        terminalreporter.section("NOT TESTED: the cellar on a server")
        terminalreporter.write_line(why)
