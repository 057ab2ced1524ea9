"""How a calibration is stored: one builder a row, and the response and findings that are computed from rows."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from brumel.core.calibrating.judging import judge, principle_of
from brumel.core.calibrating.procedure import Step
from brumel.core.findings import Despite, Finding, verdict
from brumel.core.kit.instruments import Measures
from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.reading.given_value import PlainValue, plain_budget
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import JudgedPoint, PreviousRun, targets_range
from brumel.core.standards.targets import Target
from brumel.services.calibrating import judged_run
from brumel.services.house.rules import in_force
from brumel.services.live.signal import Signal
from brumel.services.probes import run_facts
from brumel.services.said import deviation_columns, settling_columns
from brumel.services.shelf import lot_words
from brumel.store.models.base import Source
from brumel.store.models.calibration import CalibrationPoint, CalibrationRun, KeptBy
from brumel.store.models.reference import Instrument, Lot, Person, Probe


@dataclass(frozen=True)
class Begin:
    """What a technician chooses to begin a run."""

    run_id: uuid.UUID
    probe_id: uuid.UUID | None
    method_code: str
    rinse: str
    lots: Mapping[str, uuid.UUID | None]
    """Lot for each role of a standard."""
    site_ids: Sequence[uuid.UUID] = ()
    new_sensor: bool = False
    despite: str = ""
    """Why a probe that is not ready is used all the same."""
    place: Surroundings = field(default_factory=Surroundings)
    """Pressure, and how warm the waters are, where the probe's principle asks."""


def run_row(
    begin: Begin,
    probe: Probe,
    frozen: dict[str, Any],
    lots: Mapping[str, Lot],
    waters: tuple[float, float] | None,
    person: Person,
    *,
    at: datetime,
    not_ready: str = "",
) -> dict[str, Any]:
    """Return a run as it is stored when it begins; ``lots`` by role, ``not_ready`` why its probe may not be used."""
    return {
        "id": begin.run_id,
        "probe_id": probe.id,
        "person_id": person.id,
        "started_at": at,
        "kept_by": KeptBy.BRUMEL,
        "method_code": frozen["code"],
        "method": frozen,
        "rinse": begin.rinse,
        "lots": {s["key"]: str(lots[s["role"]].id) for s in frozen["steps"] if s["role"]},
        "waters_low": waters[0] if waters else None,
        "waters_high": waters[1] if waters else None,
        "new_sensor": begin.new_sensor,
        "reference": probe.reference or "",
        "not_ready": not_ready,
        "despite": begin.despite.strip() if not_ready else "",
        "checks_back": any(s.get("came") for s in frozen["steps"]),
    }


@dataclass(frozen=True)
class Beside:
    """What an instrument beside the probe showed, which is the target of a point."""

    instrument_id: uuid.UUID
    target: Target

    @classmethod
    def of(cls, instrument: Instrument, about: Quantity, shown: float) -> Beside:
        """Return what an instrument of the kit showed, with the uncertainty that its maker states."""
        plain = PlainValue(about, shown, "", instrument.label, Measures.of(instrument.measures[about.key]))
        return cls(instrument.id, Target(shown, plain_budget(plain).u, known=True))


def point_row(
    point_id: uuid.UUID,
    run: CalibrationRun,
    person: Person,
    step: Step,
    lot: Lot | None,
    signal: Signal,
    *,
    taken_at: datetime,
    today: date,
    beside: Beside | None = None,
) -> dict[str, Any]:
    """Return a point as it is stored: the standard's true value at its measured temperature, and its lot's state.

    Taken ``beside`` an instrument, its target is what that showed.
    """
    own = principle_of(run.method)
    at = run_facts.where(run, signal.temperature_c)
    aim = beside.target if beside else lot_words.aim_of(step, lot, at)
    facts = lot_words.lot_facts(lot) if lot else None
    return {
        "id": point_id,
        "run_id": run.id,
        "person_id": person.id,
        "begun_id": None,
        "step": step.key,
        "use": str(step.use),
        "lot_id": lot.id if lot else None,
        "instrument_id": beside.instrument_id if beside else None,
        "taken_at": taken_at,
        "source": Source.DEVICE,
        "nominal": lot.nominal if lot else None,
        "family": lot.family if lot else "",
        "target": aim.value,
        "target_u": aim.u,
        "target_unit": quantity(own.quantity).unit,
        "target_known": aim.known,
        "signal": signal.value,
        "signal_unit": own.signal_unit,
        "temperature_c": signal.temperature_c,
        "pressure_hpa": float(at.pressure_hpa) if own.needs_pressure else None,
        "shown_before": None,
        "shown_after": None,
        "expired_days": facts.days_expired(today) if facts else 0,
        "over_open_days": facts.days_over_open(today) if facts else 0,
        "acceptance": str(signal.acceptance),
        **settling_columns(signal.says),
        "settling_s": signal.elapsed_s,
        "first_signal": float(signal.trace.values[0]) if signal.trace else None,
        "left_over": signal.left_over,
        **deviation_columns(()),
    }


def judge_points(
    run: CalibrationRun, points: Sequence[CalibrationPoint], previous: PreviousRun | None
) -> tuple[Response | None, list[Finding]]:
    """Return the response through a run's standing points and its findings, by the method frozen into the run."""
    despite = Despite(run.not_ready or "", run.despite or "")
    frozen, judged = run_facts.method_of(run), judged_run.judged_points(run, points)
    return judge(frozen, judged, previous, run_facts.waters_of(run), despite, rules=in_force())


def signature_row(
    run_id: uuid.UUID,
    person: Person,
    response: Response,
    findings: Sequence[Finding],
    points: Sequence[JudgedPoint],
    point_ids: Sequence[uuid.UUID],
    *,
    at: datetime,
    note: str = "",
) -> dict[str, Any]:
    """Return a signature as it is stored: the verdict, and the points that it rests on."""
    low, high = targets_range(points)
    return {
        "run_id": run_id,
        "person_id": person.id,
        "signed_at": at,
        "level": str(verdict(findings)),
        "point_ids": list(point_ids),
        "covariance": [list(row) for row in response.covariance],
        "targets_low": low,
        "targets_high": high,
        "temperature_c": response.temperature_c,
        "note": note.strip(),
    }


def coefficient_rows(run_id: uuid.UUID, response: Response) -> list[dict[str, Any]]:
    """Return the coefficients of a signed run as they are stored."""
    own: Principle = response.principle
    return [
        {
            "run_id": run_id,
            "key": c.key,
            "ordinal": number,
            "value": response[c.key],
            "u": response.u(c.key),
            "unit": c.unit,
            "origin": str(response.origins[number]),
        }
        for number, c in enumerate(own.coefficients)
    ]
