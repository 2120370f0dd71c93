"""An acceptance as the cellar's JSON column holds it."""

from __future__ import annotations

from dataclasses import asdict
from datetime import date
from typing import Any

from vastcellar.core.parts.acceptance import Acceptance

_LISTS = ("baseline_run_ids", "simulated_run_ids", "reasons", "mends")


def acceptance_as_json(made: Acceptance | None) -> dict[str, Any] | None:
    """Return it in what JSON knows; None for none."""
    if made is None:
        return None
    lists = {name: list(getattr(made, name)) for name in _LISTS}
    return {**asdict(made), **lists, "decided_on": made.decided_on.isoformat()}


def acceptance_from_json(kept: dict[str, Any] | None) -> Acceptance | None:
    """Return what was kept. Raises BadValueError, TypeError or ValueError where that is none."""
    if kept is None:
        return None
    lists = {name: tuple(kept[name]) for name in _LISTS}
    return Acceptance(**{**kept, **lists, "decided_on": date.fromisoformat(kept["decided_on"])})
