"""Made-up computers for tests: those that ship, and small trees put together by hand."""

import json
from pathlib import Path

from vastcellar.devices.made_up import write_made_up
from vastcellar.devices.plugged_in import read_plugged_in
from vastcellar.devices.system import System


def shipped(name: str, folder: Path) -> System:
    """Return a shipped computer, written below *folder*."""
    return System(write_made_up(name, folder / name))


def plugged(system: System):
    """Return what is plugged in, without the disk that the computer runs from, by its name."""
    return {each.name: each for each in read_plugged_in(system) if not each.is_system}


def lsblk_of(system: System) -> dict:
    """Return what lsblk answers there."""
    return json.loads(system.path("tools/lsblk.json").read_text())


def answer_lsblk(system: System, answer: object) -> None:
    """Let lsblk answer something else there."""
    system.path("tools").mkdir(parents=True, exist_ok=True)
    system.path("tools/lsblk.json").write_text(json.dumps(answer))
