"""From stored calibrations to the responses that readings and verdicts lean on."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
from sqlalchemy.orm import Session, joinedload

from brumel.core.calibrating.judging import principle_of
from brumel.core.findings import Level
from brumel.core.kit.readiness import CareEvent, ended
from brumel.core.reading.reading_verdict import Basis
from brumel.core.said import Value, says
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.response import Origin, Response
from brumel.core.sensing.run import PreviousRun
from brumel.core.sensing.tolerances import Tolerances
from brumel.services.probes import run_facts, what_it_is
from brumel.services.probes.run_facts import age_days, tolerances_of
from brumel.services.said import stored_findings
from brumel.store.models.calibration import (
    CalibrationCoefficient,
    CalibrationRun,
    CalibrationSignature,
)
from brumel.store.models.reference import Probe
from brumel.store.queries import run as run_queries


def response_of(
    own: Principle, signature: CalibrationSignature, coefficients: Sequence[CalibrationCoefficient]
) -> Response:
    """Say how the probe responds, as it was signed."""
    return Response.known(
        own,
        {c.key: c.value for c in coefficients},
        np.array(signature.covariance, dtype=float),
        {c.key: Origin(c.origin) for c in coefficients},
        signature.temperature_c,
    )


def signed_response(run: CalibrationRun) -> Response:
    """Say how the probe responds by a signed run."""
    assert run.signature is not None
    return response_of(principle_of(run.method), run.signature, run.coefficients)


_EVER = datetime.min.replace(tzinfo=UTC)


def previous_run(session: Session, run: CalibrationRun) -> PreviousRun | None:
    """Return what a run is compared with: see :class:`Past`."""
    return Past(session, run.started_at, of_one=True).previous(run)


def _previous(run: CalibrationRun, events: Sequence[CareEvent], at: datetime) -> PreviousRun:
    assert run.signature is not None  # only signed ones are full
    tended = what_it_is.tended(run.probe, events, run.signature.signed_at, at)
    return PreviousRun(signed_response(run), age_days(run.signature, at), tended)


def first_since_change(session: Session, probe: Probe, at: datetime) -> Mapping[str, float]:
    """Coefficients of the probe's first usable full run since what ended the one before; empty where there is none."""
    own = what_it_is.senses(probe)
    if own is None:
        return {}
    change = ended(what_it_is.events_of_probe(session, probe), what_it_is.kind_of(probe).voids, _EVER, at)
    since = change.at if change else _EVER
    query = run_queries.full_runs(probe.id, at, own.minor).where(CalibrationSignature.signed_at > since).order_by(None)
    run = session.scalars(query.order_by(CalibrationSignature.signed_at).limit(1)).first()
    return signed_response(run).by_key if run else {}


class Past:
    """Knows what went before the runs of many probes, each read once, and the care of those probes.

    What adjusts is compared with the last full run; what only checks, with the run that readings rest on.
    """

    def __init__(self, session: Session, until: datetime, *, of_one: bool = False) -> None:
        self._session, self._until, self._of_one = session, until, of_one
        self._runs: dict[tuple[uuid.UUID, bool], Sequence[CalibrationRun]] = {}
        self._care: dict[uuid.UUID, Sequence[CareEvent]] = {}

    def previous(self, run: CalibrationRun) -> PreviousRun | None:
        """Return the usable run of the same probe that stood before one."""
        at = run.started_at
        before = next((r for r in self._before(run) if r.signature and r.signature.signed_at <= at), None)
        if before is None:
            return None
        if run.probe_id not in self._care:
            self._care[run.probe_id] = what_it_is.events_of_probe(self._session, run.probe)
        found = _previous(before, self._care[run.probe_id], at)
        if not run.checks_back:
            return found
        return replace(found, bottles=frozenset(str(p.lot_id) for p in before.points if p.lot_id))

    def _before(self, run: CalibrationRun) -> Sequence[CalibrationRun]:
        key = run.probe_id, run_facts.adjusts(run)
        if key not in self._runs:
            own = what_it_is.senses(run.probe)
            full = run_queries.full_runs(run.probe_id, self._until, own.minor if own else ())
            query = full if run_facts.adjusts(run) else run_queries.adjusting_runs(run.probe_id, self._until)
            query = query.options(joinedload(CalibrationRun.coefficients)).limit(1 if self._of_one else None)
            self._runs[key] = self._session.scalars(query).unique().all()
        return self._runs[key]


def basis_of(session: Session, probe_id: uuid.UUID, at: datetime) -> tuple[CalibrationRun | None, Basis | None]:
    """Return the calibration that a reading at ``at`` rests on, as stored and as the verdict sees it."""
    run = run_queries.basis_run(session, probe_id, at)
    if run is None or run.signature is None:
        return None, None
    newest = run_queries.newest_run(session, probe_id, at)
    found = basis_from(signed_response(run), run.signature, tolerances_of(run), _worst(run), at)
    if newest is not None and newest.id != run.id:
        found = replace(found, level=Level.UNFIT, worst=says("calibration-passed-over"))
    found = replace(found, voided_by=what_it_is.voided_by(session, run.probe, run.signature.signed_at, at))
    return run, found


def basis_from(
    response: Response, signature: CalibrationSignature, tolerances: Tolerances, worst: Value, at: datetime
) -> Basis:
    """Return a signed calibration as a reading at ``at`` sees it."""
    low, high = signature.targets_low, signature.targets_high
    return Basis(
        response=response,
        level=Level(signature.level),
        age_days=age_days(signature, at),
        targets=(low, high) if tolerances.brackets and low is not None and high is not None else None,
        holds_days=tolerances.holds_days,
        worst=worst,
    )


def _worst(run: CalibrationRun) -> Value:
    """Find what its verdict says first, where it is not sound."""
    found = stored_findings(f for f in run.findings if f.level != Level.SOUND)
    return found[0].says if found else ""
