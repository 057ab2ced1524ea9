"""Questions about calibrations: runs, what stands of them, what they were judged."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Select, and_, exists, func, or_, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session, aliased, joinedload, lazyload, selectinload
from sqlalchemy.sql.base import ExecutableOption

from brumel.core.calibrating.procedure import CLEANING
from brumel.core.sensing.response import TAKEN_OVER, Origin
from brumel.store.models.calibration import (
    AmendmentKind,
    CalibrationAmendment,
    CalibrationCoefficient,
    CalibrationFinding,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    CalibrationStep,
    KeptBy,
)
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Probe
from brumel.store.queries.reference import Criteria, between
from brumel.store.queries.visit import stands


def runs_with_lot(session: Session, lot_id: uuid.UUID, limit: int) -> Sequence[CalibrationRun]:
    """Return the newest calibrations that a lot served in."""
    used = select(CalibrationPoint.run_id).where(CalibrationPoint.lot_id == lot_id)
    query = select(CalibrationRun).where(CalibrationRun.id.in_(used)).order_by(CalibrationRun.started_at.desc())
    return session.scalars(query.limit(limit)).all()


def findings_of_run(session: Session, run_id: uuid.UUID) -> Sequence[CalibrationFinding]:
    """Return the findings of a signed run in reading order."""
    return session.scalars(
        select(CalibrationFinding).where(CalibrationFinding.run_id == run_id).order_by(CalibrationFinding.ordinal)
    ).all()


def judged() -> tuple[ExecutableOption, ...]:
    """Load with runs what judging one asks for: its points, and the conditions that were put right."""
    return selectinload(CalibrationRun.points), joinedload(CalibrationRun.entries)


def run_in_full(session: Session, run_id: uuid.UUID, *, traces: bool = False) -> CalibrationRun | None:
    """Return a run with its points, begun steps, findings and amendments, and the points' traces where asked for."""
    points = selectinload(CalibrationRun.points)
    query = (
        select(CalibrationRun)
        .where(CalibrationRun.id == run_id)
        .options(
            joinedload(CalibrationRun.coefficients),
            points.joinedload(CalibrationPoint.blocks) if traces else points,
            selectinload(CalibrationRun.begun),
            selectinload(CalibrationRun.findings),
            joinedload(CalibrationRun.amendments),  # these two hold few rows, mostly none
            joinedload(CalibrationRun.entries),
        )
        .execution_options(populate_existing=True)
    )
    return session.execute(query).unique().scalar_one_or_none()


def begun_in_kit(session: Session, kit: str, since: datetime, until: datetime) -> Sequence[CalibrationRun]:
    """Return runs of ours with probes of a kit that were begun within a time and have points, the oldest first."""
    taken = exists().where(CalibrationPoint.run_id == CalibrationRun.id)
    within = (CalibrationRun.started_at >= since, CalibrationRun.started_at <= until)
    query = select(CalibrationRun).join(Probe, Probe.id == CalibrationRun.probe_id).where(Probe.kit == kit, taken)
    return session.scalars(query.where(*within).order_by(CalibrationRun.started_at)).all()


def runs_with_points(session: Session, probe_id: uuid.UUID, since: datetime) -> list[uuid.UUID]:
    """Return keys of a probe's runs that have something taken since a moment, the newest first."""
    taken = exists().where(CalibrationPoint.run_id == CalibrationRun.id, CalibrationPoint.taken_at >= since)
    query = select(CalibrationRun.id).where(CalibrationRun.probe_id == probe_id, taken, ~_withdrawn())
    return list(session.scalars(query.order_by(CalibrationRun.started_at.desc())))


def _withdrawn() -> Any:
    return exists().where(
        CalibrationAmendment.run_id == CalibrationRun.id, CalibrationAmendment.kind == AmendmentKind.WITHDRAWAL
    )


def _counts() -> ColumnElement[bool]:
    """Ask whether a run says what a probe is worth: a check back only where it failed, for it renews nothing."""
    return or_(~CalibrationRun.checks_back, CalibrationSignature.level == "unfit")


