"""A calibration as an open file: JSON with a version, judged by the same functions as a run that is stored.

``docs/formats.md`` describes it; ``calibration.schema.json`` beside this module is its JSON Schema.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any

import numpy as np

from brumel.core.calibrating.judging import judge, principle_of
from brumel.core.calibrating.kept import KeptPoint, checks_of, judge_kept, reports_of
from brumel.core.calibrating.methods import Step, StepKind, Use, method, methods, rinses, steps_of
from brumel.core.calibrating.run import JudgedPoint, PreviousRun
from brumel.core.errors import CoreError
from brumel.core.findings import Acceptance, Despite, Finding, verdict
from brumel.core.kit.kinds import Check, probe_kinds
from brumel.core.kit.shelf import standards
from brumel.core.quantities.ph import TEMPERATURE_RANGE_C
from brumel.core.quantities.quantity import quantity
from brumel.core.quantities.redox import REFERENCES
from brumel.core.reading.pressure import STATION_HPA, wrong_with
from brumel.core.reading.surroundings import Surroundings
from brumel.core.sensing.fit import Point
from brumel.core.sensing.principle import Conditions, Principle
from brumel.core.sensing.response import Origin, Response
from brumel.core.standards.targets import Target, bottle_of, check_bottle, target
from brumel.core.wording import plain_number

FORMAT, VERSION = "brumel-calibration", 1
_MOST = 1e300
_UNREADABLE = (CoreError, ArithmeticError, AttributeError, LookupError, RecursionError, TypeError, ValueError)
"""What a method that somebody wrote whole can bring about: it may hold anything."""
_BY_BRUMEL, _BY_METER = "brumel", "meter"


class WrongFile(CoreError):
    """A file that can't be judged: one sentence that names the field and what it should be."""


class _At:
    """A place in the file: reads its fields, and names them where they are wrong."""

    def __init__(self, data: Any, where: str = "") -> None:
        if not isinstance(data, Mapping):
            raise WrongFile(f"{where or 'The file'} must be an object; {_shown(data)} is not.")
        self._data, self._where = data, where

    def name(self, field: str) -> str:
        return f"{self._where}.{field}" if self._where else field

    def wrong(self, field: str, should: str) -> WrongFile:
        there = f"{_shown(self._data[field])} is not" if field in self._data else "it is missing"
        return WrongFile(f"{self.name(field)} must be {should}; {there}.")

    def has(self, field: str) -> bool:
        return self._data.get(field) is not None

    def plain(self, field: str, otherwise: Any = None) -> Any:
        return self._data.get(field, otherwise)

    def text(self, field: str, otherwise: str | None = None) -> str:
        found = self._data.get(field, otherwise)
        if not isinstance(found, str):
            raise self.wrong(field, "text")
        return found

    def one_of(self, field: str, known: Sequence[str], otherwise: str | None = None) -> str:
        found = self._data.get(field, otherwise)
        if found not in known:
            raise self.wrong(field, f"one of {', '.join(known)}")
        return str(found)

    def number(self, field: str, low: float = -1e12, high: float = 1e12, otherwise: float | None = None) -> float:
        found = self._data.get(field)
        if found is None and otherwise is not None:
            return otherwise
        if isinstance(found, bool) or not isinstance(found, int | float) or not low <= found <= high:
            raise self.wrong(field, f"a number from {plain_number(low)} to {plain_number(high)}")
        return float(found)

    def maybe(self, field: str) -> float | None:
        return self.number(field) if self.has(field) else None

    def flag(self, field: str, otherwise: bool) -> bool:
        found = self._data.get(field, otherwise)
        if not isinstance(found, bool):
            raise self.wrong(field, "true or false")
        return found

    def whole(self, field: str) -> int:
        return int(self.number(field, 0, 1e6, 0.0))

    def texts(self, field: str) -> tuple[str, ...]:
        found = self._data.get(field, [])
        if not isinstance(found, Sequence) or isinstance(found, str) or not all(isinstance(f, str) for f in found):
            raise self.wrong(field, "a list of texts")
        return tuple(found)

    def pair(self, field: str) -> tuple[float, float] | None:
        found = self._data.get(field)
        if found is None:
            return None
        if not _numbers(found) or len(found) != 2 or found[0] > found[1]:
            raise self.wrong(field, "two numbers, the lower first")
        return float(found[0]), float(found[1])

    def within(self, field: str) -> _At:
        if field not in self._data:
            raise self.wrong(field, "an object")
        return _At(self._data[field], self.name(field))

    def all(self, field: str) -> list[_At]:
        found = self._data.get(field)
        if not isinstance(found, list) or not found:
            raise self.wrong(field, "a list of at least one")
        return [_At(entry, f"{self.name(field)}[{n}]") for n, entry in enumerate(found)]


