"""From stored calibrations to the core's responses and judged points."""

from __future__ import annotations

import math
import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

import numpy as np
from sqlalchemy.orm import Session, joinedload

from brumel.core.calibrating.judging import principle_of
from brumel.core.calibrating.methods import Step, StepKind, steps_of
from brumel.core.findings import Acceptance, Bounds, Level
from brumel.core.kit.readiness import CareEvent, ended
from brumel.core.kit.shelf import LotFacts, Pack, standards
from brumel.core.place.conditions import Conditions
from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.quantity import quantity
from brumel.core.reading.verdict import Basis
from brumel.core.said import Value, says
from brumel.core.sensing.fit import Point
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.response import Origin, Response
from brumel.core.sensing.run import CupLook, JudgedPoint, PreviousRun, Use, look_at_signal
from brumel.core.sensing.tolerances import Tolerances
from brumel.core.standards.targets import Bottle, Target, bottle_of
from brumel.core.wording import counted, signed
from brumel.services.kit import upkeep
from brumel.services.said import settling_of, stored_findings
from brumel.store import run_queries
from brumel.store.models.calibration import (
    CalibrationCoefficient,
    CalibrationEntry,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    EntryKind,
    KeptBy,
)
from brumel.store.models.reference import Lot, Probe

_SECONDS_A_DAY = 86400.0
_EVER = datetime.min.replace(tzinfo=UTC)


def tolerances_of(run: CalibrationRun) -> Tolerances:
    """The tolerances that were frozen into a run."""
    return Tolerances.of(run.method["tolerances"])


def bottle(lot: Lot) -> Bottle:
    """What stands on a lot's bottle, with its own table and certificate where it has them."""
    return bottle_of(lot.standard, lot.family, lot.nominal, lot.value_table, lot.certificate_u)


def label_value(lot: Lot) -> str:
    """The value on a lot's label, with the digits that its standard is sold with; empty where there is none."""
    return "" if lot.nominal is None else standards()[lot.standard].value_words(lot.nominal)


def label_words(lot: Lot) -> str:
    """The value on a lot's label as a sentence has it: ``pH 7.00``."""
    return f"{'pH ' if standards()[lot.standard].unit == 'pH' else ''}{label_value(lot)}"


def lot_label(lot: Lot) -> str:
    """What a technician calls a lot: its value, where it has one, and number."""
    value = f" {label_value(lot)}" if lot.nominal is not None else ""
    return f"{standards()[lot.standard].short}{value} (lot {lot.lot_number})"


def lot_facts(lot: Lot, left: float | None = None) -> LotFacts:
    """What the core needs of a lot to judge it; ``left`` is counted in the unit of its pack."""
    return LotFacts(lot.expires_on, lot.opened_on, lot.open_life_days, left, lot.discarded_on, Pack(lot.pack).unit)


def aim_of(step: Step, lot: Lot | None, at: Conditions) -> Target:
    """What the standard of a step is: that of its lot, else what the method says of it."""
    return step.aim(bottle(lot) if lot else None, at)


def put_right(run: CalibrationRun) -> CalibrationEntry | None:
    """Find what a run's conditions were put right by last; None where what was said at its beginning holds."""
    return next((e for e in reversed(run.entries) if e.kind == EntryKind.PUT_RIGHT), None)


def method_of(run: CalibrationRun) -> dict[str, Any]:
    """Return the method frozen into a run, with the conditions that hold."""
    newer = put_right(run)
    return {**run.method, "conditions": newer.conditions["place"]} if newer and newer.conditions else run.method


def place_of(run: CalibrationRun) -> Surroundings:
    """What is known of the place where a run is made."""
    return Surroundings.of(method_of(run).get("conditions"))


def waters_of(run: CalibrationRun) -> tuple[float, float] | None:
    """Return the range of the waters that a run is made for."""
    newer = put_right(run)
    low, high = run.waters_low, run.waters_high
    if newer and newer.conditions:
        low, high = newer.conditions["waters"] or (None, None)
    return None if low is None or high is None else (low, high)


