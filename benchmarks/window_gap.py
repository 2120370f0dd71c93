"""The window's longest silence while it measures a real folder at full speed.

    .venv/bin/python benchmarks/window_gap.py [FOLDER] [--size-gb N]

A timer of 1 ms runs in the interface thread; the longest time between two of its ticks is how
long the window could not have answered. The same is measured before, with nothing going on, and
afterwards, while the run is kept and all is judged anew.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QEventLoop, QLocale, Qt, QTimer

from vastcellar.core.protocols.amounts import Amount
from vastcellar.services.workplace.folders import Folders
from vastcellar.ui.app import Application, prepare_qt
from vastcellar.ui.look import LIGHT, Look

_IDLE_S = 3.0


class Gaps:
    """Times between the ticks of a timer in the interface thread, in ms."""

    def __init__(self) -> None:
        self.ms: list[float] = []
        self._last = time.perf_counter()
        self._timer = QTimer(interval=1, timerType=Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        self._timer.start()

    def _tick(self) -> None:
        now = time.perf_counter()
        self.ms.append((now - self._last) * 1e3)
        self._last = now

    def take(self) -> list[float]:
        """Return what was seen since the last call."""
        self.ms, seen = [], self.ms
        return sorted(seen)


def spin(milliseconds: int) -> None:
    """Run the event loop for a while, as the application does: other threads get their turn."""
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def main() -> None:
    """Print the longest gaps, idle and measuring."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("folder", nargs="?", type=Path, default=Path.cwd())
    parser.add_argument("--size-gb", type=float, default=8.0)
    asked = parser.parse_args()
    QLocale.setDefault(QLocale(QLocale.Language.English))
    prepare_qt(["window_gap"])
    with tempfile.TemporaryDirectory() as home, tempfile.TemporaryDirectory(dir=asked.folder) as on:
        root = Path(home)
        places = Folders(root / "data", root / "state", root / "config")
        app = Application(demo=True, places=places, look=Look(LIGHT))
        app.start()
        while app.workbench is None or not app.workbench.shelf.units:
            spin(20)
        page = app.window.station("prove").measure
        page.form.asked = Amount(int(asked.size_gb * 1e9))
        page.form.target.folder_choice.setChecked(True)
        page.form.target.folder_field.setText(on)
        page.form.choose("write")
        spin(500)
        gaps = Gaps()
        gaps.take()
        spin(int(_IDLE_S * 1000))
        idle = gaps.take()
        halves: list[list[float]] = []
        app.jobs.ended.connect(lambda _job: halves.append(gaps.take()))
        page.start()
        if page.binding.isVisibleTo(page):  # the folder is none of the demo's units
            page.binding.no.click()
        while app.jobs.is_busy:
            spin(50)
        spin(1000)
        (busy,), ending = halves, gaps.take()
        result = app.jobs.current.result
        app.close()
    for name, seen in (("idle", idle), ("measuring", busy), ("afterwards", ending)):
        high = seen[int(len(seen) * 0.999)]
        print(f"{name:10} longest gap {seen[-1]:6.1f} ms, 99.9 % within {high:5.1f} ms")
    print(f"written at {result.write.bytes_per_s / 1e6:,.0f} MB/s; wanted: under 50 ms")


if __name__ == "__main__":
    main()