def signed_runs(
    probe_id: uuid.UUID | None, before: datetime, counts: ColumnElement[bool] | None = None
) -> Select[CalibrationRun]:
    """Signed runs that have not been withdrawn, the newest first; unless told otherwise, those that count."""
    query = (
        select(CalibrationRun)
        .join(CalibrationSignature)
        .where(CalibrationSignature.signed_at <= before, ~_withdrawn(), _counts() if counts is None else counts)
        .order_by(CalibrationSignature.signed_at.desc())
    )
    return query if probe_id is None else query.where(CalibrationRun.probe_id == probe_id)


def basis_run(session: Session, probe_id: uuid.UUID, at: datetime) -> CalibrationRun | None:
    """Return the newest signed run of ours before ``at`` that was not judged unfit: readings of a signal rest on it."""
    return session.scalars(_usable(probe_id, at).limit(1)).first()


def _usable(probe_id: uuid.UUID, before: datetime) -> Select[CalibrationRun]:
    """Signed runs of ours that count and were not judged unfit, the newest first."""
    return signed_runs(probe_id, before).where(
        CalibrationSignature.level != "unfit", CalibrationRun.kept_by == KeptBy.BRUMEL
    )


class StoodBefore(NamedTuple):
    """A run with what stood when it was begun: what readings rested on then, and when its probe was used last."""

    run_id: uuid.UUID
    used_last: datetime | None
    cleaned_last: datetime | None
    """When it was cleaned last in a check back."""
    before: CalibrationRun | None


def stood_before(session: Session, ids: Collection[uuid.UUID]) -> list[StoodBefore]:
    """Return what stood when each of some runs was begun; one that was withdrawn since stood then."""
    if not ids:
        return []
    own, other, earlier = CalibrationRun, aliased(CalibrationRun), aliased(CalibrationRun)
    end, taken = CalibrationSignature, Reading.taken_at
    gone = exists().where(
        CalibrationAmendment.run_id == other.id,
        CalibrationAmendment.kind == AmendmentKind.WITHDRAWAL,
        CalibrationAmendment.at <= own.started_at,
    )
    newest = (
        select(other.id)
        .join(end, end.run_id == other.id)
        .where(other.probe_id == own.probe_id, other.kept_by == own.kept_by, end.signed_at <= own.started_at)
        .where(end.level != "unfit", ~other.checks_back, other.id != own.id, ~gone)
        .order_by(end.signed_at.desc())
        .limit(1)
        .correlate(own)
        .scalar_subquery()
    )
    used = select(func.max(taken)).where(Reading.probe_id == own.probe_id, taken <= own.started_at).correlate(own)
    back, step = aliased(CalibrationRun), CalibrationStep
    cleaned = (
        select(func.max(step.at))
        .join(back, back.id == step.run_id)
        .where(back.probe_id == own.probe_id, back.id != own.id, back.checks_back)
        .where(step.step == CLEANING, step.at <= own.started_at)
        .correlate(own)
    )
    told = used.scalar_subquery(), cleaned.scalar_subquery()
    query = select(own.id, *told, earlier).outerjoin(earlier, earlier.id == newest)
    query = query.where(own.id.in_(ids)).options(
        joinedload(earlier.coefficients),
        *(joinedload(one, innerjoin=False) for one in (earlier.probe, earlier.person)),  # there may be none before
    )
    return [StoodBefore(*row) for row in session.execute(query).unique()]


class UsedRow(NamedTuple):
    """A probe that something was read with: when last, how often, and its check back begun since then."""

    probe_id: uuid.UUID
    last: datetime
    readings: int
    back_id: uuid.UUID | None


def used_since(session: Session, since: datetime) -> list[UsedRow]:
    """Return the probes that something was read with since a moment."""
    used = (
        select(Reading.probe_id, func.max(Reading.taken_at).label("last"), func.count().label("readings"))
        .where(Reading.taken_at >= since, Reading.probe_id.is_not(None), stands())
        .group_by(Reading.probe_id)
        .subquery()
    )
    back = select(CalibrationRun.id).where(
        CalibrationRun.checks_back,
        CalibrationRun.probe_id == used.c.probe_id,
        CalibrationRun.started_at >= used.c.last,
        ~CalibrationRun.abandonment.has(),
    )
    newest = back.order_by(CalibrationRun.started_at.desc()).limit(1).scalar_subquery()
    return [UsedRow(*row) for row in session.execute(select(used.c.probe_id, used.c.last, used.c.readings, newest))]


