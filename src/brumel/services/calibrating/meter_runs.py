"""Calibrations that a meter keeps: what it showed and reports, as runs like any other."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.calibrating.meter_run import KeptPoint, checks_of, judge_kept
from brumel.core.findings import Acceptance, Finding, verdict
from brumel.core.kit.kinds import Check, ProbeKind
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.ph import TEMPERATURE_RANGE_C
from brumel.core.quantities.quantity import quantity
from brumel.core.sensing.response import Origin
from brumel.core.standards.buffers import LABEL_TEMPERATURE_C
from brumel.core.standards.targets import target
from brumel.services.acts import act
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, check_number, check_value
from brumel.services.people import may_record
from brumel.services.probes import what_it_is
from brumel.services.probes.retiring import why_retired
from brumel.services.probes.what_it_is import stored_probe
from brumel.services.said import BY_EYE, deviation_columns, finding_rows, settling_columns, stored_findings
from brumel.services.shelf import lot_words
from brumel.store.add_fact import add_once
from brumel.store.database import Database
from brumel.store.models.base import Source
from brumel.store.models.calibration import (
    CalibrationCoefficient,
    CalibrationFinding,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    KeptBy,
)
from brumel.store.models.reference import Lot, Person, Probe
from brumel.store.queries import run as run_queries
from brumel.store.queries import shelf as shelf_queries

METHOD = "kept-by-meter"
_MOST_REPORTED = (-1_000.0, 1_000.0)


@dataclass(frozen=True)
class TypedPoint:
    """What was typed of one check: lot or reference value, temperature, shown before and after."""

    lot_id: uuid.UUID | None = None
    reference: float | None = None
    temperature_c: float | None = None
    before: float | None = None
    after: float | None = None


@dataclass(frozen=True)
class NewKept:
    """A calibration that a meter keeps, as typed; checks and coefficients by key."""

    run_id: uuid.UUID
    probe_id: uuid.UUID
    at: datetime | None = None
    points: Mapping[str, TypedPoint] = field(default_factory=dict)
    reported: Mapping[str, float | None] = field(default_factory=dict)
    note: str = ""


@dataclass(frozen=True)
class KeptForm:
    """What the form of a probe asks for: its checks with the lots that serve, and what its meter reports."""

    probe: Probe
    kind: ProbeKind
    lots: Mapping[str, Sequence[Lot]]


@dataclass(frozen=True)
class KeptRuns:
    """Use cases around calibrations that meters keep."""

    database: Database
    clock: Clock

    def form(self, probe_id: uuid.UUID) -> KeptForm:
        """Return what is asked of a probe."""
        with self.database.session() as session:
            probe = stored_probe(session, probe_id)
            kind = what_it_is.kind_of(probe)
            lots = {c.standard: shelf_queries.lots(session, c.standard) for c in kind.checks if c.standard}
            return KeptForm(probe, kind, lots)

    @act(probe="new.probe_id")
    def record(self, new: NewKept, person: Person) -> list[Finding]:
        """Record one, judged and signed; the same id twice records it once.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        at = new.at or self.clock.now()
        with self.database.session() as session:
            probe = stored_probe(session, new.probe_id)
            kind = what_it_is.kind_of(probe)
            points = _points(session, kind, probe, new, at, _checked(probe, kind, new, at, self.clock))
            rows = kept_rows(new, probe, kind, points, person, at=at)
            if not add_once(
                session, CalibrationRun, rows.run, told=("probe_id", "started_at") if new.at else ("probe_id",)
            ):
                return stored_findings(run_queries.findings_of_run(session, new.run_id))
            for model, some in rows.rest():
                for row in some:
                    add_once(session, model, row)
        return rows.findings


