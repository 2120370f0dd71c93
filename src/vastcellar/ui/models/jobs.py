"""Running measurements: each in a thread of its own, seen from everywhere."""

from __future__ import annotations

import shiboken6
from PySide6.QtCore import QObject, QThread, Signal, Slot

from vastcellar.core.errors import VastCellarError
from vastcellar.services.proving import Proof, RecorderRun, Snapshot, keep_proof
from vastcellar.services.workplace import Workplace


class _RunWorker(QObject):
    """Does one run and keeps its result; lives in its own QThread."""

    snapshot_ready = Signal(object)  # Snapshot: frozen, so safe between threads
    ended = Signal(object)  # None, or the Exception that ended it

    def __init__(self, workplace: Workplace, unit_tag: str, proof: Proof) -> None:
        super().__init__()
        self._workplace, self._unit_tag, self._proof = workplace, unit_tag, proof
        self.kept_as = 0

    @Slot()
    def work(self) -> None:
        """Measure to the end, then keep what was measured."""
        run = self._proof.run
        try:
            for snapshot in run.snapshots():
                self.snapshot_ready.emit(snapshot)
            if run.result is not None and self._unit_tag and run.result.written_bytes:
                self.kept_as = keep_proof(self._workplace, self._unit_tag, self._proof)
            self.ended.emit(run.error)
        except Exception as error:  # last frame of the thread: nothing above sees it
            self.ended.emit(error)


class Job(QObject):
    """A running test as the views see it."""

    moved = Signal(object)  # Snapshot
    ended = Signal(object)  # None or the Exception

    def __init__(self, workplace: Workplace, unit_tag: str, title: str, proof: Proof) -> None:
        super().__init__()
        self.title = title
        self.unit_tag = unit_tag
        self.proof = proof
        self.error: Exception | None = None
        self.is_running = False
        self.latest: Snapshot | None = None
        self.elapsed_s: list[float] = []
        self.written_bytes: list[float] = []
        self.temperature_c: list[float] = []
        self._thread = QThread()
        self._thread.setObjectName("recorder test")
        self._worker = _RunWorker(workplace, unit_tag, proof)
        self._worker.moveToThread(self._thread)
        self._thread.started.connect(self._worker.work)
        self._worker.snapshot_ready.connect(self._on_snapshot)
        self._worker.ended.connect(self._on_ended)

    @property
    def run(self) -> RecorderRun:
        """The engine's run, with its result once it has ended."""
        return self.proof.run

    @property
    def kept_as(self) -> int:
        """The number of the run in the cellar, 0 if it wasn't kept."""
        return self._worker.kept_as

    def start(self) -> None:
        """Begin measuring."""
        self.is_running = True
        self._thread.start()

    def cancel(self) -> None:
        """End soon; what was measured is kept, marked incomplete."""
        self.run.stop()

    def wait(self) -> None:
        """Return when its thread has ended."""
        if shiboken6.isValid(self._thread):
            self._thread.quit()
            self._thread.wait()

    @Slot(object)
    def _on_snapshot(self, snapshot: Snapshot) -> None:
        self.latest = snapshot
        self.elapsed_s.extend(snapshot.new_elapsed_s)
        self.written_bytes.extend(snapshot.new_written_bytes)
        self.temperature_c.extend(snapshot.new_temperature_c)
        self.moved.emit(snapshot)

    @Slot(object)
    def _on_ended(self, error: Exception | None) -> None:
        self.wait()
        self.is_running = False
        self.error = error
        self.ended.emit(error)


class Jobs(QObject):
    """The test that runs now. One at a time: two would measure each other."""

    started = Signal(object)  # Job
    moved = Signal(object)  # Job
    ended = Signal(object)  # Job

    def __init__(self, workplace: Workplace) -> None:
        super().__init__()
        self._workplace = workplace
        self.current: Job | None = None

    @property
    def is_busy(self) -> bool:
        """Whether a test is running."""
        return self.current is not None and self.current.is_running

    def start(self, unit_tag: str, title: str, proof: Proof) -> Job:
        """Start *proof*; its result is kept under *unit_tag*. Raises VastCellarError if busy."""
        if self.is_busy:
            raise VastCellarError(
                "another test is running", where="Prove", mend="Wait for it, or cancel it below"
            )
        job = Job(self._workplace, unit_tag, title, proof)
        self.current = job
        job.moved.connect(self._on_moved)
        job.ended.connect(self._on_ended)
        job.start()
        self.started.emit(job)
        return job

    def stop_all(self) -> None:
        """Cancel what runs and wait until it has cleaned up."""
        if self.current is not None:
            self.current.cancel()
            self.current.wait()

    def _on_moved(self, _snapshot: Snapshot) -> None:
        self.moved.emit(self.current)

    def _on_ended(self, _error: Exception | None) -> None:
        self.ended.emit(self.current)