def newest_run(session: Session, probe_id: uuid.UUID, at: datetime) -> CalibrationRun | None:
    """Return the newest signed run of ours before ``at``, whatever its verdict."""
    return session.scalars(signed_runs(probe_id, at).where(CalibrationRun.kept_by == KeptBy.BRUMEL).limit(1)).first()


def newest_with_pressure(session: Session, kit: str, since: datetime, until: datetime) -> CalibrationRun | None:
    """The newest run with a probe of a kit within a time that was begun with a pressure: the kit is in one place."""
    asked = CalibrationRun.method["conditions"]["pressure"]
    return session.scalar(
        select(CalibrationRun)
        .join(Probe, Probe.id == CalibrationRun.probe_id)
        .where(CalibrationRun.started_at > since, CalibrationRun.started_at <= until, asked.is_not(None))
        .where(Probe.kit == kit)
        .order_by(CalibrationRun.started_at.desc())
        .limit(1)
    )


def newest_fitted(session: Session, probe_id: uuid.UUID, key: str) -> datetime | None:
    """Say when a coefficient of a probe was fitted last."""
    return session.scalar(
        select(func.max(CalibrationSignature.signed_at))
        .join(CalibrationRun, CalibrationRun.id == CalibrationSignature.run_id)
        .join(CalibrationCoefficient, CalibrationCoefficient.run_id == CalibrationRun.id)
        .where(
            CalibrationRun.probe_id == probe_id,
            CalibrationCoefficient.key == key,
            CalibrationCoefficient.origin == Origin.FITTED,
        )
    )


def newest_kept(session: Session, probe_id: uuid.UUID, at: datetime) -> CalibrationRun | None:
    """Return the newest run before ``at`` that the probe's meter keeps, with its points."""
    query = signed_runs(probe_id, at).where(CalibrationRun.kept_by == KeptBy.METER)
    return session.scalars(query.options(*judged()).limit(1)).unique().first()


def full_runs(probe_id: uuid.UUID, before: datetime, minor: Collection[str] = ()) -> Select[CalibrationRun]:
    """Usable runs whose coefficients were all fitted, none but the minor ones taken over, the newest first."""
    taken_over = exists().where(
        CalibrationCoefficient.run_id == CalibrationRun.id,
        CalibrationCoefficient.origin.in_(TAKEN_OVER),
        CalibrationCoefficient.key.not_in(minor),
    )
    return _usable(probe_id, before).where(~taken_over)


def adjusting_runs(probe_id: uuid.UUID, before: datetime) -> Select[CalibrationRun]:
    """Usable runs that set a coefficient of their own, the newest first: a check gives none to readings."""
    fitted = exists().where(
        CalibrationCoefficient.run_id == CalibrationRun.id, CalibrationCoefficient.origin == Origin.FITTED
    )
    return _usable(probe_id, before).where(fitted)


def _newest_ids(at: datetime, *conditions: ColumnElement[bool]) -> Select[uuid.UUID]:
    """Of every probe the newest signed and standing run before a moment that fulfils some conditions."""
    query = select(CalibrationRun.id).join(CalibrationSignature).where(CalibrationSignature.signed_at <= at)
    query = query.where(~_withdrawn(), _counts(), *conditions).ext(distinct_on(CalibrationRun.probe_id))
    return query.order_by(CalibrationRun.probe_id, CalibrationSignature.signed_at.desc())


def newest_of_probes(session: Session, at: datetime) -> dict[uuid.UUID, list[CalibrationRun]]:
    """The newest signed run of every probe before ``at``, and where that was judged unfit the newest that was not."""
    newest, usable = _newest_ids(at), _newest_ids(at, CalibrationSignature.level != "unfit")
    query = select(CalibrationRun).where(or_(CalibrationRun.id.in_(newest), CalibrationRun.id.in_(usable)))
    found: dict[uuid.UUID, list[CalibrationRun]] = {}
    for run in session.scalars(query.join(CalibrationSignature).order_by(CalibrationSignature.signed_at.desc())):
        found.setdefault(run.probe_id, []).append(run)
    return found


def standing_within(session: Session, since: datetime, until: datetime) -> Sequence[CalibrationRun]:
    """Signed and standing runs within a time, and of each probe the newest before it, the oldest first."""
    signed_at = CalibrationSignature.signed_at
    within = and_(signed_at >= since, signed_at <= until, ~_withdrawn(), _counts())
    query = select(CalibrationRun).join(CalibrationSignature)
    query = query.where(or_(within, CalibrationRun.id.in_(_newest_ids(since))))
    return session.scalars(
        query.options(lazyload(CalibrationRun.coefficients)).order_by(CalibrationSignature.signed_at)
    ).all()


