"""A calibration as an open file: JSON with a version, judged by the same functions as a run that is stored.

``docs/formats.md`` describes it; ``calibration.schema.json`` beside this module is its JSON Schema.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from brumel.core.calibrating.file_shape import (
    BY_METER,
    FORMAT,
    VERSION,
    bottle_in,
    faults,
    frozen_of,
    kept_by_meter,
    waters_of,
)
from brumel.core.calibrating.judging import judge, principle_of
from brumel.core.calibrating.meter_run import KeptPoint, judge_kept
from brumel.core.calibrating.procedure import Step, StepKind, steps_of
from brumel.core.errors import CoreError
from brumel.core.findings import Acceptance, Despite, Finding, verdict
from brumel.core.kit.kinds import Check
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.quantity import quantity
from brumel.core.record.shapes import UNREADABLE
from brumel.core.said import as_value
from brumel.core.sensing.fit import Point
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.response import Origin, Response
from brumel.core.sensing.run import JudgedPoint, PreviousRun, Use
from brumel.core.standards.targets import Target, target
from brumel.core.words.kept_findings import plain_finding

if TYPE_CHECKING:
    from brumel.core.rules import Rules

_NAMED = 10
"""So many faults are named; the others are counted."""


class WrongFile(CoreError):
    """A file that can't be judged: one sentence that names each wrong field and what it should be."""


def judge_file(data: Any, rules: Rules) -> dict[str, Any]:
    """Judge a calibration from its file.

    Returns
    -------
    Level, coefficients with their uncertainty, residuals and findings, fit for JSON.

    Raises
    ------
    WrongFile
        With one sentence that names each field that is wrong.
    """
    if wrong := [*faults(data, rules)]:
        more = f"; and {len(wrong) - _NAMED} more" if len(wrong) > _NAMED else ""
        raise WrongFile(f"{'; '.join(wrong[:_NAMED])}{more}.")
    try:
        answer = (_by_meter if data.get("kept_by") == BY_METER else _by_brumel)(data, rules)
        json.dumps(answer, allow_nan=False)
    except WrongFile:
        raise
    except UNREADABLE as error:
        raise WrongFile(f"method or lot can't be read: {error}") from error
    return answer


def _by_brumel(data: Mapping[str, Any], rules: Rules) -> dict[str, Any]:
    frozen = frozen_of(data, rules)
    own, steps = principle_of(frozen), {s.key: s for s in steps_of(frozen)}
    reference = data["probe"].get("reference", "")
    points = [_point(p, own, steps[p["step"]], reference) for p in data["points"]]
    despite = Despite(data.get("not_ready", ""), data.get("despite", ""))
    before = _previous(data.get("previous"), own)
    response, findings = judge(frozen, points, before, waters_of(data), despite, rules=rules)
    if response is None and findings:
        return {**_answer(findings), "coefficients": [], "residuals": []}
    if response is None:
        raise WrongFile("points must hold at least one that the response is adjusted to.")
    offs = (float(response.value(p.point.signal, p.point.at)) - p.point.value for p in points)
    return {
        **_answer(findings),
        "coefficients": [
            {"key": c.key, "name": c.name, "value": response[c.key], "u": response.u(c.key), "unit": c.unit,
             "origin": str(response.origin(c.key))}
            for c in own.coefficients
        ],
        "residuals": [
            {"point": p.label, "target": p.point.value, "off": off, "unit": quantity(own.quantity).unit}
            for p, off in zip(points, offs, strict=True)
        ],
    }  # fmt: skip


