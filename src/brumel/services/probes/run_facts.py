"""What was frozen into a run, and what it says of itself: below all that judges or shows it."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from brumel.core.calibrating.judging import principle_of
from brumel.core.calibrating.procedure import steps_of
from brumel.core.place.conditions import Conditions
from brumel.core.place.surroundings import Surroundings
from brumel.core.sensing.tolerances import Tolerances
from brumel.store.models.calibration import (
    CalibrationEntry,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    KeptBy,
    RunEntryKind,
)


def tolerances_of(run: CalibrationRun) -> Tolerances:
    """Return the tolerances that were frozen into a run."""
    return Tolerances.of(run.method["tolerances"])


def put_right(run: CalibrationRun) -> CalibrationEntry | None:
    """Find what a run's conditions were put right by last; None where what was said at its beginning holds."""
    return next((e for e in reversed(run.entries) if e.kind == RunEntryKind.PUT_RIGHT), None)


def method_of(run: CalibrationRun) -> dict[str, Any]:
    """Return the method frozen into a run, with the conditions that hold."""
    newer = put_right(run)
    return {**run.method, "conditions": newer.conditions["place"]} if newer and newer.conditions else run.method


def place_of(run: CalibrationRun) -> Surroundings:
    """Return what is known of the place where a run is made."""
    return Surroundings.of(method_of(run).get("conditions"))


def waters_of(run: CalibrationRun) -> tuple[float, float] | None:
    """Return the range of the waters that a run is made for."""
    newer = put_right(run)
    low, high = run.waters_low, run.waters_high
    if newer and newer.conditions:
        low, high = newer.conditions["waters"] or (None, None)
    return None if low is None or high is None else (low, high)


def where(run: CalibrationRun, temperature_c: float) -> Conditions:
    """Return the conditions of a run at a temperature."""
    return place_of(run).at(temperature_c, run.reference)


def adjusts(run: CalibrationRun) -> bool:
    """Say whether a run adjusts its probe, or only checks it."""
    return any(s.adjusts for s in steps_of(run.method))


def quantity_key(run: CalibrationRun) -> str:
    """Return what a run is of: its principle's quantity, or that of its first check where a meter keeps it."""
    if run.kept_by == KeptBy.METER:
        return str(run.method["checks"][0]["quantity"])
    return principle_of(run.method).quantity


def holds_days_of(run: CalibrationRun) -> tuple[float, float]:
    """Say how long a run may be used, soundly and at most, days, as it was frozen."""
    low, high = run.method["tolerances"]["holds_days"]
    return float(low), float(high)


_SECONDS_A_DAY = 86400.0


def age_days(signature: CalibrationSignature, at: datetime) -> float:
    """Return days between a signature and a moment."""
    return (at - signature.signed_at).total_seconds() / _SECONDS_A_DAY


def signed_points(run: CalibrationRun) -> list[CalibrationPoint]:
    """Return the points that a run's signature rests on; those that stand where there is none yet."""
    if run.signature is None:
        return standing_points(run)
    ids = set(run.signature.point_ids)
    return [p for p in run.points if p.id in ids]


def standing_points(run: CalibrationRun) -> list[CalibrationPoint]:
    """The newest point of every step, in the order taken; earlier ones are superseded, a dropped one stands no more."""
    newest = {point.step: point for point in run.points}
    return sorted((p for p in newest.values() if p.dropped is None), key=lambda p: p.ordinal)
