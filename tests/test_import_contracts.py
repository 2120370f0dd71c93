"""The import contracts of the house: each holds, and breaks when a bad import is planted."""

import os
import shutil
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

HOUSE = Path(__file__).parents[1]
PLANTED = {
    "The house is built one way": ("core/shoot/needs.py", "vastcellar.services.shoot.planning"),
    "Below the window nothing knows Qt": ("services/match/judging.py", "PySide6.QtCore"),
    "Window, terminal and reports go": ("cli/printing.py", "vastcellar.store.cellar"),
    "core is values in, values out": ("core/units.py", "pydantic"),
    "core: each theory knows those": ("core/chain/chain.py", "vastcellar.core.candidates.mends"),
    "services: matched from what is": (
        "services/runs/resting.py",
        "vastcellar.services.proving.places",
    ),
    "ui: a shell around stations": ("ui/widgets/cards.py", "vastcellar.ui.shell.rail"),
    "No station knows another": (
        "ui/stations/match/hosts_view.py",
        "vastcellar.ui.stations.prove.trace_view",
    ),
    "The shell asks the list": ("ui/shell/notify.py", "vastcellar.ui.stations.cellar.station"),
    "A widget is handed texts": ("ui/widgets/tabs.py", "vastcellar.services.match.judging"),
}
"""Contracts by the beginning of their names: a file, and an import that has no business there."""


def outcome_in(house: Path) -> dict[str, bool]:
    """Return for each contract whether it was kept by the code in *house*."""
    names = [
        each["name"]
        for each in tomllib.loads((house / "pyproject.toml").read_text())["tool"]["importlinter"][
            "contracts"
        ]
    ]
    linter = Path(sys.executable).with_name("lint-imports")
    environment = {**os.environ, "PYTHONPATH": str(house / "src"), "COLUMNS": "400"}
    ran = subprocess.run(
        [linter, "--no-cache"], cwd=house, env=environment, capture_output=True, text=True,
        check=False,
    )  # fmt: skip
    # The linter breaks lines at 80: names are found with the breaks taken out.
    text = "".join(ran.stdout.split())
    return {name: f"{''.join(name.split())}KEPT" in text for name in names}


@pytest.fixture(scope="module")
def planted_house(tmp_path_factory):
    """A copy of the house with every bad import in it."""
    house = tmp_path_factory.mktemp("house")
    shutil.copy(HOUSE / "pyproject.toml", house)
    code = shutil.copytree(
        HOUSE / "src", house / "src", ignore=shutil.ignore_patterns("__pycache__", "data")
    )
    for file, module in PLANTED.values():
        path = code / "vastcellar" / file
        path.write_text(path.read_text() + f"\nimport {module}\n")
    return house


def test_every_contract_holds_and_has_a_bad_import_to_break_it():
    """The code as it stands keeps every contract, and none stands here without its planted slip."""
    kept = outcome_in(HOUSE)
    assert all(kept.values()), kept
    assert len(kept) == len(PLANTED)


def test_a_planted_import_breaks_its_contract(planted_house):
    """A contract that no import could break would guard nothing."""
    kept = outcome_in(planted_house)
    unbroken = [begin for begin in PLANTED if not any(
        name.startswith(begin) and not holds for name, holds in kept.items())]  # fmt: skip
    assert unbroken == []
