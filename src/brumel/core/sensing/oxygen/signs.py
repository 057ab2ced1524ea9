"""What a probe of oxygen shows: a wrong pressure, dry air, spent sulfite, a bad membrane, no warm-up, no flow."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from brumel.core.findings import Acceptance, Bounds, Finding, Level, beyond
from brumel.core.place.station_pressure import pressure_findings
from brumel.core.quantities.oxygen import saturation_mg_l, vapour_pressure_hpa
from brumel.core.said import Amount, Named, says
from brumel.core.sensing.oxygen.shared import WITHOUT_PERCENT
from brumel.core.sensing.response import LINE, Response
from brumel.core.sensing.run import JudgedPoint, Run
from brumel.core.sensing.shows import Signs

_ZERO_MG_L = Bounds.around_zero(0.1, 0.3)
_NEWS = 0.015
"""A gain that changed by less is what air, barometer and membrane do from day to day (common practice)."""
_SURE = 1.2
"""So many standard uncertainties of the last run's line: less than one healthy run in a hundred lies beyond."""
_DRYEST = 1.35
"""Dry air, and a thermometer beside it, make no more than this share of what the missing moisture is."""
_RECENT_DAYS = 8.0
_HIGH, _LOW = 0.12, 0.12


@dataclass(frozen=True)
class _Sensor:
    """Names what senses; the catalogue words its wear, and why it shows more or less than a new probe's zero."""

    key: str
    worn_minutes: int
    polarises: bool


_SENSORS = {s.key: s for s in (_Sensor("membrane", 100, polarises=True), _Sensor("luminescence", 70, polarises=False))}


def oxygen_causes(run: Run) -> Iterator[Finding]:
    """Yield the pressure first, for every point leans on it; then what each point shows."""
    sensor, known = _SENSORS[run.response.principle.key], _known(run)
    yield from pressure_findings(run.place.pressure, run.tolerances.redo_minutes)
    zeros = [(p, _above_zero(run, p)) for p in run.points if p.point.value < WITHOUT_PERCENT]
    full = [p for p in run.points if p.point.value >= WITHOUT_PERCENT]
    ratios = [(p, _ratio(known, p)) for p in full] if known else []
    for p, mg_l in reversed(zeros):
        if _ZERO_MG_L.level(mg_l) is not Level.SOUND:
            yield _zero(p, mg_l, max((r for _, r in ratios), key=lambda r: abs(r - 1.0), default=1.0), sensor)
            return
    for p, ratio in ratios:
        found = _dry(run, p, ratio) or _too_high(run, p, ratio, sensor) or _too_low(p, ratio, sensor)
        if found is not None:
            yield found


def oxygen_remarks(run: Run) -> Iterator[Finding]:
    """Air and water far apart in temperature."""
    for p in (p for p in run.points if p.in_air):
        if apart := run.place.apart(p.temperature_c):
            yield Finding("air-and-water-apart", Level.DOUBTFUL, apart, says("air-and-water-apart.then"), 30)
            return


def _known(run: Run) -> Response | None:
    """Return the last full run, unless something was done since that changes the gain."""
    return run.previous.response if run.previous is not None and not run.previous.tended else None


def _ratio(by: Response, p: JudgedPoint) -> float:
    """Say how many times its target a point shows by what is known."""
    return float(by.value(p.point.signal, p.point.at)) / p.point.value


def _above_zero(run: Run, p: JudgedPoint) -> float:
    """Return what a probe shows without oxygen, mg/L, by the gain of this run and the zero of a new one."""
    new = Response.usual(run.response.principle)
    gain = run.response.signal_per_value(100.0, p.point.at)
    shown = (p.point.signal - float(new.signal(0.0, p.point.at))) / float(gain)
    return shown / 100.0 * float(saturation_mg_l(p.temperature_c, p.point.at.pressure_hpa))


