"""What goes on the open shoot, as the window sees it: worked out when somebody looks."""

from __future__ import annotations

from datetime import date

from PySide6.QtCore import QObject, Signal

from vastcellar.core.cellar.jobs import Job
from vastcellar.core.cellar.packing import Goal, Packing
from vastcellar.core.errors import BadValueError, VastCellarError
from vastcellar.services.cellar.packing import PackedShoot, pack_shoot
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.cellar_desk import CellarDesk


class PackingDesk(QObject):
    """Packs the open shoot by every goal; one of them is chosen."""

    changed = Signal()

    def __init__(self, desk: CellarDesk, parent: QObject) -> None:
        super().__init__(parent)
        self.desk, self.workbench = desk, desk.workbench
        self.packed: PackedShoot | None = None
        self.error: VastCellarError | None = None
        self.goal = Goal.LIGHTEST
        self.spend_at_most = 0.0
        self.job_name = ""
        self._is_active, self._is_stale = False, True
        self._packer = Background(self)
        self._packer.done.connect(self._on_packed)
        self._packer.failed.connect(self._on_failed)
        desk.changed.connect(self._on_changed)

    def stop(self) -> None:
        """Ask for nothing more: the window is closing."""
        self._packer.stop()

    @property
    def packing(self) -> Packing | None:
        """The chosen set; None before there is one."""
        return self.packed.sets.get(self.goal) if self.packed else None

    @property
    def job(self) -> Job | None:
        """The job that is packed for; None for none."""
        shown = self.desk.shown
        return shown.planned.job(self.job_name) if shown else None

    def set_active(self, is_active: bool) -> None:
        """Say whether somebody looks: only then is anything worked out."""
        self._is_active = is_active
        if is_active and self._is_stale:
            self._pack()

    def choose(self, goal: Goal) -> None:
        """Choose the set of *goal*."""
        self.goal = goal
        self.changed.emit()

    def choose_job(self, name: str) -> None:
        """Pack for the days of the job *name*."""
        self.job_name = name
        self._on_changed()

    def spend(self, at_most: float) -> None:
        """Let so much be spent on drives for copies."""
        self.spend_at_most = at_most
        self._on_changed()

    def _on_changed(self) -> None:
        shown = self.desk.shown
        if shown is not None and not self.job_name:
            path = self.workbench.document.path
            jobs = [job for job in shown.planned.jobs if job.last_day >= date.today()]
            mine = [job for job in jobs if path and job.shoot_file == str(path)]
            self.job_name = next((job.name for job in mine), "")
        self._is_stale = True
        if self._is_active:
            self._pack()

    def _pack(self) -> None:
        shown = self.desk.shown
        if shown is None:
            return
        self._is_stale = False
        shoot, catalog = self.workbench.document.shoot, self.workbench.catalog
        known, planned, job, spend = shown.known, shown.planned, self.job, self.spend_at_most

        def work() -> PackedShoot:
            if not shoot.cameras and not shoot.copies:
                raise BadValueError(
                    "the shoot has no camera and no copy", where="packing",
                    mend="Plan it in Shoot first",
                )  # fmt: skip
            return pack_shoot(
                shoot, known, catalog, planned, date.today(), job=job, spend_at_most=spend
            )

        self._packer.request(work)

    def _on_packed(self, packed: PackedShoot) -> None:
        self.packed, self.error = packed, None
        self.changed.emit()

    def _on_failed(self, error: Exception) -> None:
        if not isinstance(error, VastCellarError):
            raise error
        self.packed, self.error = None, error
        self.changed.emit()
