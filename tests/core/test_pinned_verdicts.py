"""Where a verdict changes: for each method, how far one thing must be off until another finding stands first.

Every method that ships is tried on points that lie exactly where the kind's usual response has them; then one thing is
moved from little to much, and it is pinned where the findings change. Whoever moves a limit or a sign sees it here.
Figures of this tool, 27 November 2026; ``PYTHONPATH=src:. .venv/bin/python -m tests.core.test_pinned_verdicts`` writes
them anew.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
from tests.changes import changes
from tests.simulated_bench import KINDS, Kind, frozen_for

from brumel.core.calibrating.judging import judge, principle_of
from brumel.core.calibrating.methods import StepKind, methods, steps_of
from brumel.core.calibrating.run import JudgedPoint, PreviousRun
from brumel.core.findings import Level
from brumel.core.sensing.fit import Point
from brumel.core.sensing.principle import Conditions
from brumel.core.sensing.response import Response
from brumel.core.standards.targets import Target

PINNED = Path(__file__).with_name("pinned_verdicts.txt")
Points = list[JudgedPoint]
AMOUNTS = [float(by) for by in np.geomspace(0.001, 4.0, 13)]
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


def moved(points: Points, number: int, by: float) -> Points:
    """One signal off by a share of itself, or, where it is near nothing, by as many tenths."""
    found = list(points)
    one = found[number]
    signal = one.point.signal
    signal = signal * (1.0 + by) if abs(signal) > 5 else signal + 20 * by
    found[number] = replace(one, point=replace(one.point, signal=signal))
    return found


def warmed(points: Points, number: int, by: float) -> Points:
    """One signal as it was, said to have been taken so much warmer: up to 40 °C."""
    found = list(points)
    one = found[number]
    at = replace(one.point.at, temperature_c=one.point.at.temperature_c + 10.0 * by)
    found[number] = replace(one, point=replace(one.point, at=at))
    return found


def slower(points: Points, number: int, by: float) -> Points:
    """One point that took longer: up to an hour."""
    found = list(points)
    found[number] = replace(found[number], settling_s=900.0 * by)
    return found


def older(points: Points, number: int, by: float) -> Points:
    """One lot that is past its days: up to four hundred."""
    found = list(points)
    found[number] = replace(found[number], over_open_days=round(100 * by))
    return found


def together(points: Points, number: int, by: float) -> Points:
    """Every signal moved by as much: up to 40 of its unit."""
    return [replace(p, point=replace(p.point, signal=p.point.signal + 10.0 * by)) for p in points]


HOW: dict[str, Callable[[Points, int, float], Points]] = {
    "higher": moved, "lower": lambda points, number, by: moved(points, number, -by / 4.0),
    "warmer": warmed, "cooler": lambda points, number, by: warmed(points, number, -by / 4.0),
}  # fmt: skip
ONCE: dict[str, Callable[[Points, int, float], Points]] = {"slower": slower, "older": older}
"""What is tried without a run before only."""


TOGETHER: dict[str, Callable[[Points, int, float], Points]] = {
    "all up": together, "all down": lambda points, number, by: together(points, number, -by),
}  # fmt: skip


def said(frozen: dict[str, Any], points: Points, previous: PreviousRun | None) -> str:
    """What is not sound, in order, with the minutes that mending takes."""
    _, findings = judge(frozen, points, previous)
    said = (f"{f.level} {f.code} {f.minutes}" for f in findings if f.level is not Level.SOUND or f.minutes)
    return ", ".join(said) or "sound"


def verdicts() -> Iterator[str]:
    """All of them, a line each."""
    for kind in KINDS.values():
        own = frozen_for(kind, kind.methods[0])["principle"]
        for code in (m.code for m in methods().values() if m.principle == own):
            if (found := exact(kind, code)) is None:
                continue
            frozen, response, points = found
            for before, tried in ((None, HOW | ONCE), (PreviousRun(response, 3.0), HOW)):
                each = [(how, change, n) for (how, change), n in product(tried.items(), range(len(points)))]
                for how, change, n in [*each, *((how, change, 0) for how, change in TOGETHER.items())]:
                    told = changes(lambda by: said(frozen, change(points, n, by), before), AMOUNTS)  # noqa: B023
                    yield f"{code}{' after one' if before else ''} | {points[n].label} {how} | {'; '.join(told)}"


def test_every_verdict_changes_where_it_did() -> None:
    assert "\n".join(verdicts()).splitlines() == PINNED.read_text(encoding="utf-8").splitlines()


if __name__ == "__main__":
    PINNED.write_text("\n".join(verdicts()) + "\n", encoding="utf-8")
