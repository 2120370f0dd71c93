"""The runs that a trace is made of: parted where no byte came for long."""

from __future__ import annotations

import numpy as np

from vastcellar.core.trace import Trace

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
    starts = [0 if 0 not in breaks else int(moved[0]) - 1]
    ends: list[int] = []
    for index in breaks:
        if index == 0:
            continue
        ends.append(int(moved[index - 1]))
        starts.append(int(moved[index]) - 1)
    ends.append(int(moved[-1]))  # what stands still at the end is no longer writing
    return tuple(
        Trace(
            elapsed[start : end + 1].copy(),
            written[start : end + 1] - written[start],
            trace.temperature_c[start : end + 1].copy(),
        )
        for start, end in zip(starts, ends, strict=True)
        if end > start
    )
