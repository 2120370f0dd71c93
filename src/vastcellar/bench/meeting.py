"""Several clients agree on when to begin, and put their results together: by files on the share.

No server of ours: one client calls, the others come. What each says is a small file of its own in
a folder on the very share that is measured; nobody changes another's. Clocks of different computers
differ, so moments are told in the share's own time: each client makes a file there, and sees in its
time of change how far its clock is off. Everything has a time by which it must have happened:
a client that is gone, or a share that is, ends it with a sentence.
"""

from __future__ import annotations

import contextlib
import json
import os
import secrets
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.progress import stopped
from vastcellar.core.errors import BadFileError, DiskError

FOLDER_NAME = "vast-cellar-together"
MOST_CLIENTS = 64
_LOOK_EVERY_S = 0.05
_MOST_BYTES = 1_000_000
_CALL = "call.json"
COMES_WITHIN_S, SAYS_WITHIN_S = 120.0, 60.0
_LEAD_S = 3.0
"""From the word to the start: a network's memory of a folder may be some seconds old."""


class Meeting:
    """One client's part of it. ``call`` it, or ``join`` the one that was called."""

    def __init__(self, share: Path, clock_s: Callable[[], float] = time.time) -> None:
        self._share, self._folder = share, share / FOLDER_NAME
        self._stop = threading.Event()
        self._clock_s = clock_s
        self.me = secrets.token_hex(4)
        self.is_caller = False
        self._own: list[Path] = []
        self._off_s = 0.0
        """What is added to this clock for the share's."""

    def stops_with(self, stop: threading.Event) -> None:
        """Wait for nothing any more once *stop* is set."""
        self._stop = stop

    def call(self, content: dict[str, Any]) -> None:
        """Open a meeting. Raises DiskError where one is open already, or the share can't be."""
        try:
            self._folder.mkdir(mode=0o777)
            with contextlib.suppress(OSError):
                self._folder.chmod(0o777)  # clients on other computers are other users
        except FileExistsError as error:
            raise DiskError(
                "clients are meeting there already, or were cut off",
                where=str(self._folder),
                mend="Wait for them, join them with --join, or remove that folder",
            ) from error
        except OSError as error:
            raise as_disk_error(error, str(self._share)) from error
        self.is_caller = True
        self._set_clock()
        self._say(_CALL, {**content, "caller": self.me})

    def join(self) -> dict[str, Any]:
        """Come to the meeting that was called, and return what it is about.

        Raises DiskError where none is called in time.
        """
        content = self._wait(self._folder / _CALL, COMES_WITHIN_S, "nobody called a meeting there",
                             "Begin it with --others on the other computer")  # fmt: skip
        self._set_clock()
        return content

    def come(self) -> None:
        """Say that this client is ready."""
        self._say(f"here-{self.me}.json", {})

    def wait_for(self, count: int) -> tuple[str, ...]:
        """Return who has come, once *count* have; this client first, so that it plays every step.

        Raises DiskError where too few come in time.
        """
        found: tuple[str, ...] = ()

        def all_here() -> bool:
            nonlocal found
            names = (path.name for path in self._folder.iterdir())
            here = sorted(n for n in names if n.startswith("here-") and n.endswith(".json"))
            found = tuple(n.removeprefix("here-").removesuffix(".json") for n in here)
            return len(found) >= count

        if not self._until(all_here, COMES_WITHIN_S):
            raise DiskError(
                f"{len(found)} of {count} clients came",
                where=str(self._folder),
                mend="Start the others with --join on this very share, and see that they can "
                "write there",
            )
        return tuple(sorted(found, key=lambda each: each != self.me))

    def let_go(self, step: int, content: dict[str, Any]) -> None:
        """Say what the next step is, and when it begins. ``wait_go`` waits for that."""
        self._say(f"go-{step:03d}.json", {**content, "start_s": self._now_s() + _LEAD_S})

    def wait_go(self, step: int) -> dict[str, Any]:
        """Return what the step is about, at the moment when it begins."""
        path = self._folder / f"go-{step:03d}.json"
        content = self._wait(path, SAYS_WITHIN_S * 2, "the client that called is gone",
                             "Call the meeting once more")  # fmt: skip
        wait_s = float(content.get("start_s", 0.0)) - self._now_s()
        if wait_s > COMES_WITHIN_S:
            raise BadFileError(
                "the start is further away than anybody would wait", where=f"go-{step:03d}.json",
                mend="Call the meeting once more",
            )  # fmt: skip
        if wait_s > 0:
            self._stop.wait(wait_s)
        stopped(self._stop)
        return content

    def tell(self, step: int, content: dict[str, Any]) -> None:
        """Say what this client measured in a step."""
        self._say(f"told-{step:03d}-{self.me}.json", content)

    def gather(self, step: int, clients: tuple[str, ...], within_s: float) -> dict[str, Any]:
        """Return what each of *clients* measured. Raises DiskError where one says nothing."""
        said: dict[str, Any] = {}
        for each in clients:
            path = self._folder / f"told-{step:03d}-{each}.json"
            said[each] = self._wait(path, within_s, f"client {each} says nothing any more",
                                    "See whether its computer still has the share")  # fmt: skip
        return said

    def leave(self) -> None:
        """Take back what this client said; the caller takes the folder away as well."""
        if self.is_caller:
            # The others may still be reading the last word.
            self._until(lambda: not any(p.name.startswith("here-") and p not in self._own
                                        for p in self._folder.iterdir()), 5.0)  # fmt: skip
        # The last word first: whoever waits for "here" to be gone takes the folder away at once.
        for path in reversed(self._own):
            with contextlib.suppress(OSError):
                path.unlink()
        if self.is_caller:
            with contextlib.suppress(OSError):  # what others left in it is theirs
                self._folder.rmdir()

    # Files, and the share's clock

    def _say(self, name: str, content: dict[str, Any]) -> None:
        """Make the file *name*, whole or not at all."""
        made = self._folder / f".{name}.{self.me}"
        try:
            with made.open("x", encoding="utf-8") as file:
                file.write(json.dumps(content))
                file.flush()
                os.fsync(file.fileno())
            made.rename(self._folder / name)
        except OSError as error:
            with contextlib.suppress(OSError):
                made.unlink()
            raise as_disk_error(error, str(self._folder)) from error
        self._own.append(self._folder / name)

    def _wait(self, path: Path, within_s: float, missing: str, mend: str) -> dict[str, Any]:
        found: list[dict[str, Any]] = []

        def is_there() -> bool:
            try:
                with path.open("rb") as file:
                    text = file.read(_MOST_BYTES + 1)
            except FileNotFoundError:
                return False
            if len(text) > _MOST_BYTES:
                raise BadFileError("it is too large", where=path.name, mend="Call it once more")
            try:
                content = json.loads(text)
            except (ValueError, RecursionError) as error:
                raise BadFileError(
                    "it is no word of a client", where=path.name, mend="Call it once more"
                ) from error
            if not isinstance(content, dict):
                raise BadFileError(
                    "it is no word of a client", where=path.name, mend="Call it once more"
                )
            found.append(content)
            return True

        if not self._until(is_there, within_s):
            raise DiskError(missing, where=str(self._folder), mend=mend)
        return found[0]

    def _until(self, is_so: Callable[[], bool], within_s: float) -> bool:
        """Wait until *is_so*; False where it isn't in time. Looking lists the folder anew."""
        end_s = time.monotonic() + within_s
        while True:
            try:
                with contextlib.suppress(FileNotFoundError):
                    os.listdir(self._folder)  # noqa: PTH208 - makes a network look for itself
                    if is_so():
                        return True
            except OSError as error:
                raise as_disk_error(error, str(self._folder)) from error
            if time.monotonic() > end_s:
                return False
            self._stop.wait(_LOOK_EVERY_S)
            stopped(self._stop)

    def _now_s(self) -> float:
        return self._clock_s() + self._off_s

    def _set_clock(self) -> None:
        """Find out how far this clock is off the share's, by a file that is made there."""
        path = self._folder / f"clock-{self.me}"
        try:
            before_s = self._clock_s()
            with path.open("x") as file:
                file.write("1")
            after_s = self._clock_s()
            self._off_s = path.stat().st_mtime - (before_s + after_s) / 2
            path.unlink()
        except OSError as error:
            raise as_disk_error(error, str(self._folder)) from error
