"""A calibration in the ledger's tables: a line a point, and nested."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from brumel.core.calibrating.as_found import Off
from brumel.services.calibrating.as_found import AsFound
from brumel.services.ledger.written import finding_record, rounded
from brumel.services.probes import run_facts
from brumel.store.models.calibration import CalibrationCoefficient, CalibrationPoint, CalibrationRun


@dataclass(frozen=True)
class Listed:
    """A calibration in a list, and what it found before anything was adjusted; None before it is signed."""

    run: CalibrationRun
    as_found: AsFound | None


def status_of(run: CalibrationRun) -> str:
    """Open, given up, withdrawn, or the verdict."""
    if run.signature is None:
        return "open" if run.abandonment is None else "given up"
    return "withdrawn" if any(a.kind == "withdrawal" for a in run.amendments) else run.signature.level


def _signed(run: CalibrationRun, name: str) -> Any:
    return getattr(run.signature, name) if run.signature else None


_Column = Callable[[CalibrationRun, CalibrationPoint | None, AsFound | None], Any]

COLUMNS: dict[str, _Column] = {
    "calibration_id": lambda run, p, f: run.id,
    "started_at": lambda run, p, f: run.started_at,
    "probe": lambda run, p, f: run.probe.label,
    "probe_serial": lambda run, p, f: run.probe.serial,
    "begun_by": lambda run, p, f: run.person.name,
    "method": lambda run, p, f: f"{run.method_code} v{run.method['version']}",
    "status": lambda run, p, f: status_of(run),
    "signed_at": lambda run, p, f: _signed(run, "signed_at"),
    "signed_by": lambda run, p, f: run.signature.person.name if run.signature else None,
    "kept_by": lambda run, p, f: run.kept_by,
    "reference": lambda run, p, f: run.reference,
    "coefficients": lambda run, p, f: "; ".join(map(_coefficient_words, run.coefficients)),
    "findings": lambda run, p, f: " ".join(f"{x.level} {x.code};" for x in run.findings if x.level != "sound"),
    "came": lambda run, p, f: f and str(f.came),
    "found_by": lambda run, p, f: f and f.before and f.before.id,
    "step": lambda run, p, f: p and p.step,
    "use": lambda run, p, f: p and p.use,
    "superseded": lambda run, p, f: p and p not in run_facts.standing_points(run),
    "taken_at": lambda run, p, f: p and p.taken_at,
    "source": lambda run, p, f: p and p.source,
    "lot": lambda run, p, f: p and p.lot and p.lot.lot_number,
    "beside": lambda run, p, f: p and p.instrument and p.instrument.label,
    "family": lambda run, p, f: p and p.family,
    "nominal": lambda run, p, f: p and p.nominal,
    "target": lambda run, p, f: p and rounded(p.target, 3),
    "target_u": lambda run, p, f: p and rounded(p.target_u, 4),
    "target_unit": lambda run, p, f: p and p.target_unit,
    "signal": lambda run, p, f: p and rounded(p.signal, 2),
    "signal_unit": lambda run, p, f: p and p.signal_unit,
    "shown_before": lambda run, p, f: p and p.shown_before,
    "shown_after": lambda run, p, f: p and p.shown_after,
    "temperature_c": lambda run, p, f: p and rounded(p.temperature_c, 2),
    "pressure_hpa": lambda run, p, f: p and rounded(p.pressure_hpa, 1),
    "settled": lambda run, p, f: p and p.acceptance,
    "settling_s": lambda run, p, f: p and rounded(p.settling_s, 1),
    "deviations": lambda run, p, f: p and "; ".join(p.deviations),
    "as_found": lambda run, p, f: _off(p, f, "before", "value"),
    "as_found_off": lambda run, p, f: _off(p, f, "before", "off"),
    "as_left_off": lambda run, p, f: _off(p, f, "after", "off", read_again=True),
    "residual": lambda run, p, f: _off(p, f, "after", "off", read_again=False),
    "off_unit": lambda run, p, f: _off(p, f, "before", "unit") or _off(p, f, "after", "unit"),
}


def _off(
    point: CalibrationPoint | None, found: AsFound | None, when: str, what: str, *, read_again: bool | None = None
) -> Any:
    """Return what a point was off ``before`` or ``after`` adjusting: the value, how far, or in which unit."""
    at = found.points.get(point.id) if found and point else None
    if at is None or read_again not in (None, at.read_again):
        return None
    off: Off | None = getattr(at, when)
    return off and {"value": rounded(off.value, 4), "off": rounded(off.off.value, 4), "unit": off.off.unit}[what]


def _coefficient_words(c: CalibrationCoefficient) -> str:
    u = "" if c.u is None else f", u {c.u:.3f}"
    return f"{c.key} {c.value:.2f} {c.unit} ({c.origin}{u})"


def run_record(run: CalibrationRun, found: AsFound | None) -> dict[str, Any]:
    """Return a calibration with its points and findings, nested."""
    record = {k: column(run, None, found) for k, column in COLUMNS.items() if k not in _POINT_COLUMNS}
    record["method"] = run.method
    record["coefficients"] = [
        {"key": c.key, "value": c.value, "u": c.u, "unit": c.unit, "origin": c.origin} for c in run.coefficients
    ]
    record["findings"] = [finding_record(f) for f in run.findings]
    record["points"] = [{k: COLUMNS[k](run, p, found) for k in _POINT_COLUMNS} for p in run.points]
    record["amendments"] = [{"at": a.at, "kind": a.kind, "reason": a.reason} for a in run.amendments]
    return record


_POINT_COLUMNS = tuple(COLUMNS)[tuple(COLUMNS).index("step") :]
