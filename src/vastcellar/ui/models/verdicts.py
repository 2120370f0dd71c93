"""The verdicts on a shoot: judged at once, the mends of its subject found behind it."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QObject, Signal

from vastcellar.core.candidates.mends import Mends
from vastcellar.core.errors import VastCellarError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.services.match.judging import judge_camera, mends_for
from vastcellar.services.shoot.planning import PlannedShoot, planned
from vastcellar.services.workplace.workplace import Shelf
from vastcellar.ui.models.background import Background


class Verdicts(QObject):
    """What was found of every camera of the open shoot."""

    judged = Signal()
    mended = Signal()
    """The mends of the subject were found."""
    trouble = Signal(object)

    def __init__(self, shoot: Shoot, catalog: Catalog, parent: QObject) -> None:
        super().__init__(parent)
        self.by_camera: dict[str, Judgement] = {}
        self.planned: PlannedShoot = planned(shoot, catalog, Shelf())
        self.mends = Mends((), ())
        self._finder = Background(self)
        self._finder.done.connect(self._on_mends)
        self._finder.failed.connect(self.trouble)

    def stop(self) -> None:
        """Ask for nothing more."""
        self._finder.stop()

    def judge(self, shoot: Shoot, subject: Camera | None, catalog: Catalog, shelf: Shelf) -> None:
        """Judge every camera of *shoot*, and look for what would mend *subject*."""
        found = {}
        for each in shoot.cameras:
            try:
                found[each.key] = judge_camera(shoot, each, catalog, shelf)
            except VastCellarError as error:
                self.trouble.emit(error)
        self.by_camera = found
        self.planned = planned(shoot, catalog, shelf)
        self.mends = Mends((), ())
        self._finder.forget()  # what it still looks for is about another subject or shoot
        self.judged.emit()
        if subject is not None and subject.setup is not None and subject.key in found:
            self._finder.request(partial(mends_for, shoot, subject, catalog, shelf))

    def _on_mends(self, mends: Mends) -> None:
        self.mends = mends
        self.mended.emit()
