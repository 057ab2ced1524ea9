"""How a calibration is stored: one builder a row, and the line and findings that are computed from rows."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from brumel.core.calibration import CarriedSlope, ElectrodeFit, fit_electrode
from brumel.core.findings import Finding, verdict
from brumel.core.methods.model import Role, Use, limits_of
from brumel.core.ph_run import JudgedPoint, PhRun, PreviousRun, buffers_range
from brumel.core.ph_verdict import judge_ph_run
from brumel.core.standards.buffers import value_or_none
from brumel.services import lines
from brumel.services.signal import Signal
from brumel.store.models.base import Source
from brumel.store.models.calibration import CalibrationPoint, CalibrationRun
from brumel.store.models.reference import Lot, Person, Probe


@dataclass(frozen=True)
class Begin:
    """What a technician chooses to begin a run."""

    run_id: uuid.UUID
    probe_id: uuid.UUID | None
    method_code: str
    rinse: str
    lots: Mapping[str, uuid.UUID | None]
    """Lot for each role (neutral, acid, alkaline)."""
    site_ids: Sequence[uuid.UUID] = ()
    new_electrode: bool = False


def run_row(
    begin: Begin,
    probe: Probe,
    frozen: dict[str, Any],
    lots: Mapping[Role, Lot],
    waters_ph: tuple[float, float] | None,
    person: Person,
    *,
    at: datetime,
) -> dict[str, Any]:
    """A run as it is stored when it begins."""
    return {
        "id": begin.run_id,
        "probe_id": probe.id,
        "person_id": person.id,
        "started_at": at,
        "method_code": frozen["code"],
        "method": frozen,
        "rinse": begin.rinse,
        "lots": {s["key"]: str(lots[Role(s["role"])].id) for s in frozen["steps"]},
        "waters_ph_low": waters_ph[0] if waters_ph else None,
        "waters_ph_high": waters_ph[1] if waters_ph else None,
        "new_electrode": begin.new_electrode,
    }


def point_row(
    point_id: uuid.UUID,
    run_id: uuid.UUID,
    person: Person,
    step: Mapping[str, Any],
    lot: Lot,
    signal: Signal,
    *,
    at: datetime,
    today: date,
) -> dict[str, Any]:
    """A point as it is stored: the buffer's true value at its measured temperature, and its lot's state."""
    buffer = lines.buffer_of(lot)
    value = value_or_none(buffer, signal.temperature_c)
    facts = lines.lot_facts(lot)
    return {
        "id": point_id,
        "run_id": run_id,
        "person_id": person.id,
        "step": step["key"],
        "use": step["use"],
        "lot_id": lot.id,
        "taken_at": at,
        "source": Source.DEVICE,
        "mv": signal.mv,
        "temperature_c": signal.temperature_c,
        "nominal_ph": lot.buffer_ph,
        "family": lot.family,
        "buffer_ph": buffer.nominal_ph if value is None else value,
        "buffer_u_ph": buffer.u_ph,
        "value_known": value is not None,
        "expired_days": facts.days_expired(today),
        "over_open_days": facts.days_over_open(today),
        "acceptance": str(signal.acceptance),
        "left_over_mv": signal.left_over,
        "settling_words": signal.words,
        "settling_s": signal.elapsed_s,
        "deviations": [],
    }


def trace_row(point_id: uuid.UUID, signal: Signal) -> dict[str, Any]:
    """The trace behind a point as it is stored."""
    return {
        "point_id": point_id,
        "times_s": signal.times_s,
        "mv": signal.mv_trace,
        "temperature_c": signal.temperature_trace,
    }


def judge_points(
    frozen: dict[str, Any],
    points: Sequence[CalibrationPoint],
    previous: PreviousRun | None,
    waters_ph: tuple[float, float] | None,
) -> tuple[ElectrodeFit | None, list[Finding]]:
    """The line through a run's standing points and its findings, by the method frozen into the run."""
    judged = tuple(lines.judged_point(p) for p in points)
    adjusted = [p.fit_point for p in judged if p.use is Use.ADJUST]
    if not adjusted:
        return None, []
    carried = CarriedSlope()
    if previous is not None:
        carried = CarriedSlope(previous.fit.slope_percent, previous.fit.u_slope_percent, assumed=False)
    fit = fit_electrode(adjusted, carried)
    return fit, judge_ph_run(PhRun(judged, fit, limits_of(frozen["limits"]), previous, waters_ph))


def signature_row(
    run_id: uuid.UUID,
    person: Person,
    fit: ElectrodeFit,
    findings: Sequence[Finding],
    points: Sequence[JudgedPoint],
    *,
    at: datetime,
    note: str = "",
) -> dict[str, Any]:
    """A signature as it is stored: the line and the verdict."""
    low, high = buffers_range(points)
    carried = fit.slope_carried
    return {
        "run_id": run_id,
        "person_id": person.id,
        "signed_at": at,
        "level": str(verdict(findings)),
        "slope_percent": fit.slope_percent,
        "offset_mv": fit.offset_mv,
        "u_slope_percent": fit.u_slope_percent,
        "u_offset_mv": fit.u_offset_mv,
        "covariance": fit.covariance,
        "slope_origin": "fitted" if carried is None else "assumed" if carried.assumed else "carried",
        "buffers_ph_low": low,
        "buffers_ph_high": high,
        "temperature_c": fit.temperature_c,
        "note": note.strip(),
    }


def waters_of(run: CalibrationRun) -> tuple[float, float] | None:
    """The range of the waters that a run was made for."""
    if run.waters_ph_low is None or run.waters_ph_high is None:
        return None
    return run.waters_ph_low, run.waters_ph_high