def judge_file(data: Any) -> dict[str, Any]:
    """Judge a calibration from its file.

    Returns
    -------
    Level, coefficients with their uncertainty, residuals and findings, fit for JSON.

    Raises
    ------
    WrongFile
        With one sentence that names the first field that is wrong.
    """
    at = _At(data)
    at.one_of("format", [FORMAT])
    if at.plain("version") != VERSION:
        raise at.wrong("version", f"{VERSION}")
    kept_by = at.one_of("kept_by", [_BY_BRUMEL, _BY_METER], _BY_BRUMEL)
    try:
        answer = _by_meter(at) if kept_by == _BY_METER else _by_brumel(at)
        json.dumps(answer, allow_nan=False)
    except WrongFile:
        raise
    except _UNREADABLE as error:
        raise WrongFile(f"method or lot can't be read: {error}") from error
    return answer


def _by_brumel(at: _At) -> dict[str, Any]:
    probe = at.within("probe")
    kind = probe.one_of("kind", [key for key, k in probe_kinds().items() if k.principle])
    reference = probe.one_of("reference", ["", *REFERENCES], "")
    waters = at.pair("waters")
    frozen = _frozen(at, kind, waters)
    own, steps = principle_of(frozen), {s.key: s for s in steps_of(frozen)}
    points = [_point(p, own, steps, reference) for p in at.all("points")]
    despite = Despite(at.text("not_ready", ""), at.text("despite", ""))
    response, findings = judge(frozen, points, _previous(at, own), waters, despite)
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


def _frozen(at: _At, kind: str, waters: tuple[float, float] | None) -> Mapping[str, Any]:
    """The method: whole, as a run froze it, or by its code, as it ships."""
    given = at.plain("method")
    if isinstance(given, Mapping):
        for field in ("principle", "steps", "tolerances", "weights"):
            if field not in given:
                raise WrongFile(f"method.{field} is missing: give the method whole, or by its code.")
        return given
    own = probe_kinds()[kind]
    fitting = [code for code, m in methods().items() if m.principle == own.principle]
    rinse = rinses()[at.one_of("rinse", list(rinses()), next(iter(rinses())))]
    return method(at.one_of("method", fitting)).frozen(
        waters=waters, rinse=rinse, kind=kind, holds_days=own.holds_days or (0.0, 0.0),
        conditions=_conditions(at.plain("conditions", {})),
    )  # fmt: skip


def _conditions(given: Any) -> Mapping[str, Any]:
    """What is said of the place, as a run keeps it; refuses what can't be read."""
    if not isinstance(given, Mapping):
        raise WrongFile(f"conditions must be an object, not {_shown(given)}.")
    place = Surroundings.of(given)
    if place.pressure is not None and (wrong := wrong_with(place.pressure)):
        raise WrongFile(f"conditions.pressure: {next(iter(wrong.values()))}")
    return place.plain


def _point(at: _At, own: Principle, steps: Mapping[str, Step], reference: str) -> JudgedPoint:
    step = steps[at.one_of("step", list(steps))]
    where = Conditions(at.number("temperature_c", *TEMPERATURE_RANGE_C), reference)
    if own.needs_pressure:
        where = replace(where, pressure_hpa=at.number("pressure_hpa", *STATION_HPA))
    signal = at.number("signal", *own.signal_range)
    lot = at.within("lot") if at.has("lot") else None
    aim = _target(at, lot, step, where)
    label = lot.text("label", "") if lot else step.label
    left = at.number("left_over", 0.0, 1e9, 0.0)
    u_signal = math.hypot(float(own.u_of(signal)), left, step.beside_u)
    source = lot or (at.within("beside") if at.has("beside") else None)
    bottle = (source.text("number", "") if source else "") or label or step.key
    return JudgedPoint(
        label=label or f"the {step.key} standard",
        point=Point(aim.value, signal, where, aim.u, u_signal, bottle),
        nominal=lot.maybe("nominal") if lot else None,
        family=lot.text("family", "") if lot else "",
        use=Use(at.one_of("use", list(Use), str(step.use))),
        target_known=aim.known,
        acceptance=Acceptance(at.one_of("acceptance", list(Acceptance), str(Acceptance.BY_EYE))),
        settling_words=at.text("settling_words", ""),
        expired_days=at.whole("expired_days"),
        over_open_days=at.whole("over_open_days"),
        deviations=at.texts("deviations"),
        settling_s=at.maybe("settling_s"),
        first_signal=at.maybe("first_signal"),
        in_air=step.kind is StepKind.AIR,
    )


