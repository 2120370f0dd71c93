"""Run a test in the terminal: progress for people, and signals that stop it cleanly."""

from __future__ import annotations

import contextlib
import os
import select
import signal
import sys
from collections.abc import Callable, Iterator
from typing import Any, Protocol

import click

from vastcellar.core.units import PLAIN

_LOOK_S = 0.2


class _Progress(Protocol):
    @property
    def phase(self) -> str: ...
    @property
    def done_share(self) -> float: ...
    @property
    def bytes_per_s(self) -> float: ...
    @property
    def detail(self) -> str: ...


class _Run(Protocol):
    def stop(self) -> None: ...
    def snapshots(self) -> Iterator[Any]: ...


def is_demo() -> bool:
    """Return whether the command was given --demo before its name."""
    return bool(click.get_current_context().find_root().params.get("demo"))


def run_to_end(run: _Run, *, quiet: bool) -> None:
    """Run the test to its end; signals that end a program stop it, and it still cleans up."""
    with stopping_signals(run.stop):
        if quiet:
            for _ in run.snapshots():
                pass
            return
        from rich.progress import Progress

        with Progress(transient=True) as bar:
            task = bar.add_task("starting", total=1.0)
            for snapshot in run.snapshots():
                bar.update(task, completed=snapshot.done_share, description=_line(snapshot))


def _line(snapshot: _Progress) -> str:
    parts = [snapshot.phase, PLAIN.rate(snapshot.bytes_per_s), snapshot.detail]
    return " · ".join(part for part in parts if part)


@contextlib.contextmanager
def stopping_signals(stop: Callable[[], None]) -> Iterator[None]:
    """Let Ctrl+C, SIGTERM and a closed terminal call *stop* meanwhile."""
    wanted = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
    before = {number: signal.signal(number, lambda *_: stop()) for number in wanted}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def line_typed(is_stopped: Callable[[], bool]) -> str | None:
    """Return the next line of the standard input; None at its end, or once *is_stopped*.

    A signal that comes just before reading begins would be seen only after the line: so nothing is
    read until something is there.
    """
    try:
        handle = sys.stdin.fileno()
    except (OSError, ValueError):  # no file stands behind it: it has its lines already
        return sys.stdin.readline() or None
    typed = b""
    while not is_stopped():
        if not select.select([handle], [], [], _LOOK_S)[0]:
            continue
        one = os.read(handle, 1)  # no more than the line: the next question needs the rest
        if not one:
            rest = sys.stdin.readline()  # what an earlier question had read ahead
            return rest or (typed.decode(errors="replace") or None)
        if one == b"\n":
            return typed.decode(errors="replace")
        typed += one
    return None