def where(run: CalibrationRun, temperature_c: float) -> Conditions:
    """The conditions of a run at a temperature."""
    return place_of(run).at(temperature_c, run.reference)


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
    """A stored point with a signal as the verdict sees it."""
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
        deviations=tuple(point.deviations),
        settling_s=point.settling_s,
        first_signal=point.first_signal,
        in_air=step.kind is StepKind.AIR,
    )


def judged_points(run: CalibrationRun, points: Iterable[CalibrationPoint]) -> tuple[JudgedPoint, ...]:
    """Stored points of a run as the verdict sees them."""
    own, steps = principle_of(run.method), {s.key: s for s in steps_of(run.method)}
    return tuple(judged_point(p, own, where(run, p.temperature_c), steps[p.step]) for p in points)


def standing_points(run: CalibrationRun) -> list[CalibrationPoint]:
    """The newest point of every step, in the order taken; earlier ones are superseded, a dropped one stands no more."""
    newest = {point.step: point for point in run.points}
    return sorted((p for p in newest.values() if p.dropped is None), key=lambda p: p.ordinal)


def response_of(
    own: Principle, signature: CalibrationSignature, coefficients: Sequence[CalibrationCoefficient]
) -> Response:
    """How the probe responds, as it was signed."""
    return Response.known(
        own,
        {c.key: c.value for c in coefficients},
        np.array(signature.covariance, dtype=float),
        {c.key: Origin(c.origin) for c in coefficients},
        signature.temperature_c,
    )


def signed_response(run: CalibrationRun) -> Response:
    """How the probe responds by a signed run."""
    assert run.signature is not None
    return response_of(principle_of(run.method), run.signature, run.coefficients)


def adjusts(run: CalibrationRun) -> bool:
    """Whether a run adjusts its probe, or only checks it."""
    return any(s.adjusts for s in steps_of(run.method))


def points_words(run: CalibrationRun) -> str:
    """How many of its points an open run has."""
    taken, wanted = len(standing_points(run)), sum(s.kind.has_point for s in steps_of(run.method))
    return f"{taken} of {counted(wanted, 'point')}"


def quantity_key(run: CalibrationRun) -> str:
    """What a run is of: its principle's quantity, or that of its first check where a meter keeps it."""
    if run.kept_by == KeptBy.METER:
        return str(run.method["checks"][0]["quantity"])
    return principle_of(run.method).quantity


def bounds_of(data: Mapping[str, float]) -> Bounds:
    """Bounds as they were frozen into a run."""
    return Bounds(**data)


def holds_days_of(run: CalibrationRun) -> tuple[float, float]:
    """How long a run may be used, soundly and at most, days, as it was frozen."""
    low, high = run.method["tolerances"]["holds_days"]
    return float(low), float(high)


def age_days(signature: CalibrationSignature, at: datetime) -> float:
    """Days between a signature and a moment."""
    return (at - signature.signed_at).total_seconds() / _SECONDS_A_DAY


def previous_full_run(session: Session, probe_id: uuid.UUID, at: datetime) -> PreviousRun | None:
    """The probe's last usable full run before ``at``."""
    probe = session.get_one(Probe, probe_id)
    own = upkeep.senses(probe)
    query = run_queries.full_runs(probe_id, at, own.minor if own else ()).limit(1)
    run = session.scalars(query.options(joinedload(CalibrationRun.coefficients))).unique().first()
    return _previous(run, upkeep.events_of_probe(session, probe), at) if run else None


def _previous(run: CalibrationRun, events: Sequence[CareEvent], at: datetime) -> PreviousRun:
    assert run.signature is not None  # only signed ones are full
    tended = upkeep.tended(run.probe, events, run.signature.signed_at, at)
    return PreviousRun(signed_response(run), age_days(run.signature, at), tended)


