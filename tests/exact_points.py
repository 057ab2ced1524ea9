"""Points that lie exactly where the usual response of a bench's kind has them, and one of them moved."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from brumel.core.calibrating.judging import principle_of
from brumel.core.calibrating.procedure import StepKind, steps_of
from brumel.core.place.conditions import Conditions
from brumel.core.sensing.fit import Point
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import JudgedPoint
from brumel.core.shipped_rules import shipped
from brumel.core.standards.targets import Target
from tests.simulated_bench import KINDS, Kind, frozen_for

Points = list[JudgedPoint]
AT = Conditions(22.0, "ag-agcl-3m", 1004.0, conductivity_us_cm=600.0, u_conductivity=6.0)


def exact(kind: Kind, code: str) -> tuple[dict[str, Any], Response, Points] | None:
    """A method as frozen, the usual response, and points that lie on it; None where a step takes another's bottle."""
    frozen = frozen_for(kind, code)
    response, points = Response.usual(principle_of(frozen)), []
    for step in steps_of(frozen):
        if not step.kind.has_point:
            continue
        bottle = kind.bottles.get(step.role)
        if step.role and bottle is None:
            return None
        at = replace(AT, temperature_c=25.0) if step.kind is StepKind.ZERO else AT
        aim = Target(step.target or 0.0, 0.02, known=True) if step.kind is StepKind.COMPARE else step.aim(bottle, at)
        signal = float(response.signal(aim.value, at))
        point = Point(aim.value, signal, at, aim.u, float(response.principle.u_of(signal)), str(bottle or step.key))
        nominal, family = (bottle.nominal, bottle.family) if bottle else (None, "")
        points.append(JudgedPoint(
            step.key, point, nominal, family, step.use, settling_s=60.0, first_signal=signal * 1.3 + 5.0,
            in_air=step.kind is StepKind.AIR,
        ))  # fmt: skip
    return frozen, response, points


def every_method() -> Iterator[tuple[str, dict[str, Any], Response, Points]]:
    """Each method of each of the bench's kinds, as :func:`exact` has it, by its code."""
    for kind in KINDS.values():
        own = frozen_for(kind, kind.methods[0])["principle"]
        for code in (m.code for m in shipped().procedures.values() if m.principle == own):
            if (found := exact(kind, code)) is not None:
                yield code, *found


def fullest_methods() -> Iterator[tuple[str, dict[str, Any], Response, Points]]:
    """Of each principle the procedure with most points, the first of them; what checks back has each point twice."""
    fullest: dict[str, tuple[str, dict[str, Any], Response, Points]] = {}
    for found in every_method():
        principle = found[1]["principle"]
        if shipped().procedures[found[0]].checks_back:
            continue
        if principle not in fullest or len(found[3]) > len(fullest[principle][3]):
            fullest[principle] = found
    yield from fullest.values()


def with_signal(one: JudgedPoint, signal: float) -> JudgedPoint:
    """A point, had it given another signal."""
    return replace(one, point=replace(one.point, signal=signal))


def warmed(points: Points, number: int, by_c: float) -> Points:
    """One signal as it was, said to have been taken so much warmer."""
    found = list(points)
    one = found[number]
    at = replace(one.point.at, temperature_c=one.temperature_c + by_c)
    found[number] = replace(one, point=replace(one.point, at=at))
    return found


def moved(points: Points, number: int, by: float) -> Points:
    """One signal off by a share of itself, or, where it is near nothing, by as many tenths."""
    found = list(points)
    one = found[number]
    signal = one.point.signal
    signal = signal * (1.0 + by) if abs(signal) > 5 else signal + 20 * by
    found[number] = with_signal(one, signal)
    return found
