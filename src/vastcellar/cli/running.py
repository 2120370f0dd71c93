"""Run a test in the terminal: progress for people, and signals that stop it cleanly."""

from __future__ import annotations

import contextlib
import signal
from collections.abc import Callable, Iterator
from typing import Any, Protocol

import click

from vastcellar.core.units import PLAIN


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


@contextlib.contextmanager
def interrupting_signals() -> Iterator[None]:
    """Let Ctrl+C, SIGTERM and a closed terminal end a question that waits for its answer.

    Where a signal only calls a function, reading goes on waiting after it.
    """

    def interrupt(*_: object) -> None:
        raise click.Abort

    wanted = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
    before = {number: signal.signal(number, interrupt) for number in wanted}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
