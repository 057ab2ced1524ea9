"""A signed calibration as an open file: what it was judged by, so that it can be judged again elsewhere."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from typing import Any

from brumel.core.calibrating.as_found import Off
from brumel.core.calibrating.file_shape import FORMAT, VERSION
from brumel.core.place.conditions import Conditions
from brumel.core.sensing.run import PreviousRun
from brumel.core.words.catalogue import word
from brumel.services.calibrating.as_found import AsFound
from brumel.services.calibrating.meter_runs import points_of
from brumel.services.calibrating.run_responses import Past
from brumel.services.probes import run_facts
from brumel.services.shelf import lot_words
from brumel.store.models.calibration import CalibrationPoint, CalibrationRun, KeptBy


def run_file(past: Past, run: CalibrationRun, found: AsFound | None) -> dict[str, Any]:
    """Return the file of a run, as ``docs/formats.md`` describes it."""
    by_meter = run.kept_by == KeptBy.METER
    signed = run.signature
    return {
        "format": FORMAT,
        "version": VERSION,
        "id": str(run.id),
        "kept_by": run.kept_by,
        "started_at": run.started_at.isoformat(),
        "signed_at": signed.signed_at.isoformat() if signed else None,
        "by": run.person.name,
        "probe": {
            "kind": run.probe.kind, "label": run.probe.label, "serial": run.probe.serial, "reference": run.reference,
        },
        "method": run_facts.method_of(run),
        **(_of_meter(run) if by_meter else _of_brumel(past, run)),
        "as_found": found and _as_found(found, {p.id: p.step for p in run.points}),
    }  # fmt: skip


def _as_found(found: AsFound, steps: Mapping[uuid.UUID, str]) -> dict[str, Any]:
    return {
        "came": str(found.came),
        "why": str(word(found.why)),
        "before": found.before and str(found.before.id),
        "points": [
            {
                "step": steps[key],
                "before": _off(p.before),
                ("as_left" if p.read_again else "residual"): _off(p.after),
            }
            for key, p in found.points.items()
        ],
    }


def _off(off: Off | None) -> dict[str, Any] | None:
    return (
        None
        if off is None
        else {"value": off.value, "off": off.off.value, "unit": off.off.unit, "level": str(off.level)}
    )


def _of_brumel(past: Past, run: CalibrationRun) -> dict[str, Any]:
    previous = past.previous(run)
    waters = run_facts.waters_of(run)
    return {
        "waters": list(waters) if waters else None,
        "not_ready": run.not_ready or "",
        "despite": run.despite or "",
        "points": [_point(p, run_facts.where(run, p.temperature_c)) for p in run_facts.signed_points(run)],
        "previous": _previous(previous) if previous else None,
    }


def _point(point: CalibrationPoint, at: Conditions) -> dict[str, Any]:
    lot = point.lot
    return {
        "step": point.step,
        "use": point.use,
        "signal": point.signal,
        "signal_unit": point.signal_unit,
        "temperature_c": point.temperature_c,
        "pressure_hpa": None if point.pressure_hpa is None else float(at.pressure_hpa),
        "lot": lot
        and {
            "number": str(lot.id), "label": lot_words.lot_label(lot), "standard": lot.standard, "family": point.family,
            "nominal": point.nominal, "table": lot.value_table, "certificate_u": lot.certificate_u,
        },
        "beside": point.instrument and {"number": str(point.instrument_id), "label": point.instrument.label},
        "target": {"value": point.target, "u": point.target_u, "unit": point.target_unit, "known": point.target_known},
        "acceptance": point.acceptance,
        "settling_words": point.settling_words,
        "settling_s": point.settling_s,
        "first_signal": point.first_signal,
        "left_over": point.left_over,
        "expired_days": point.expired_days,
        "over_open_days": point.over_open_days,
        "deviations": list(point.deviations),
        "deviations_said": point.deviations_said,
        "meter_did": point.meter_did or {},
    }  # fmt: skip


def _previous(run: PreviousRun) -> dict[str, Any]:
    response = run.response
    return {
        "age_days": run.age_days,
        "tended": run.tended,
        "temperature_c": response.temperature_c,
        "coefficients": response.by_key,
        "origins": {c.key: str(o) for c, o in zip(response.principle.coefficients, response.origins, strict=True)},
        "covariance": [list(row) for row in response.covariance],
        "bottles": sorted(run.bottles),
    }


def _of_meter(run: CalibrationRun) -> dict[str, Any]:
    return {
        "points": [
            {
                "check": p.check.key, "label": p.label, "before": p.before, "after": p.after,
                "temperature_c": p.temperature_c,
                "target": {"value": p.target, "u": p.target_u, "known": p.target_known},
                "expired_days": p.expired_days, "over_open_days": p.over_open_days,
            }
            for p in points_of(run)
        ],
        "reported": {c.key: c.value for c in run.coefficients},
    }  # fmt: skip
