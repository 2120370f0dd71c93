"""The other end of ``apart``: runs one test and tells its parent about it."""

from __future__ import annotations

import contextlib
import os
import pickle
import signal
import sys
import threading
from typing import IO, Any

from vastcellar.core.errors import VastCellarError


def _tell(output: IO[bytes], kind: str, value: Any) -> None:
    output.write(pickle.dumps((kind, value)))
    output.flush()


def main() -> None:
    """Do what standard input says; stop when it ends."""
    # Whatever prints meanwhile must not get between the pickles.
    output = os.fdopen(os.dup(sys.stdout.fileno()), "wb")
    os.dup2(sys.stderr.fileno(), sys.stdout.fileno())
    make, args = pickle.load(sys.stdin.buffer)  # written by our own parent
    try:
        run = make(*args)
    except VastCellarError as error:
        _tell(output, "raised", error)
        return

    def heed() -> None:
        # Nothing more is said: it ends when the parent wants us to stop. Read past Python's own
        # buffer, whose lock a thread still waiting at the end would take with it.
        while os.read(sys.stdin.fileno(), 4096):
            pass
        run.stop()

    threading.Thread(target=heed, name="parent", daemon=True).start()
    # Ctrl+C, a closed terminal and a shutdown reach us as well as our parent: each ends the test,
    # none may end us before it is cleaned up.
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: run.stop())
    shown = run.snapshots()
    try:
        for snapshot in shown:
            _tell(output, "shown", (snapshot, getattr(run, "is_direct", True)))
        _tell(output, "ended", (run.result, run.error))
    except VastCellarError as error:
        _tell(output, "raised", error)
    except BrokenPipeError:  # the parent is gone: clean up and go
        with contextlib.suppress(VastCellarError):
            shown.close()


if __name__ == "__main__":
    main()
