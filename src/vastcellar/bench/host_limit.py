"""What the host itself can make and check: a drive that seems faster was not the limit."""

from __future__ import annotations

import mmap
import time
from dataclasses import dataclass

from vastcellar.bench.payload import Payload

_BLOCK_BYTES = 4 * 2**20
_FOR_S = 0.06
NEAR_SHARE = 0.7
"""A rate above this share of the host's own says more of the host than of the drive."""


@dataclass(frozen=True, slots=True)
class HostLimit:
    """Rates of one core: making stamped blocks, checking them, copying memory."""

    make_bytes_per_s: float
    check_bytes_per_s: float

    def note(self, bytes_per_s: float, *, checked: bool = False) -> str:
        """Say whether *bytes_per_s* is near the host's own limit, "" if it isn't."""
        limit = self.check_bytes_per_s if checked else self.make_bytes_per_s
        if bytes_per_s < NEAR_SHARE * limit:
            return ""
        return (
            f"this computer makes and checks blocks at {limit / 1e6:,.0f} MB/s a core: "
            "it, not the drive, may be the limit"
        )


def measure_host_limit() -> HostLimit:
    """Return the rates of this host, in about a tenth of a second."""
    payload = Payload(1)
    buffer = mmap.mmap(-1, _BLOCK_BYTES)
    try:
        buffer[:] = bytes(payload.at(0, _BLOCK_BYTES))

        def make(_round: int) -> None:
            # A write copies a block once more than making it does.
            buffer[:] = payload.at(0, _BLOCK_BYTES)

        def check(_round: int) -> None:
            payload.first_difference(0, buffer, _BLOCK_BYTES)

        return HostLimit(_rate(make), _rate(check))
    finally:
        payload.release()
        buffer.close()


def _rate(call: object) -> float:
    assert callable(call)
    begin_s, count = time.perf_counter(), 0
    while (took_s := time.perf_counter() - begin_s) < _FOR_S or count < 3:
        call(count)
        count += 1
    return count * _BLOCK_BYTES / took_s
