"""A calibration, and a run beside what was predicted of it, in words."""

from __future__ import annotations

from typing import Any

from vastcellar.core.unit_model.fitted_model import Fitted
from vastcellar.core.unit_model.prediction import PredictionCheck
from vastcellar.core.units import NumberFormat
from vastcellar.services.runs.calibrating import Calibrated
from vastcellar.services.workplace.workplace import Shelf
from vastcellar.store.calibration_record import CalibrationRecord


def prediction_sentence(prediction: PredictionCheck, fmt: NumberFormat) -> str:
    """Return prediction and measurement as a sentence."""
    span = prediction.predicted_bytes_per_s
    verdict = "as predicted" if prediction.is_as_predicted else (
        "slower than predicted" if prediction.off_share < 0 else "faster than predicted"
    )  # fmt: skip
    text = (
        f"Predicted {fmt.rate(span.value)} ({fmt.rate(span.low)} to {fmt.rate(span.high)}), "
        f"measured {fmt.rate(prediction.measured_bytes_per_s)}: "
        f"{fmt.percent(prediction.off_share, signed=True)}, {verdict}"
    )
    expected, came = prediction.predicted_drop_bytes, prediction.measured_drop_bytes
    if expected is None and came is None:
        return f"{text}."
    return f"{text}. First drop predicted {_place(expected, fmt)}, measured {_place(came, fmt)}."


def _place(drop_bytes: float | None, fmt: NumberFormat) -> str:
    return "nowhere" if drop_bytes is None else f"after {fmt.size(drop_bytes)}"


_WORDS = {
    "cache_write_bytes_per_s": "in its cache",
    "direct_write_bytes_per_s": "after its cache",
    "cache_bytes": "cache",
    "fold_bytes_per_s": "folds",
    "heat_j_per_gb": "heat",
    "throttle_c": "throttles at",
    "throttle_band_k": "and lets go lower by",
    "throttle_cap_bytes_per_s": "throttled to",
    "inner_share": "innermost zone",
}


def fitted_words(figure: Fitted, fmt: NumberFormat) -> tuple[str, str]:
    """Return the name of a fitted figure and its value with interval, as they are read."""

    def text(value: float) -> str:
        if figure.key == "heat_j_per_gb":
            return f"{fmt.number(value, 2)} J/GB"
        if figure.key == "throttle_c":
            return fmt.temperature(value)
        if figure.key == "throttle_band_k":
            return f"{fmt.number(value, 1)} K"
        if figure.key == "cache_bytes":
            return fmt.size(value)
        if figure.key == "inner_share":
            return fmt.percent(value)
        return fmt.rate(value)

    if not figure.is_learned:
        return _WORDS[figure.key], f"{text(figure.estimate.value)}, assumed"
    low, high = text(figure.estimate.low), text(figure.estimate.high)
    return _WORDS[figure.key], f"{text(figure.estimate.value)} ({low} to {high})"


def calibration_figures(made: CalibrationRecord) -> dict[str, Any]:
    """Return a calibration as it is printed."""
    return {
        "unit": made.unit_tag,
        "drive": made.drive_key,
        "made_at": made.made_at.isoformat(),
        "is_simulated": made.is_simulated,
        "runs": list(made.run_ids),
        "misfit_share": made.fit.misfit,
        "figures": {
            each.key: {
                "value": each.estimate.value,
                "interval": [each.estimate.low, each.estimate.high],
                "typical": each.typical,
                "is_learned": each.is_learned,
            }
            for each in made.fit.figures
        },
        "open_questions": list(made.fit.open_questions),
    }


def calibration_words(shelf: Shelf, tag: str) -> str:
    """Return how a unit stands calibrated, "" where it doesn't."""
    unit = shelf.unit(tag)
    made = next((each for each in shelf.calibrations if each.unit_tag == tag), None)
    if made is None or unit is None or unit.fitted is None:
        return ""
    day = made.made_at.astimezone()
    simulated = "simulated " if made.is_simulated else ""
    count = len(made.run_ids)
    runs = f"{count} {simulated}run{'s' if count != 1 else ''}"
    return f"calibrated on {runs}, {day.day} {day:%b %Y}"


def calibrated_sentence(made: Calibrated, fmt: NumberFormat) -> str:
    """Return what a unit was calibrated to, what stays assumed, and what was left out."""
    record = made.record
    learned = [fitted_words(each, fmt) for each in record.fit.figures if each.is_learned]
    count, simulated = len(record.run_ids), "simulated " if record.is_simulated else ""
    runs = f"1 {simulated}run" if count == 1 else f"{count} {simulated}runs"
    told = ", ".join(f"{name} {value}" for name, value in learned) or "nothing beyond the typical"
    text = f"{record.unit_tag} is calibrated on {runs} of its own now: {told}."
    if record.fit.open_questions:
        text += f" Used only up to a drop whose cause is open. {record.fit.open_questions[0]}."
    if made.left_out:
        text += f" Left out: {'; '.join(made.left_out)}."
    return text