def _zero(p: JudgedPoint, mg_l: float, ratio: float, sensor: _Sensor) -> Finding:
    """Return a zero that is not reached; a high one with a changed gain says which of its causes it is."""
    side = "above" if mg_l > 0 else "below"
    off = says(
        "zero-off", at=p.label, by=Amount(abs(mg_l), "mg/L", _ZERO_MG_L.digits(mg_l, 2)), side=Named("side", side),
        sound=Amount(_ZERO_MG_L.sound_high, "mg/L"),
    )  # fmt: skip
    if mg_l > 0 and sensor.polarises and beyond(abs(ratio - 1.0), _HIGH):
        code = "membrane-torn" if ratio > 1 else "electrolyte-spent"
        changed = says("zero-and-gain", off=off, gain=_percent(ratio, 0), what=says(code))
        return Finding(code, Level.UNFIT, changed, says(f"{sensor.key}.worn.then"), sensor.worn_minutes)
    why = says("zero-not-reached", off=off, why=says(f"{sensor.key}.{side}"))
    return Finding("zero-not-reached", _ZERO_MG_L.level(mg_l), why, says(f"{sensor.key}.{side}.then"), 10)


def _percent(ratio: float, digits: int) -> Amount:
    """By how much a ratio is more than one, or less."""
    return Amount((ratio - 1) * 100, "%", digits, plus=True)


def _dry(run: Run, p: JudgedPoint, ratio: float) -> Finding | None:
    """Air without moisture has more oxygen than saturated air."""
    if not p.in_air or run.previous is None or run.previous.age_days > _RECENT_DAYS:
        return None
    vapour = float(vapour_pressure_hpa(p.temperature_c))
    missing = vapour / (float(p.point.at.pressure_hpa) - vapour)
    known = run.previous.response.budget(p.point.signal, p.point.at, age_days=run.previous.age_days)
    # A file may say nothing of how well the last run knew its gain: a full one knows it within a percent.
    shares = [min(abs(c.share), 0.01 * p.point.value) if c.key == LINE else c.share for c in known.contributions]
    usual = _SURE * math.hypot(*shares) / p.point.value
    if not max(_NEWS, usual, 0.6 * missing) <= ratio - 1.0 <= _DRYEST * missing:
        return None
    return Finding(
        "air-not-saturated",
        Level.DOUBTFUL,
        says(
            "air-not-saturated",
            at=p.label,
            more=_percent(ratio, 1),
            missing=_percent(1 + missing, 1),
            warm=Amount(p.temperature_c, "°C", 1),
        ),
        says("air-not-saturated.then"),
        10,
    )


def _too_high(run: Run, p: JudgedPoint, ratio: float, sensor: _Sensor) -> Finding | None:
    if not (beyond(ratio - 1.0, _HIGH) and sensor.polarises):
        return None
    sure = bool(run.despite.why_not) or p.acceptance is Acceptance.UNSETTLED
    return Finding(
        "not-warmed-up",
        Level.UNFIT if sure else Level.DOUBTFUL,
        says("not-warmed-up", at=p.label, more=_percent(ratio, 0)),
        says("not-warmed-up.then"),
        90,
    )


def _too_low(p: JudgedPoint, ratio: float, sensor: _Sensor) -> Finding | None:
    if not beyond(1.0 - ratio, _LOW):
        return None
    off = _percent(ratio, 0)
    if sensor.polarises and not p.in_air:
        return Finding(
            "no-movement",
            Level.DOUBTFUL,
            says("no-movement.point", at=p.label, off=off),
            says("no-movement.point.then"),
            3,
        )
    worn = says("sensor-worn", at=p.label, off=off, why=says(f"{sensor.key}.worn"))
    return Finding("sensor-worn", Level.DOUBTFUL, worn, says(f"{sensor.key}.worn.then"), sensor.worn_minutes)


SIGNS = Signs(oxygen_causes, oxygen_remarks)