def _target(at: _At, lot: _At | None, step: Step, where: Conditions) -> Target:
    """As it is given; else what the lot, or the method, says it is at the temperature."""
    if at.has("target"):
        given = at.within("target")
        return Target(given.number("value"), given.number("u", 0.0, 1e12), given.flag("known", otherwise=True))
    if lot is not None:
        standard = lot.one_of("standard", list(standards()))
        nominal = lot.number("nominal") if standards()[standard].needs_value else lot.maybe("nominal")
        bottle = bottle_of(standard, lot.text("family", ""), nominal, lot.plain("table"),
                           lot.maybe("certificate_u"))  # fmt: skip
        check_bottle(bottle)
        return target(bottle, where)
    if step.target is None:
        raise WrongFile(f"{at.name('lot')} is missing: give the point a lot or a target.")
    return Target(step.target, step.target_u, known=True)


def _previous(at: _At, own: Principle) -> PreviousRun | None:
    if not at.has("previous"):
        return None
    last = at.within("previous")
    values, origins = last.within("coefficients"), last.plain("origins", {})
    read = {c.key: values.number(c.key) for c in own.coefficients if values.has(c.key)}
    for c in own.coefficients:
        if c.inverse and read.get(c.key) == 0:
            raise values.wrong(c.key, "a number other than 0")
    covariance, size = last.plain("covariance"), len(own.coefficients)
    if covariance is None:
        covariance = [list(row) for row in Response.usual(own).covariance]
    sizes = {size, len(read)} if list(read) == [c.key for c in own.coefficients[: len(read)]] else {size}
    if (
        not isinstance(covariance, list)
        or len(covariance) not in sizes
        or not all(_numbers(row) and len(row) == len(covariance) for row in covariance)
    ):
        raise last.wrong("covariance", f"{size} rows of {size} numbers")
    told = {c.key: Origin(origins.get(c.key, Origin.FIXED if c.fixed else Origin.FITTED)) for c in own.coefficients
            if c.key in read or c.key in origins}  # fmt: skip
    response = Response.known(own, read, np.array(covariance, dtype=float), told, last.maybe("temperature_c"))
    return PreviousRun(response, last.number("age_days", 0.0, 1e5), last.text("tended", ""))


def _by_meter(at: _At) -> dict[str, Any]:
    """A calibration that a meter keeps: what it showed in its standards, and what it reports."""
    kind = probe_kinds()[at.within("probe").one_of("kind", list(probe_kinds()))]
    given = at.plain("method")
    checks, reports = {c.key: c for c in kind.checks}, {r.key: r for r in kind.reported}
    if isinstance(given, Mapping):
        checks, reports = checks_of(given), reports_of(given)
    points = [_kept_point(p, checks) for p in (at.all("points") if at.has("points") and at.plain("points") else [])]
    reported = at.within("reported") if at.has("reported") else _At({})
    found = judge_kept(points, [(r, reported.number(key)) for key, r in reports.items() if reported.has(key)])
    return {
        **_answer(found),
        "coefficients": [
            {"key": key, "name": r.name, "value": reported.number(key), "u": None, "unit": r.unit,
             "origin": str(Origin.REPORTED)}
            for key, r in reports.items() if reported.has(key)
        ],
        "residuals": [
            {"point": p.label, "target": p.target, "off": p.off(p.shown), "unit": quantity(p.check.quantity).unit}
            for p in points if p.shown is not None
        ],
    }  # fmt: skip


def _kept_point(at: _At, checks: Mapping[str, Check]) -> KeptPoint:
    check = checks[at.one_of("check", list(checks))]
    aim = at.within("target")
    return KeptPoint(
        check,
        at.text("label", check.name.lower()),
        aim.number("value"),
        aim.flag("known", otherwise=True),
        at.maybe("before"),
        at.maybe("after"),
        at.whole("expired_days"),
        at.whole("over_open_days"),
        aim.number("u", 0.0, 1e12),
        at.maybe("temperature_c"),
    )


def _answer(findings: Sequence[Finding]) -> dict[str, Any]:
    return {
        "format": f"{FORMAT}-verdict",
        "version": VERSION,
        "level": str(verdict(findings)),
        "findings": [asdict(f) | {"level": str(f.level)} for f in findings],
    }


def _numbers(found: Any) -> bool:
    return isinstance(found, list | tuple) and all(
        isinstance(v, int | float) and not isinstance(v, bool) and -_MOST <= v <= _MOST for v in found
    )


def _shown(found: Any) -> str:
    text = repr(found)
    return text if len(text) <= 40 else f"{text[:37]}…"
