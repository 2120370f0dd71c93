"""What follows a flat-out run: which cameras it holds, and a unit where it was none."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QObject, Signal

from vastcellar.core.errors import VastCellarError
from vastcellar.services.proving.flat_proving import FlatProof, FlatResult
from vastcellar.services.proving.measured_for import MeasuredFor
from vastcellar.services.proving.new_unit import (
    KeptUnit,
    MeasuredDevice,
    free_tag,
    measured_device_of,
)
from vastcellar.services.runs.holding import held_cameras
from vastcellar.ui.models.background import Background
from vastcellar.ui.models.jobs import Job
from vastcellar.ui.models.workbench import Workbench
from vastcellar.ui.stations.prove.held_panel import HeldPanel
from vastcellar.ui.stations.prove.keep_card import KeepCard


class AfterRun(QObject):
    """Fills panel and card once a run has ended."""

    refused = Signal(object)
    """Why the device can't be kept as a unit."""
    kept = Signal(object)
    """The Job whose run is kept under its new unit."""

    def __init__(self, workbench: Workbench, held: HeldPanel, keep_card: KeepCard) -> None:
        super().__init__(held)
        self._workbench, self._held, self._card = workbench, held, keep_card
        self._job: Job | None = None
        self._measured: MeasuredDevice | None = None
        self._reckoner, self._describer = Background(self), Background(self)
        self._reckoner.done.connect(self._held.show_held)
        self._describer.done.connect(self._on_described)
        self._describer.failed.connect(self._on_refused)
        keep_card.asked.connect(self._keep)
        workbench.units.made.connect(self._on_made)

    def begin(self) -> None:
        """Take away what an earlier run left."""
        self._job = self._measured = None
        self._held.show_held(())
        self._card.offer(None)

    def follow(self, job: Job, measured_for: MeasuredFor | None) -> None:
        """Show what *job* came to, which counted for *measured_for*."""
        proof, result = job.proof, job.result
        if not isinstance(proof, FlatProof) or not isinstance(result, FlatResult):
            return
        workbench = self._workbench
        shoot, catalog, numbers = (
            workbench.document.shoot,
            workbench.catalog,
            workbench.look.numbers,
        )
        if proof.can_calibrate:  # past what a burst shows
            self._reckoner.request(partial(held_cameras, result.write.trace, shoot, catalog))
        if not job.unit_tag and not proof.is_simulated and result.written_bytes:
            self._job = job
            device = measured_for.device if measured_for else None
            numbers = workbench.look.numbers
            self._describer.request(partial(measured_device_of, proof, device, catalog, numbers))

    def _on_described(self, measured: MeasuredDevice) -> None:
        self._measured = measured
        if not self._workbench.shelf.units_on(measured.identity):
            self._card.offer(measured, free_tag(self._workbench.shelf))

    def _on_refused(self, error: Exception) -> None:
        if isinstance(error, VastCellarError):
            self.refused.emit(error)

    def _keep(self, tag: str, class_key: str) -> None:
        job, measured = self._job, self._measured
        if job is not None and measured is not None and isinstance(job.proof, FlatProof):
            self._workbench.units.make(measured, job.proof, tag, class_key)

    def _on_made(self, made: object) -> None:
        if isinstance(made, KeptUnit) and self._job is not None:
            self._card.offer(None)
            self._job.adopt(made.unit.tag, made.runs)
            self.kept.emit(self._job)
            if made.trouble is not None:
                self.refused.emit(made.trouble)
        elif isinstance(made, Exception):
            self._card.say(made)
