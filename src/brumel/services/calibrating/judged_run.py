"""From stored points to those that the core judges."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from brumel.core.calibrating.judging import principle_of
from brumel.core.calibrating.procedure import Step, StepKind, steps_of
from brumel.core.findings import Acceptance
from brumel.core.place.conditions import Conditions
from brumel.core.sensing.fit import Point
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import CupLook, JudgedPoint, Use, look_at_signal
from brumel.services.probes.run_facts import tolerances_of, where
from brumel.services.said import deviations_of, settling_of
from brumel.services.shelf.lot_words import aim_of, lot_label
from brumel.store.models.calibration import (
    CalibrationPoint,
    CalibrationRun,
)
from brumel.store.models.reference import Lot


@dataclass(frozen=True)
class Cup:
    """A standard of a run as it stands on the table: its step, its lot, what it is called."""

    step: Step
    lot: Lot
    label: str


def cup_look(
    run: CalibrationRun, signal: float, at: Conditions, target: float, response: Response, others: Iterable[Cup]
) -> CupLook:
    """Compare a signal with what its standard must give, and with what the others of the run would."""
    tolerances = tolerances_of(run)
    values = [(f"the {c.step.role} {tolerances.standard}, {c.label}", aim_of(c.step, c.lot, at).value) for c in others]
    return look_at_signal(signal, at, target, response, tolerances, values)


def judged_point(point: CalibrationPoint, own: Principle, at: Conditions, step: Step) -> JudgedPoint:
    """Return a stored point with a signal as the verdict sees it."""
    assert point.signal is not None
    return JudgedPoint(
        label=lot_label(point.lot) if point.lot and not step.label else step.label,
        point=Point(
            point.target,
            point.signal,
            at,
            point.target_u,
            math.hypot(own.u_of(point.signal), point.left_over or 0.0, step.beside_u),
            bottle=str(point.instrument_id or point.lot_id or point.step),
        ),
        nominal=point.nominal,
        family=point.family,
        use=Use(point.use),
        target_known=point.target_known,
        acceptance=Acceptance(point.acceptance),
        settling=settling_of(point),
        expired_days=point.expired_days,
        over_open_days=point.over_open_days,
        deviations=deviations_of(point),
        settling_s=point.settling_s,
        first_signal=point.first_signal,
        in_air=step.kind is StepKind.AIR,
        came=step.came,
    )


def judged_points(run: CalibrationRun, points: Iterable[CalibrationPoint]) -> tuple[JudgedPoint, ...]:
    """Stored points of a run as the verdict sees them."""
    own, steps = principle_of(run.method), {s.key: s for s in steps_of(run.method)}
    return tuple(judged_point(p, own, where(run, p.temperature_c), steps[p.step]) for p in points)