def _point(given: Mapping[str, Any], own: Principle, step: Step, reference: str) -> JudgedPoint:
    where = Conditions(float(given["temperature_c"]), reference)
    if own.needs_pressure:
        where = replace(where, pressure_hpa=float(given["pressure_hpa"]))
    signal, lot = float(given["signal"]), given.get("lot") or {}
    aim = _target(given, step, where)
    label = lot.get("label", "") if lot else step.label
    u_signal = math.hypot(float(own.u_of(signal)), given.get("left_over") or 0.0, step.beside_u)
    bottle = (lot or given.get("beside") or {}).get("number") or label or step.key
    return JudgedPoint(
        label=label or f"the {step.key} standard",
        point=Point(aim.value, signal, where, aim.u, u_signal, bottle),
        nominal=lot.get("nominal"),
        family=lot.get("family", ""),
        use=Use(given.get("use", step.use)),
        target_known=aim.known,
        acceptance=Acceptance(given.get("acceptance", Acceptance.BY_EYE)),
        settling=given.get("settling_words", ""),
        expired_days=given.get("expired_days") or 0,
        over_open_days=given.get("over_open_days") or 0,
        deviations=tuple(as_value(d) for d in given.get("deviations_said", given.get("deviations", ()))),
        settling_s=given.get("settling_s"),
        first_signal=given.get("first_signal"),
        in_air=step.kind is StepKind.AIR,
        came=step.came,
    )


def _target(given: Mapping[str, Any], step: Step, where: Conditions) -> Target:
    """Return the target as it is given; else what the lot, or the method, says it is at the temperature."""
    if told := given.get("target"):
        return _told(told)
    if lot := given.get("lot"):
        return target(bottle_in(lot), where)
    return step.aim(None, where)


def _told(aim: Mapping[str, Any]) -> Target:
    return Target(float(aim["value"]), float(aim["u"]), aim.get("known", True))


def _previous(last: Mapping[str, Any] | None, own: Principle) -> PreviousRun | None:
    if last is None:
        return None
    origins, covariance = last.get("origins", {}), last.get("covariance")
    read = {c.key: float(last["coefficients"][c.key]) for c in own.coefficients if c.key in last["coefficients"]}
    spread = np.array(Response.usual(own).covariance if covariance is None else covariance, dtype=float)
    told = {c.key: Origin(origins.get(c.key, Origin.FIXED if c.fixed else Origin.FITTED)) for c in own.coefficients
            if c.key in read or c.key in origins}  # fmt: skip
    response = Response.known(own, read, spread, told, last.get("temperature_c"))
    bottles = frozenset(last.get("bottles", ()))
    return PreviousRun(response, float(last["age_days"]), last.get("tended", ""), bottles)


def _by_meter(data: Mapping[str, Any], rules: Rules) -> dict[str, Any]:
    """Judge a calibration that a meter keeps: what it showed in its standards, and what it reports."""
    checks, reports = kept_by_meter(data, rules)
    points = [_kept_point(p, checks[p["check"]]) for p in data.get("points") or ()]
    reported = data.get("reported") or {}
    told = [(key, report, float(reported[key])) for key, report in reports.items() if key in reported]
    return {
        **_answer(judge_kept(points, [(report, value) for _, report, value in told])),
        "coefficients": [
            {"key": key, "name": r.name, "value": value, "u": None, "unit": r.unit, "origin": str(Origin.REPORTED)}
            for key, r, value in told
        ],
        "residuals": [
            {"point": p.label, "target": p.target, "off": p.off(p.shown), "unit": quantity(p.check.quantity).unit}
            for p in points if p.shown is not None
        ],
    }  # fmt: skip


def _kept_point(given: Mapping[str, Any], check: Check) -> KeptPoint:
    aim = _told({"u": 0.0} | given["target"])
    return KeptPoint(
        check,
        given.get("label", check.name.lower()),
        aim.value,
        aim.known,
        given.get("before"),
        given.get("after"),
        given.get("expired_days") or 0,
        given.get("over_open_days") or 0,
        aim.u,
        given.get("temperature_c"),
    )


def _answer(findings: Sequence[Finding]) -> dict[str, Any]:
    return {
        "format": f"{FORMAT}-verdict",
        "version": VERSION,
        "level": str(verdict(findings)),
        "findings": [plain_finding(f) for f in findings],
    }
