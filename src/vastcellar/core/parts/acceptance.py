"""The decision on a unit for a duty: in service with its baseline, or refused and why."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from vastcellar.core.errors import BadValueError

DUTIES = ("recorder media", "working drive", "edit storage")


@dataclass(frozen=True, slots=True)
class Acceptance:
    """One decision; the next one for the unit takes its place."""

    decided_on: date
    duty: str
    is_in_service: bool
    baseline_run_ids: tuple[int, ...] = ()
    """The runs that later ones of this unit are held against; none where it was refused."""
    simulated_run_ids: tuple[int, ...] = ()
    """Those of them that a rig stood for."""
    reasons: tuple[str, ...] = ()
    """What failed; none for a refusal by decision, or one in service."""
    mends: tuple[str, ...] = ()
    """What would mend it, one for each reason."""

    def __post_init__(self) -> None:
        if self.duty not in DUTIES:
            raise BadValueError(
                f"no duty is called {self.duty!r}",
                where="duty",
                mend=f"Use one of {', '.join(DUTIES)}",
            )
        if self.is_in_service and (self.reasons or not self.baseline_run_ids):
            raise BadValueError(
                "a unit is in service by the runs that it passed, and by nothing that failed",
                where="acceptance",
                mend="Make the tests of its duty, or refuse it",
            )
