"""A calibration from its method as frozen and its points: the response and the findings."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from brumel.core.calibrating.check_back import moved_at, moved_findings
from brumel.core.calibrating.procedure import steps_of
from brumel.core.calibrating.run_verdict import judge_run
from brumel.core.findings import Despite, Finding, Level
from brumel.core.place.surroundings import Surroundings, read_place
from brumel.core.said import says
from brumel.core.sensing.fit import Weights, fit
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.principles import principle
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import Came, JudgedPoint, PreviousRun, Run, Use
from brumel.core.sensing.tolerances import Tolerances

if TYPE_CHECKING:
    from brumel.core.rules import Rules


def principle_of(frozen: Mapping[str, Any]) -> Principle:
    """Return the sensing principle of a method as it was frozen into a run, for the kind of its probe."""
    return principle(frozen["principle"]).with_usual(frozen.get("usual", {}))


def read_method(frozen: Mapping[str, Any]) -> None:
    """Read a frozen method as those do who judge by it; raises whatever it brings about where it can't be read."""
    if frozen.get("principle"):
        principle_of(frozen)
        steps_of(frozen)
        Weights(frozen["weights"])
        Tolerances.of(frozen["tolerances"])
    read_place(frozen.get("conditions") or {})


def judge(
    frozen: Mapping[str, Any], points: Sequence[JudgedPoint], previous: PreviousRun | None,
    waters: tuple[float, float] | None = None, despite: Despite | None = None, *, rules: Rules,
) -> tuple[Response | None, list[Finding]]:  # fmt: skip
    """The response through the points and its findings, by the method frozen; no response before a point tells one.

    Parameters
    ----------
    frozen
        Method, tolerances and usual coefficients, as a run keeps them.
    points
        In the order done.
    previous
        The probe's last full run.
    rules
        For what a run does not freeze.
    """
    own, every = principle_of(frozen), points
    points = [p for p in every if p.came is not Came.AS_IT_CAME]  # what it brought along says nothing of its fitness
    adjusted = [p.point for p in points if p.use is Use.ADJUST]
    if not points or (not adjusted and any(s.adjusts for s in steps_of(frozen))):
        return None, []
    prior = previous.response if previous else None
    response = fit(own, adjusted, prior or (None if adjusted else Response.usual(own)), Weights(frozen["weights"]))
    if not _reads(response, points):
        return None, [_no_response(points, own)]
    tolerances = Tolerances.of(frozen["tolerances"])
    reach = frozen.get("reach")
    run = Run(
        tuple(points),
        response,
        tolerances,
        previous,
        waters,
        despite or Despite(),
        (reach[0], reach[1]) if reach else None,
        Surroundings.of(frozen.get("conditions")),
        tuple(frozen.get("out_of_order", ())),
        frozen.get("leaves_open", ""),
        rules.deviations,
    )
    moved = moved_at(every, response, previous)
    return response, [*judge_run(run), *moved_findings(moved, response, tolerances)]


def _reads(response: Response, points: Sequence[JudgedPoint]) -> bool:
    """Say whether each point can be read through it: not where a probe gave the same everywhere, or nothing."""
    values = [float(response.value(p.point.signal, p.point.at)) for p in points]
    silent = response.by_a_factor and any(p.use is Use.ADJUST and p.point.signal <= 0 < p.point.value for p in points)
    return not (silent or response.tells_nothing) and all(map(math.isfinite, values))


def _no_response(points: Sequence[JudgedPoint], own: Principle) -> Finding:
    each = (says("no-response.each", signal=own.signal_amount(p.point.signal), at=p.label) for p in points)
    return Finding("no-response", Level.UNFIT, says("no-response", each=tuple(each)), says("no-response.then"), 5)
