"""Starts the window: it shows first, catalog and cellar are read behind it."""

from __future__ import annotations

import gc
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSettings, Qt, QThreadPool, QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication, QMessageBox

from vastcellar.core.errors import CellarError, VastCellarError
from vastcellar.services.workplace.folders import Folders, folders
from vastcellar.ui.look import DARK, LIGHT, Look, Palette, font, load_fonts, text_percent
from vastcellar.ui.shell.window import MainWindow
from vastcellar.ui.widgets.plain import PlainTips, plain_box

if TYPE_CHECKING:
    # Loaded when the window is up: the database alone takes a third of a second.
    from vastcellar.services.shoot.starting import Started
    from vastcellar.services.workplace.last_seen import LastSeen
    from vastcellar.services.workplace.rescuing import Rescued
    from vastcellar.ui.models.background import Background
    from vastcellar.ui.models.jobs import Jobs
    from vastcellar.ui.models.workbench import Workbench
    from vastcellar.ui.shell.shoot_menu import ShootMenu


_SWITCH_S = 0.0005


class Application(QObject):
    """Holds the window and what it stands on."""

    def __init__(
        self,
        *,
        demo: bool = False,
        shoot_path: Path | None = None,
        places: Folders | None = None,
        look: Look | None = None,
    ) -> None:
        super().__init__()
        # Each call into Qt lets go of the interpreter. A thread that reckons meanwhile would give
        # it back only after 5 ms, a hundred times in one repaint.
        sys.setswitchinterval(_SWITCH_S)
        self.places = places or folders(demo=demo)
        self._demo, self._shoot_path = demo, shoot_path
        self._in_file = False
        """Whether this start does with the cellar of this desk, because its server is away."""
        settings = _settings(self.places)
        self.look = look or Look(_palette(settings))
        self.window = MainWindow(self.look, settings)
        self.workbench: Workbench | None = None
        self.jobs: Jobs | None = None
        self.menu: ShootMenu | None = None
        self._loader: Background | None = None

    def start(self) -> None:
        """Show the window, then read what it shows."""
        self.window.show()
        QTimer.singleShot(0, self._begin_loading)

    def _begin_loading(self) -> None:
        from vastcellar.ui.models.background import Background

        self._loader = Background(self)
        self._loader.done.connect(self._on_loaded)
        self._loader.failed.connect(self._on_failed)
        demo, shoot_path, places = self._demo, self._shoot_path, self.places
        in_file = self._in_file

        def load() -> Started:
            from vastcellar.services.shoot.starting import start

            return start(places, demo=demo, shoot_path=shoot_path, in_file=in_file)

        self._loader.request(load)

    def _on_loaded(self, loaded: Started) -> None:
        from vastcellar.ui.models.document import ShootDocument
        from vastcellar.ui.models.jobs import Jobs
        from vastcellar.ui.models.workbench import Workbench
        from vastcellar.ui.shell.shoot_menu import ShootMenu

        document = ShootDocument(self.places)
        self.workbench = Workbench(loaded.workplace, document, self.look)
        self.jobs = Jobs(loaded.workplace)
        self.menu = ShootMenu(self.window, self.workbench)
        document.open(loaded.opened)
        self.window.attach(self.workbench, self.jobs)
        if loaded.seen is not None:
            self.workbench.units.show_seen(loaded.seen.shelf, loaded.seen.changes)
        else:
            self.workbench.units.reload()
        self.workbench.units.back.connect(self._on_back)
        removed = loaded.workplace.removed
        if loaded.opened.is_restored:
            self.window.job_strip.say("Unsaved changes from last time are back.")
        if removed:
            self.window.job_strip.say(" ".join(each.sentence for each in removed))
        if loaded.rescued:
            self._offer(loaded.rescued)
        if loaded.trouble is not None:
            _tell(self.window, "This shoot can't be opened", loaded.trouble)

    def _on_back(self) -> None:
        self.window.job_strip.say("The cellar answers again.")

    def _offer(self, rescued: tuple[Rescued, ...]) -> None:
        """Ask whether what the cellar couldn't take is to be kept now."""
        runs = "A run is" if len(rescued) == 1 else f"{len(rescued)} runs are"
        record = rescued[0].record
        day = record.measured_at.astimezone()
        box = plain_box(
            self.window,
            "Runs not kept yet",
            f"{runs} not in the cellar yet, because it couldn't be written at the end.",
            f"The first: {record.kind} of {record.unit_tag}, {day.day} {day:%b %Y}. Keep now?",
        )
        keep = box.addButton("Keep now", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Later", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is keep and self.workbench is not None:
            self.workbench.units.keep_rescued(rescued)

    def _on_failed(self, error: Exception) -> None:
        if not isinstance(error, VastCellarError):
            raise error
        if isinstance(error, CellarError) and self._is_on_server:
            self._offer_own_file(error)
        elif not (isinstance(error, CellarError) and self._offer_backup(error)):
            _tell(self.window, "Vast Cellar can't start", error)
            self.window.close()

    @property
    def _is_on_server(self) -> bool:
        from vastcellar.services.workplace.databases import server_address

        return not self._in_file and bool(server_address(self.places, demo=self._demo))

    def _offer_own_file(self, error: CellarError) -> None:
        """Ask what to do at a start while the server is away: a shoot can be planned without."""
        box = plain_box(
            self.window, "The shared cellar doesn't answer", str(error),
            "Without it the units of this computer's own file are on the shelf; the next start "
            "asks the server again.",
        )  # fmt: skip
        again = box.addButton("Try again", QMessageBox.ButtonRole.AcceptRole)
        own = box.addButton("Without it this time", QMessageBox.ButtonRole.ActionRole)
        box.addButton("Close", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() not in (again, own):
            self.window.close()
            return
        self._in_file = box.clickedButton() is own
        self._begin_loading()

    def _offer_backup(self, error: CellarError) -> bool:
        """Offer the newest good backup of a damaged cellar; return whether it was taken."""
        from vastcellar.services.cellar.keeping import backup_for_damaged, restore

        path = self.places.cellar_file
        backup = backup_for_damaged(path)
        if backup is None:
            return False
        made = backup.made_at.astimezone()
        box = plain_box(
            self.window, "The cellar is damaged", str(error),
            f"Its backup of {made.day} {made:%b %Y, %H:%M} is whole. The damaged file is kept "
            "beside it, with all that is in it.",
        )  # fmt: skip
        take = box.addButton("Open the backup", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Close", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is not take:
            self.window.close()
            return True
        try:
            aside = restore(path)
        except VastCellarError as trouble:
            _tell(self.window, "The backup can't be opened", trouble)
            self.window.close()
            return True
        self.window.job_strip.say(f"The backup is open. The damaged file is {aside.name}.")
        self._begin_loading()
        return True

    def close(self) -> None:
        """Close the window and let go of the cellar."""
        self.window.close()
        if self.workbench is not None:
            self.workbench.stop()
            self.workbench.document.autosave.release()
        # What still reads the cellar must be done with it before it is let go.
        QThreadPool.globalInstance().waitForDone()
        if self.workbench is not None:
            # The file of this desk, while its server is away, is not what is seen of the server.
            seen = None if self._in_file else self._seen(self.workbench)
            self.workbench.workplace.close()
            if seen is not None:
                from vastcellar.services.workplace.last_seen import remember

                remember(seen, self.places, demo=self._demo)

    @staticmethod
    def _seen(workbench: Workbench) -> LastSeen | None:
        """Return what the next start may show at once."""
        from vastcellar.services.workplace.last_seen import picture_of

        document, units = workbench.document, workbench.units
        return picture_of(
            units.workplace, units.shelf, units.seen_changes, document.shoot, document.path,
            document.saved_mark,
        )  # fmt: skip


def _settings(places: Folders) -> QSettings:
    return QSettings(str(places.config / "window.ini"), QSettings.Format.IniFormat)


def _palette(settings: QSettings) -> Palette:
    chosen = settings.value("look", "")
    if chosen in ("light", "dark"):
        return DARK if chosen == "dark" else LIGHT
    hints = QApplication.styleHints()
    return DARK if hints.colorScheme() is Qt.ColorScheme.Dark else LIGHT


def _tell(window: MainWindow, title: str, error: VastCellarError) -> None:
    plain_box(window, title, f"{title}.", str(error)).exec()


_FIRST_SWEEP_MS = 2500
"""By then the window stands; until then nearly all that is made is there to stay."""


class _Sweeper(QObject):
    """Collects garbage in the interface thread only.

    Python would otherwise do it in whichever thread allocates next, and destroy discarded Qt
    objects there: Qt then waits for the interface thread, which waits for Python.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self, interval=200)
        self._timer.timeout.connect(self._sweep)
        QTimer.singleShot(_FIRST_SWEEP_MS, self, self._begin)

    def _begin(self) -> None:
        # What a start loads stays to the end: to look through it again and again finds nothing.
        gc.freeze()
        self._timer.start()

    def _sweep(self) -> None:
        for generation in (2, 1, 0):
            if gc.get_count()[generation] > gc.get_threshold()[generation]:
                gc.collect(generation)
                return


def prepare_qt(arguments: list[str]) -> QApplication:
    """Return the Qt application with our fonts and style."""
    application = QApplication.instance()
    if not isinstance(application, QApplication):
        application = QApplication(arguments)
    if application.findChild(_Sweeper) is None:
        _Sweeper(application)
        PlainTips(application)
    application.setApplicationName("vast-cellar")
    application.setApplicationDisplayName("Vast Cellar")
    application.setDesktopFileName("vast-cellar")
    application.setWindowIcon(QIcon())
    application.setStyle("Fusion")
    load_fonts()
    application.setFont(font(14))
    return application


def run_window(*, demo: bool, shoot_path: Path | None) -> int:
    """Open the window and return the exit code when it is closed."""
    if not (
        os.environ.get("DISPLAY")
        or os.environ.get("WAYLAND_DISPLAY")
        or os.environ.get("QT_QPA_PLATFORM")
    ):
        sys.stderr.write(
            "vast-cellar: there is no screen: DISPLAY and WAYLAND_DISPLAY are not set. "
            "Start it in a desktop session, or use a command such as: vast-cellar need SHOOT.\n"
        )
        return 1
    places = folders(demo=demo)
    # Qt takes a scale before it starts, and never again; one set from outside counts.
    os.environ.setdefault("QT_SCALE_FACTOR", str(text_percent(_settings(places)) / 100))
    qt = prepare_qt(sys.argv[:1])
    application = Application(demo=demo, shoot_path=shoot_path, places=places)
    application.start()
    code = qt.exec()
    application.close()
    return code