def some_runs(session: Session, ids: Collection[uuid.UUID]) -> Sequence[CalibrationRun]:
    """Return runs by their keys, with their points."""
    if not ids:
        return []
    query = select(CalibrationRun).where(CalibrationRun.id.in_(ids)).options(joinedload(CalibrationRun.coefficients))
    return session.scalars(query.options(*judged())).unique().all()


class CoefficientRow(NamedTuple):
    """A coefficient of a signed run, as the course of a probe needs it."""

    run_id: uuid.UUID
    started_at: datetime
    signed_at: datetime
    level: str
    kept_by: str
    key: str
    value: float
    origin: str


def coefficients_of_probe(session: Session, probe_id: uuid.UUID, at: datetime, limit: int) -> list[CoefficientRow]:
    """Return the coefficients of a probe's newest signed and standing runs before ``at``, the oldest first."""
    run, end = CalibrationRun, CalibrationSignature
    newest = signed_runs(probe_id, at).with_only_columns(run.id, run.started_at, end.signed_at, end.level, run.kept_by)
    c, own = newest.limit(limit).subquery().c, CalibrationCoefficient
    query = select(c.id, c.started_at, c.signed_at, c.level, c.kept_by, own.key, own.value, own.origin)
    query = query.join(own, own.run_id == c.id).order_by(c.signed_at, c.id, own.ordinal)
    return [CoefficientRow(*row) for row in session.execute(query)]


def checks_of_probe(session: Session, probe_id: uuid.UUID, at: datetime, limit: int) -> Sequence[CalibrationRun]:
    """Return a probe's newest signed runs of ours that have check points, with all points, the newest first."""
    checked = exists().where(CalibrationPoint.run_id == CalibrationRun.id, CalibrationPoint.use == "check")
    query = signed_runs(probe_id, at, ~CalibrationRun.checks_back)
    query = query.where(CalibrationRun.kept_by == KeptBy.BRUMEL, checked).limit(limit)
    query = query.options(joinedload(CalibrationRun.coefficients), *judged())
    return session.scalars(query).unique().all()


def open_runs(session: Session, probe_id: uuid.UUID | None = None) -> Sequence[CalibrationRun]:
    """Return runs begun and neither signed nor given up, of all probes or of one, the newest first."""
    found = (
        select(CalibrationRun)
        .where(~CalibrationRun.signature.has(), ~CalibrationRun.abandonment.has())
        .options(*judged())
        .order_by(CalibrationRun.started_at.desc())
    )
    return (
        session.scalars(found if probe_id is None else found.where(CalibrationRun.probe_id == probe_id)).unique().all()
    )


def all_runs(wanted: Criteria) -> Select[CalibrationRun]:
    """Return runs that fit, the newest first, with points, findings and amendments; to be read one after the other."""
    more = selectinload(CalibrationRun.entries), selectinload(CalibrationRun.amendments)
    return _fitting(wanted).options(*more)


def runs(session: Session, wanted: Criteria, *, limit: int | None = None, offset: int = 0) -> Sequence[CalibrationRun]:
    """Return some of the runs that fit, all at once."""
    few = joinedload(CalibrationRun.entries), joinedload(CalibrationRun.amendments)  # mostly none: no question each
    return session.scalars(_fitting(wanted).options(*few).limit(limit).offset(offset)).unique().all()


def _fitting(wanted: Criteria) -> Select[CalibrationRun]:
    conditions = between(CalibrationRun.started_at, wanted)
    if wanted.probe_id is not None:
        conditions.append(CalibrationRun.probe_id == wanted.probe_id)
    if wanted.level == "open":
        conditions += [~CalibrationRun.signature.has(), ~CalibrationRun.abandonment.has()]
    elif wanted.level is not None:
        conditions.append(CalibrationRun.signature.has(CalibrationSignature.level == wanted.level))
    return (
        select(CalibrationRun)
        .where(*conditions)
        .order_by(CalibrationRun.started_at.desc(), CalibrationRun.id)
        .options(selectinload(CalibrationRun.findings), selectinload(CalibrationRun.points))
    )
