"""The runs that a trace is made of: parted where no byte came for long."""

from __future__ import annotations

import numpy as np

from vastcellar.core.trace import Trace

_FIRST_ROWS = 6
RUN_GAP_S = 30.0
"""So long without a byte parts one run from the next."""


def split_runs(trace: Trace) -> tuple[Trace, ...]:
    """Return the runs of *trace*, parted where no byte came for ``RUN_GAP_S``.

    Elapsed time goes on from run to run; bytes begin at 0 in each.
    """
    elapsed, written = trace.elapsed_s, trace.written_bytes
    if elapsed.size < 2:
        return ()
    moved = np.flatnonzero(np.diff(written) > 0) + 1
    if not moved.size:
        return ()
    # A logger's own pause with bytes in it is no gap: the writing went on. Only rows that show
    # no byte count, from the last row with the old bytes.
    still_from = elapsed[moved - 1]
    previous = np.concatenate([[elapsed[0]], elapsed[moved[:-1]]])
    breaks = np.flatnonzero(still_from - previous >= RUN_GAP_S)
    starts = [int(moved[0]) - 1]
    ends: list[int] = []
    for index in breaks:
        if index == 0:
            continue
        ends.append(int(moved[index - 1]))
        starts.append(int(moved[index]) - 1)
    ends.append(int(moved[-1]))  # what stands still at the end is no longer writing
    return tuple(
        _run(trace, start, end) for start, end in zip(starts, ends, strict=True) if end > start
    )


def _run(trace: Trace, start: int, end: int) -> Trace:
    """Return the rows from the last without a byte on, beginning when its first byte came.

    A program opens files before it writes. Counted into the first second, that would make it a
    slow one; when it ended follows from the first bytes and the rate right after them.
    """
    elapsed = trace.elapsed_s[start : end + 1].copy()
    written = trace.written_bytes[start : end + 1] - trace.written_bytes[start]
    if elapsed.size > 2:
        later = min(_FIRST_ROWS, elapsed.size - 1)
        span_s = elapsed[later] - elapsed[1]
        rate = (written[later] - written[1]) / span_s if span_s > 0 else 0.0
        if rate > 0:
            elapsed[0] = min(max(elapsed[0], elapsed[1] - written[1] / rate), elapsed[1])
    return Trace(elapsed, written, trace.temperature_c[start : end + 1].copy())
