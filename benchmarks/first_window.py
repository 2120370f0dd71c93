"""Time to the first window, against a bare PySide6 + pyqtgraph window, alternately in one go.

    .venv/bin/python benchmarks/first_window.py [--runs N]

Each start is a new process; its time runs from the start of the process to the first frame that
is painted. For Vast Cellar a second figure says when the demo stands in the window: catalog,
units and shoot known, verdicts judged, the station drawn. That is a start as it is day by day,
with what the last window showed; a third figure is one that has to read everything, as after an
edit in a terminal. Both programs find their bytecode compiled, as they do on a user's computer.
"""

from __future__ import annotations

import argparse
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time

BARE = """
import time
from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtWidgets import QApplication
import pyqtgraph

class Window(pyqtgraph.PlotWidget):
    def paintEvent(self, event):
        super().paintEvent(event)
        print("first", time.time(), flush=True)
        QTimer.singleShot(0, application.quit)

application = QApplication([])
window = Window()
window.resize(1280, 800)
window.show()
application.exec()
"""

OURS = """
import sys, time
from pathlib import Path
from vastcellar.ui.app import Application, prepare_qt
from vastcellar.services.workplace.folders import Folders

application = prepare_qt(["vast-cellar"])
from PySide6.QtCore import QEvent, QObject, QTimer
home = Path(sys.argv[1])
app = Application(demo=True, places=Folders(home / "data", home / "state", home / "config"))

class Painted(QObject):
    seen = False

    def eventFilter(self, watched, event):
        if event.type() == QEvent.Type.Paint and not self.seen:
            self.seen = True
            QTimer.singleShot(0, lambda: print("first", time.time(), flush=True))
        return False

painted = Painted()
app.window.centralWidget().installEventFilter(painted)

def filled():
    if app.workbench and app.workbench.judgements and app.workbench.shelf.units:
        app.window.stage.currentWidget().repaint()
        print("filled", time.time(), flush=True)
        application.quit()
    else:
        QTimer.singleShot(5, filled)

app.start()
QTimer.singleShot(5, filled)
application.exec()
app.close()
"""


def start_once(code: str, home: str) -> dict[str, float]:
    """Start *code* in a new process; return seconds to each moment that it prints."""
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen"),
        "PYTHONPYCACHEPREFIX": f"{home}/bytecode",
    }
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    begin = time.time()
    done = subprocess.run(
        [sys.executable, "-c", code, home],
        env=environment,
        capture_output=True,
        text=True,
        check=True,
        timeout=60,
    )
    moments = (line.split() for line in done.stdout.splitlines() if line)
    found: dict[str, float] = {}
    for name, moment in moments:
        found.setdefault(name, float(moment) - begin)
    return found


def main() -> None:
    """Print medians and their ratios."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--runs", type=int, default=9)
    runs = parser.parse_args().runs
    bare, first, filled, read = [], [], [], []
    with tempfile.TemporaryDirectory() as home:
        start_once(BARE, home)  # the first of each fills the caches of the system
        start_once(OURS, home)  # ... and seeds the demo
        for _ in range(runs):
            bare.append(start_once(BARE, home)["first"])
            ours = start_once(OURS, home)
            first.append(ours["first"])
            filled.append(ours["filled"])
            shutil.rmtree(f"{home}/state")
            read.append(start_once(OURS, home)["filled"])
    base = statistics.median(bare)
    for name, times in (
        ("bare PySide6 + pyqtgraph window", bare),
        ("Vast Cellar, first window", first),
        ("Vast Cellar, demo in it", filled),
        ("the same, everything read", read),
    ):
        middle = statistics.median(times)
        spread = f"{min(times):.2f} to {max(times):.2f} s"
        print(f"{name:34} {middle:5.2f} s  ({spread})  ratio {middle / base:4.2f}")
    print(f"median of {runs} alternating starts each; wanted: 1.3 and 1.8")


if __name__ == "__main__":
    main()
