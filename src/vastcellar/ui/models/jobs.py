"""Running measurements: each in a thread of its own, seen from everywhere."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import shiboken6
from PySide6.QtCore import QObject, QThread, Signal, Slot

from vastcellar.core.errors import VastCellarError

if TYPE_CHECKING:
    # Loaded with the first test: a window that only plans does without.
    from vastcellar.services.proving.flat_proving import Progress
    from vastcellar.services.proving.keeping import AnyProof, AnyResult, KeptRun
    from vastcellar.services.runs.calibrating import PredictionCheck
    from vastcellar.services.workplace.workplace import Workplace


class _RunWorker(QObject):
    """Does one run and keeps its result; lives in its own QThread."""

    snapshot_ready = Signal(object)  # Progress: frozen, so safe between threads
    ended = Signal(object)  # None, or the Exception that ended it

    def __init__(self, workplace: Workplace, unit_tag: str, proof: AnyProof) -> None:
        super().__init__()
        self._workplace, self._unit_tag, self._proof = workplace, unit_tag, proof
        self.kept: tuple[KeptRun, ...] = ()

    @Slot()
    def work(self) -> None:
        """Measure to the end, then keep what was measured."""
        from vastcellar.services.proving.keeping import keep_any

        run = self._proof.run
        try:
            self._proof.begin()
            for snapshot in run.snapshots():
                self.snapshot_ready.emit(snapshot)
            if self._unit_tag:
                self.kept = keep_any(self._proof, self._workplace, self._unit_tag)
            self.ended.emit(run.error)
        except Exception as error:  # last frame of the thread: nothing above sees it
            self.ended.emit(error)


class Job(QObject):
    """A running test as the views see it."""

    moved = Signal(object)  # Progress
    ended = Signal(object)  # None or the Exception

    def __init__(self, workplace: Workplace, unit_tag: str, title: str, proof: AnyProof) -> None:
        super().__init__()
        self.title = title
        self.unit_tag = unit_tag
        self.proof = proof
        self.error: Exception | None = None
        self.is_running = False
        self.latest: Progress | None = None
        self.elapsed_s: list[float] = []
        self.written_bytes: list[float] = []
        self.temperature_c: list[float] = []
        self.passes = 0
        """Traces begun so far: 1 while writing, 2 while reading back."""
        self._thread = QThread()
        self._thread.setObjectName("test")
        self._worker = _RunWorker(workplace, unit_tag, proof)
        self._worker.moveToThread(self._thread)
        self._thread.started.connect(self._worker.work)
        self._worker.snapshot_ready.connect(self._on_snapshot)
        self._worker.ended.connect(self._on_ended)

    @property
    def result(
        self,
    ) -> AnyResult | None:
        """What was measured, once it has ended."""
        return self.proof.run.result

    @property
    def kept_as(self) -> int:
        """The number of the first run in the cellar, 0 if nothing was kept."""
        return self._worker.kept[0].run_id if self._worker.kept else 0

    @property
    def kept_text(self) -> str:
        """As what it was kept, "" if it wasn't."""
        numbers = [kept.run_id for kept in self._worker.kept]
        if not numbers:
            return ""
        runs = f"run {numbers[0]}" if len(numbers) == 1 else f"runs {numbers[0]} to {numbers[-1]}"
        return f"kept as {runs} of {self.unit_tag}"

    @property
    def prediction(self) -> PredictionCheck | None:
        """The run beside what the unit's model predicted, once it is kept."""
        return self._worker.kept[0].prediction if self._worker.kept else None

    def adopt(self, unit_tag: str, kept: tuple[KeptRun, ...]) -> None:
        """Say that what was measured without a unit is kept under one now."""
        self.unit_tag, self._worker.kept = unit_tag, kept

    def start(self) -> None:
        """Begin measuring."""
        self.is_running = True
        self._thread.start()

    def cancel(self) -> None:
        """End soon; what was measured is kept, marked incomplete."""
        self.proof.run.stop()

    def wait(self) -> None:
        """Return when its thread has ended."""
        if shiboken6.isValid(self._thread):
            self._thread.quit()
            self._thread.wait()

    @Slot(object)
    def _on_snapshot(self, snapshot: Progress) -> None:
        self.latest = snapshot
        if snapshot.begins_pass:
            self._begin_pass()
        new = snapshot.new
        points = new.elapsed_s, new.written_bytes, new.temperature_c
        for column, fresh in zip(
            (self.elapsed_s, self.written_bytes, self.temperature_c), points, strict=True
        ):
            column.extend(fresh)
        self.moved.emit(snapshot)

    def _begin_pass(self) -> None:
        """A new trace begins, as when reading back follows writing."""
        self.passes += 1
        for column in (self.elapsed_s, self.written_bytes, self.temperature_c):
            column.clear()

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
    beside_moved = Signal(str)
    """How far work has come that goes on beside a test, as a copy."""
    beside_ended = Signal(str, float)
    """What came of it, and how many seconds it took."""

    def __init__(self, workplace: Workplace) -> None:
        super().__init__()
        self._workplace = workplace
        self.current: Job | None = None
        self.beside: list[Callable[[], None]] = []
        """What ends work that goes on beside a test, as a copy, when the window closes."""

    @property
    def is_busy(self) -> bool:
        """Whether a test is running."""
        return self.current is not None and self.current.is_running

    def start(self, unit_tag: str, title: str, proof: AnyProof) -> Job:
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
        for stop in self.beside:
            stop()

    def _on_moved(self, _snapshot: object) -> None:
        self.moved.emit(self.current)

    def _on_ended(self, _error: Exception | None) -> None:
        self.ended.emit(self.current)
