"""Checksums that general tools know: xxh128sum and sha256sum."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import Protocol

import xxhash

ALGORITHMS = ("xxh128", "sha256")


class Digest(Protocol):
    """A running checksum."""

    def update(self, data: memoryview, /) -> None:
        """Take *data* in."""

    def hexdigest(self) -> str:
        """Return it as the general tools print it."""


_MAKERS: dict[str, Callable[[], Digest]] = {
    "xxh128": xxhash.xxh3_128,
    "sha256": hashlib.sha256,
}


def new_digest(algorithm: str) -> Digest:
    """Return an empty checksum of *algorithm*."""
    return _MAKERS[algorithm]()