@dataclass(frozen=True)
class KeptRows:
    """All rows of one such run, and its findings."""

    run: dict[str, Any]
    points: list[dict[str, Any]]
    coefficients: list[dict[str, Any]]
    signature: dict[str, Any]
    findings: list[Finding]

    def rest(self) -> list[tuple[type[Any], list[dict[str, Any]]]]:
        """Return what follows the run, in the order that the database wants."""
        found = [{"run_id": self.run["id"], **row} for row in finding_rows(self.findings)]
        return [
            (CalibrationPoint, self.points), (CalibrationSignature, [self.signature]),
            (CalibrationCoefficient, self.coefficients), (CalibrationFinding, found),
        ]  # fmt: skip


Taken = tuple[KeptPoint, TypedPoint, Lot | None]
"""A point as judged and as typed, and its lot."""


def kept_rows(
    new: NewKept, probe: Probe, kind: ProbeKind, points: Sequence[Taken], person: Person, *, at: datetime
) -> KeptRows:
    """Return a run kept by a meter as it is stored."""
    reported = [(r, value) for r in kind.reported if (value := new.reported.get(r.key)) is not None]
    findings = judge_kept([p for p, *_ in points], reported)
    point_rows = [_point_row(new.run_id, person, taken, at) for taken in points]
    targets = [p.target for p, *_ in points if p.check.quantity == kind.checks[0].quantity]
    run = {
        "id": new.run_id, "probe_id": probe.id, "person_id": person.id, "started_at": at, "kept_by": KeptBy.METER,
        "method_code": METHOD, "method": _frozen(kind, points), "rinse": "", "lots": {}, "waters_low": None,
        "waters_high": None, "new_sensor": False, "reference": probe.reference or "",
    }  # fmt: skip
    coefficients = [
        {"run_id": new.run_id, "key": r.key, "ordinal": n, "value": value, "u": None, "unit": r.unit,
         "origin": str(Origin.REPORTED)}
        for n, (r, value) in enumerate(reported)
    ]  # fmt: skip
    signature = {
        "run_id": new.run_id, "person_id": person.id, "signed_at": at, "level": str(verdict(findings)),
        "point_ids": [row["id"] for row in point_rows], "covariance": [],
        "targets_low": min(targets, default=None), "targets_high": max(targets, default=None),
        "temperature_c": None, "note": new.note.strip(),
    }  # fmt: skip
    return KeptRows(run, point_rows, coefficients, signature, findings)


def _frozen(kind: ProbeKind, points: Sequence[Taken]) -> dict[str, Any]:
    """Return what such a run keeps of its method: its checks and bounds, as they were, and how long it may be used."""
    holds = list(kind.holds_days or (0.0, 0.0))
    return {
        "code": METHOD, "version": 1, "principle": "", "name": "Kept by its meter",
        "why": "The meter adjusts itself; what it showed before and after is judged here.",
        "steps": [{"key": p.check.key, "role": "", "use": "check", "kind": "cup"} for p, *_ in points],
        "checks": [asdict(c) for c in kind.checks],
        "reports": [asdict(r) for r in kind.reported],
        "tolerances": {"holds_days": holds},
        "rinse": {"key": "", "name": "not noted", "words": "", "standard_share": 0.0},
    }  # fmt: skip


def _point_row(run_id: uuid.UUID, person: Person, taken: Taken, at: datetime) -> dict[str, Any]:
    point, typed, lot = taken
    return {
        "id": uuid.uuid5(run_id, point.check.key), "run_id": run_id, "person_id": person.id, "begun_id": None,
        "step": point.check.key, "use": "check", "lot_id": lot.id if lot else None, "instrument_id": None,
        "taken_at": at,
        "source": Source.TYPED_VALUE, "nominal": lot.nominal if lot else None, "family": lot.family if lot else "",
        "target": point.target, "target_u": point.target_u, "target_unit": quantity(point.check.quantity).unit,
        "target_known": point.target_known, "signal": None, "signal_unit": "", "temperature_c": typed.temperature_c,
        "pressure_hpa": None, "shown_before": point.before, "shown_after": point.after,
        "expired_days": point.expired_days, "over_open_days": point.over_open_days,
        "acceptance": str(Acceptance.BY_EYE), **settling_columns(BY_EYE),
        "settling_s": None, "first_signal": None, "left_over": None, **deviation_columns(()),
    }  # fmt: skip


