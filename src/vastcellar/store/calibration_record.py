"""A unit's calibration as it is kept: the fit as JSON, and which runs it came from."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

import numpy as np

from vastcellar.core.diagnosis.causes import Estimate
from vastcellar.core.parts.parts import ThrottleStage, WriteBehaviour
from vastcellar.core.unit_model.fitted_model import Calibration, Fitted, adjusted


@dataclass(frozen=True)
class CalibrationRecord:
    """One unit's own model. It answers for the drive that the runs were made on, and no other."""

    unit_tag: str
    drive_key: str
    made_at: datetime
    is_simulated: bool
    run_ids: tuple[int, ...]
    fit: Calibration


def fit_as_json(fit: Calibration) -> dict[str, Any]:
    """Return *fit* as plain values, from which it can be made again."""
    return {
        "typical": asdict(fit.typical),
        "place": fit.place.tolist(),
        "covariance": fit.covariance.tolist(),
        "figures": [asdict(each) for each in fit.figures],
        "misfit": fit.misfit,
        "open_questions": list(fit.open_questions),
    }


def fit_from_json(kept: dict[str, Any]) -> Calibration:
    """Return the fit that was kept; the behaviour follows from its place, by the same formula."""
    typical = _behaviour(kept["typical"])
    place = np.array(kept["place"], dtype=np.float64)
    return Calibration(
        typical=typical,
        behaviour=adjusted(typical, place),
        figures=tuple(
            Fitted(**{**each, "estimate": Estimate(**each["estimate"])}) for each in kept["figures"]
        ),
        place=place,
        covariance=np.array(kept["covariance"], dtype=np.float64),
        misfit=kept["misfit"],
        open_questions=tuple(kept["open_questions"]),
    )


def _behaviour(kept: dict[str, Any]) -> WriteBehaviour:
    stages = tuple(ThrottleStage(**stage) for stage in kept["throttle"])
    return WriteBehaviour(**{**kept, "throttle": stages})
