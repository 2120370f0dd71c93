"""A test in a process of its own: the window's drawing can't slow the test, nor the other way.

Both would else share one interpreter, whose threads run in turn: a repaint would lengthen a
write's time, and a fast disk would hold up the window. What goes over is pickled: what to run
into the child's input, snapshots and the result out of its output. When its input ends, because
somebody stops the test or because the window is gone, the child stops and cleans up.
"""

from __future__ import annotations

import contextlib
import pickle
import queue
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from typing import IO, Any, Generic, TypeVar

from vastcellar.core.errors import DiskError, VastCellarError

Result = TypeVar("Result")

_END_WAIT_S = 10.0
_LOOK_EVERY_S = 0.25
_KILLED_WITHIN_S = 2.0
STOPS_WITHIN_S = 120.0
"""Told to stop it needs half a second, and then as long as removing its files takes."""
SPEAKS_WITHIN_S = 600.0
"""It shows itself twenty times a second, but for a flush, and while terabytes are removed again:
whoever is ended in the middle of that has measured for hours in vain."""


class ApartRun(Generic[Result]):
    """Looks like the run that *make* returns, and has it done elsewhere.

    *make* is a function of a module, *args* can be pickled.
    """

    is_simulated = False

    def __init__(self, make: Callable[..., Any], *args: Any) -> None:
        self._order = pickle.dumps((make, args))
        self._stop = threading.Event()
        self._lock = threading.RLock()  # a signal may stop it while we hold it
        self._child: subprocess.Popen[bytes] | None = None
        self._has_said_all = False
        self.is_direct = True
        """Whether the host's memory has no part in it, as far as is known by now."""
        self.result: Result | None = None
        self.error: VastCellarError | None = None

    def stop(self) -> None:
        """End soon; what was measured is kept, marked incomplete."""
        self._stop.set()
        with self._lock:
            if self._child is not None and self._child.stdin is not None:
                self._child.stdin.close()

    def snapshots(self) -> Iterator[Any]:
        """Run to the end and yield what the run shows. Raises what it raises."""
        child = subprocess.Popen(
            # -P: a numpy.py in the folder we were started in must not stand in for the real one.
            [sys.executable, "-P", "-m", "vastcellar.bench.apart_child"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
        )
        with self._lock:
            self._child = child
        assert child.stdin is not None  # both are pipes
        assert child.stdout is not None
        try:
            try:
                child.stdin.write(self._order)
                child.stdin.flush()
            except OSError:
                pass  # it ended before it heard us: its output says so
            if self._stop.is_set():
                self.stop()
            yield from self._listen(child)
        finally:
            self.stop()
            self._end(child)

    def _end(self, child: subprocess.Popen[bytes]) -> None:
        """Wait for it; one that hangs in a call to its disk is killed, if only the system can."""
        try:
            child.wait(_END_WAIT_S if self._has_said_all else STOPS_WITHIN_S)
        except subprocess.TimeoutExpired:
            child.kill()
            with contextlib.suppress(subprocess.TimeoutExpired):
                child.wait(_KILLED_WITHIN_S)

    @staticmethod
    def _hear(output: IO[bytes], said: queue.SimpleQueue[tuple[str, Any]]) -> None:
        """Pass on what the child says; "" when it says no more."""
        with output:
            while True:
                try:
                    said.put(pickle.load(output))  # written by our own child
                except (EOFError, OSError, pickle.UnpicklingError):
                    said.put(("", None))
                    return

    def _next(self, said: queue.SimpleQueue[tuple[str, Any]]) -> tuple[str, Any]:
        """Return what is said next. Raises DiskError where nothing has come for too long."""
        waited_s = 0.0
        while waited_s < (STOPS_WITHIN_S if self._stop.is_set() else SPEAKS_WITHIN_S):
            with contextlib.suppress(queue.Empty):
                return said.get(timeout=_LOOK_EVERY_S)
            waited_s += _LOOK_EVERY_S
        raise DiskError(
            "the disk doesn't answer any more",
            where="test",
            mend="Check cable, network and server; what it left there is removed at the next start",
        )

    def _listen(self, child: subprocess.Popen[bytes]) -> Iterator[Any]:
        said: queue.SimpleQueue[tuple[str, Any]] = queue.SimpleQueue()
        threading.Thread(
            target=self._hear, args=(child.stdout, said), name="measuring process", daemon=True
        ).start()
        while True:
            kind, value = self._next(said)
            if not kind:
                child.wait(_END_WAIT_S)
                if self._stop.is_set():
                    return
                raise DiskError(
                    f"the measuring process ended by itself ({child.returncode})",
                    where="test",
                    mend="Start it again; what it left on the disk is removed at the next start",
                ) from None
            self._has_said_all = kind != "shown"
            if kind == "shown":
                snapshot, self.is_direct = value
                yield snapshot
            elif kind == "ended":
                self.result, self.error = value
                return
            else:
                raise value
