"""A real window on the demo, in folders of its own; nothing may outlive its test."""

from __future__ import annotations

import threading
from functools import partial

import pytest
from PySide6.QtCore import QLocale, QThread, QThreadPool
from PySide6.QtWidgets import QApplication

from vastcellar.services.workplace.folders import Folders
from vastcellar.ui.app import Application, prepare_qt
from vastcellar.ui.look import LIGHT, Look

PATIENCE_MS = 120_000


@pytest.fixture(scope="session")
def qapp_cls():
    return QApplication


@pytest.fixture(autouse=True, scope="session")
def our_style(qapp):
    QLocale.setDefault(QLocale(QLocale.Language.English))
    prepare_qt([])


@pytest.fixture
def qtbot(qtbot, monkeypatch):
    """Qt's helper with patience: what should come at once may take its time on a busy machine."""
    for name in ("waitUntil", "waitSignal"):
        monkeypatch.setattr(qtbot, name, partial(getattr(qtbot, name), timeout=PATIENCE_MS))
    return qtbot


@pytest.fixture
def start(qtbot, places: Folders):
    """Start the application (again) and wait until the shelf stands."""
    started: list[Application] = []

    def make(**kwargs) -> Application:
        made = Application(**{"demo": True, "places": places, "look": Look(LIGHT), **kwargs})
        started.append(made)
        made.start()
        demo = kwargs.get("demo", True)
        qtbot.waitUntil(
            lambda: made.workbench is not None and (not demo or bool(made.workbench.judgements))
        )
        qtbot.waitUntil(lambda: not demo or bool(made.workbench.shelf.units))
        return made

    before = set(threading.enumerate())
    yield make
    for application in started:
        application.close()
        application.window.deleteLater()
    qtbot.wait(1)
    assert QThreadPool.globalInstance().activeThreadCount() == 0
    assert QThread.currentThread().isMainThread()
    left = {thread for thread in set(threading.enumerate()) - before if not thread.daemon}
    assert not left, f"threads left behind: {left}"


@pytest.fixture
def app(start) -> Application:
    return start()