def _checked(probe: Probe, kind: ProbeKind, new: NewKept, at: datetime, clock: Clock) -> dict[str, str]:
    """Return what can't be taken, by field."""
    wrong: dict[str, str] = {}
    if why_not := clock.why_not(at):
        wrong["at"] = why_not
    if retired := why_retired(probe):
        wrong["probe"] = retired
    shown = False
    for check in kind.checks:
        typed = new.points.get(check.key, TypedPoint())
        about = quantity(check.quantity)
        if typed.before is None and typed.after is None:
            continue
        shown = True
        for name, value in (("before", typed.before), ("after", typed.after)):
            if value is not None:
                check_value(wrong, f"{check.key}-{name}", value, about)
        check_number(wrong, f"{check.key}-temperature_c", typed.temperature_c, TEMPERATURE_RANGE_C, "°C", "temperature")
        if check.standard and typed.lot_id is None:
            wrong[f"{check.key}-lot"] = "Choose the lot that it was in."
        if not check.standard and check.target is None:
            check_value(wrong, f"{check.key}-reference", typed.reference, about)
    for report in kind.reported:
        value = new.reported.get(report.key)
        if value is not None:
            shown = True
            check_number(wrong, report.key, value, _MOST_REPORTED, report.unit, report.name)
    if not shown:
        first = f"{kind.checks[0].key}-before" if kind.checks else "at"
        wrong[first] = "Type at least one value that the meter shows or reports."
    return wrong


def _points(
    session: Session, kind: ProbeKind, probe: Probe, new: NewKept, at: datetime, wrong: dict[str, str]
) -> list[Taken]:
    found = []
    for check in kind.checks:
        typed = new.points.get(check.key, TypedPoint())
        if typed.before is None and typed.after is None:
            continue
        lot = session.get(Lot, typed.lot_id) if typed.lot_id else None
        if check.standard and typed.lot_id and (lot is None or lot.standard != check.standard):
            wrong[f"{check.key}-lot"] = "This lot can't serve here: choose another."
        elif not wrong:
            found.append(kept_point(check, typed, lot, probe, at))
    if wrong:
        raise InvalidInput(wrong)
    return found


def kept_point(check: Check, typed: TypedPoint, lot: Lot | None, probe: Probe, at: datetime) -> Taken:
    """Return a typed point with its target: the lot's at its temperature, a fixed one, or the reference beside it."""
    label, value, u, known = (
        check.name.lower(),
        check.target if check.target is not None else typed.reference,
        0.0,
        True,
    )
    expired = over = 0
    if lot is not None:
        label, facts = lot_words.lot_label(lot), lot_words.lot_facts(lot)
        expired, over = facts.days_expired(at.date()), facts.days_over_open(at.date())
        if check.target is None:
            stated_c = quantity(check.quantity).reference_c  # a meter brings what it shows to there by itself
            t = typed.temperature_c or LABEL_TEMPERATURE_C
            at_c = Conditions(t if stated_c is None else stated_c, probe.reference or "")
            aim = target(lot_words.bottle(lot), at_c)
            value, u, known = aim.value, aim.u, aim.known
    point = KeptPoint(
        check, label, value or 0.0, known, typed.before, typed.after, expired, over, u, typed.temperature_c
    )
    return point, typed, lot


def points_of(run: CalibrationRun) -> list[KeptPoint]:
    """Return the points of a run kept by a meter, with their checks as its kind had them then."""
    checks = checks_of(run.method)
    return [
        KeptPoint(checks[p.step], lot_words.lot_label(p.lot) if p.lot else checks[p.step].name.lower(), p.target,
                  p.target_known, p.shown_before, p.shown_after, p.expired_days, p.over_open_days, p.target_u,
                  p.temperature_c)
        for p in run.points
    ]  # fmt: skip
