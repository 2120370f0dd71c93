"""Asks that may never come back, such as of a share whose server is gone: asked, and not awaited.

A call into a dead network mount can't be broken off by anything. It is left in a thread that no
exit waits for, and the place isn't asked again until it has answered.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")
_waiting: dict[str, threading.Thread] = {}


def within(seconds: float, place: str, ask: Callable[[], T]) -> T | None:
    """Return what *ask* returns; None where it takes longer, or raises OSError.

    *place* is what is asked: while an earlier ask of it still waits, nothing is asked.
    """
    before = _waiting.get(place)
    if before is not None and before.is_alive():
        return None
    answers: list[T] = []

    def work() -> None:
        try:
            answers.append(ask())
        except OSError:
            return

    thread = threading.Thread(target=work, name=f"asks {place}", daemon=True)
    _waiting[place] = thread
    thread.start()
    thread.join(seconds)
    if not thread.is_alive():
        _waiting.pop(place, None)
    return answers[0] if answers else None