def first_since_change(session: Session, probe: Probe, at: datetime) -> Mapping[str, float]:
    """Coefficients of the probe's first usable full run since what ended the one before; empty where there is none."""
    own = upkeep.senses(probe)
    if own is None:
        return {}
    change = ended(upkeep.events_of_probe(session, probe), upkeep.kind_of(probe).voids, _EVER, at)
    since = change.at if change else _EVER
    query = run_queries.full_runs(probe.id, at, own.minor).where(CalibrationSignature.signed_at > since).order_by(None)
    run = session.scalars(query.order_by(CalibrationSignature.signed_at).limit(1)).first()
    return signed_response(run).by_key if run else {}


class Past:
    """What went before the runs of many probes: their full runs and their care, each read once."""

    def __init__(self, session: Session, until: datetime) -> None:
        self._session, self._until = session, until
        self._known: dict[uuid.UUID, tuple[Sequence[CalibrationRun], Sequence[CareEvent]]] = {}

    def previous(self, probe: Probe, at: datetime) -> PreviousRun | None:
        """The probe's last usable full run before ``at``."""
        if probe.id not in self._known:
            own = upkeep.senses(probe)
            full = self._session.scalars(run_queries.full_runs(probe.id, self._until, own.minor if own else ())).all()
            self._known[probe.id] = full, upkeep.events_of_probe(self._session, probe)
        full, events = self._known[probe.id]
        run = next((r for r in full if r.signature and r.signature.signed_at <= at), None)
        return _previous(run, events, at) if run else None


def basis_of(session: Session, probe_id: uuid.UUID, at: datetime) -> tuple[CalibrationRun | None, Basis | None]:
    """The calibration that a reading at ``at`` rests on, as stored and as the verdict sees it."""
    run = run_queries.basis_run(session, probe_id, at)
    if run is None or run.signature is None:
        return None, None
    newest = run_queries.newest_run(session, probe_id, at)
    found = basis_from(signed_response(run), run.signature, tolerances_of(run), _worst(run), at)
    if newest is not None and newest.id != run.id:
        found = replace(found, level=Level.UNFIT, worst=says("calibration-passed-over"))
    found = replace(found, voided_by=upkeep.voided_by(session, run.probe, run.signature.signed_at, at))
    return run, found


def basis_from(
    response: Response, signature: CalibrationSignature, tolerances: Tolerances, worst: Value, at: datetime
) -> Basis:
    """A signed calibration as a reading at ``at`` sees it."""
    low, high = signature.targets_low, signature.targets_high
    return Basis(
        response=response,
        level=Level(signature.level),
        age_days=age_days(signature, at),
        targets=(low, high) if tolerances.brackets and low is not None and high is not None else None,
        holds_days=tolerances.holds_days,
        worst=worst,
    )


def coefficient_words(run: CalibrationRun) -> list[tuple[str, str]]:
    """Name and value of each coefficient of a signed run, but for what its principle fixes."""
    found = []
    for c in run.coefficients:
        if c.origin == Origin.REPORTED:
            report = next(r for r in run.method["reports"] if r["key"] == c.key)
            found.append((report["name"], f"{signed(c.value, report['digits'])} {c.unit}"))
            continue
        about = principle_of(run.method).coefficient(c.key)
        if c.origin != Origin.FIXED and not (about.minor and c.origin == Origin.ASSUMED):
            origin = "" if c.origin == Origin.FITTED else f" ({c.origin})"
            found.append((about.name, about.words(c.value, plus=about.usual == 0) + origin))
    return found


def target_words(run: CalibrationRun) -> str:
    """From which target to which a signed run reaches; empty where it has none."""
    end = run.signature
    if end is None or end.targets_low is None or end.targets_high is None:
        return ""
    about = quantity(quantity_key(run))
    low, high = about.number(end.targets_low), about.number(end.targets_high)
    return f"{low}{about.after}" if low == high else f"{low}–{high}{about.after}"


def _worst(run: CalibrationRun) -> Value:
    """What its verdict says first, where it is not sound."""
    found = stored_findings(f for f in run.findings if f.level != Level.SOUND)
    return found[0].says if found else ""
