"""A run as it is kept, apart from the database that keeps it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any


@dataclass(frozen=True)
class RunRecord:
    """One test; ``run_id`` is 0 until it is stored."""

    unit_tag: str
    kind: str
    measured_at: datetime
    is_simulated: bool
    is_complete: bool
    conditions: dict[str, Any]
    figures: dict[str, Any]
    run_id: int = 0
