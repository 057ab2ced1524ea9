"""The questions that services ask of the store."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from sqlalchemy import (
    ColumnElement,
    Select,
    Text,
    all_,
    and_,
    cast,
    exists,
    func,
    literal,
    null,
    or_,
    select,
    text,
    true,
    union_all,
    update,
)
from sqlalchemy.dialects.postgresql import ARRAY, distinct_on
from sqlalchemy.orm import Session, aliased, defer, joinedload, lazyload, selectinload
from sqlalchemy.orm.interfaces import ORMOption

from brumel.core.calibrating.methods import SHARED_CUP
from brumel.core.quantities.quantity import quantities
from brumel.core.sensing.response import TAKEN_OVER, Origin
from brumel.store.models.calibration import (
    AmendmentKind,
    CalibrationAmendment,
    CalibrationCoefficient,
    CalibrationFinding,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    KeptBy,
)
from brumel.store.models.reading import Reading
from brumel.store.models.reference import (
    ChangeCount,
    Device,
    DeviceSample,
    LoginAttempt,
    Lot,
    Person,
    PlannedRound,
    Probe,
    Site,
)
from brumel.store.models.shelf import LotRecord
from brumel.store.visit_queries import by_name, stands, with_site

SAMPLE_CHANNEL = "brumel_sample"
DEVICE_CHANNEL = "brumel_device"
WANTED_CHANNEL = "brumel_wanted"
_SAMPLES_KEPT = timedelta(hours=2)


def _without_working(reading: type[Reading]) -> tuple[ORMOption, ...]:
    """Long lists need neither working nor budget, and both are read from JSON."""
    return defer(reading.working, raiseload=True), defer(reading.budget, raiseload=True)


def change_counts(session: Session) -> Mapping[str, int]:
    """How many transactions have recorded or changed something, by table; none where a table has none."""
    counts: Mapping[str, int] = session.execute(select(ChangeCount.counts)).scalar_one()
    return counts


def person_by_login(session: Session, login: str) -> Person | None:
    """The person who signs in with this name."""
    return session.scalar(select(Person).where(Person.login == login))


@dataclass(frozen=True)
class Failures:
    """How often something failed lately, and how long ago the last time was, s."""

    count: int
    since_s: float


def failures(session: Session, of: Mapping[str, str], window: timedelta) -> Failures:
    """Failed attempts to sign in within the window, of a name, an address or a browser, since its last success.

    Each attempt counts from its beginning on; the row of its success comes after that of its beginning.
    """
    same = and_(*(getattr(LoginAttempt, name) == value for name, value in of.items()))
    if "address" in of:  # others sign in from there too: a success of theirs forgives its own beginning only
        counted = func.count().filter(~LoginAttempt.succeeded) - func.count().filter(LoginAttempt.succeeded)
    else:
        success = select(func.max(LoginAttempt.id)).where(same, LoginAttempt.succeeded).scalar_subquery()
        counted = func.count().filter(~LoginAttempt.succeeded, LoginAttempt.id > func.coalesce(success, 0))
    last = func.max(LoginAttempt.at).filter(~LoginAttempt.succeeded)
    since = func.coalesce(func.extract("epoch", func.clock_timestamp() - last), window.total_seconds())
    row = session.execute(select(counted, since).where(same, LoginAttempt.at > func.now() - window)).one()
    return Failures(row[0], float(row[1]))


def probes(session: Session, some: Collection[uuid.UUID] | None = None, *, retired: bool = False) -> Sequence[Probe]:
    """All probes that are used, or some, by label; ``retired`` has the others too."""
    query = select(Probe).order_by(Probe.label)
    if some is not None:
        query = query.where(Probe.id.in_(some))
    elif not retired:
        query = query.where(Probe.retired_on.is_(None))
    return session.scalars(query).all()


def lots(session: Session, usable_standard: str | None = None) -> Sequence[Lot]:
    """All lots, by value, the freshest first; or those of one standard that have not been discarded."""
    query = select(Lot).order_by(Lot.standard, Lot.nominal, Lot.expires_on.desc(), Lot.lot_number)
    if usable_standard is not None:
        query = query.where(Lot.standard == usable_standard, Lot.discarded_on.is_(None))
    return session.scalars(query).all()


def lot_records(session: Session, lot_id: uuid.UUID | None = None) -> Sequence[LotRecord]:
    """The shelf's log, the oldest first; of one lot or of all."""
    query = select(LotRecord).order_by(LotRecord.at)
    return session.scalars(query if lot_id is None else query.where(LotRecord.lot_id == lot_id)).all()


def taken_from_lots(session: Session, since: datetime | None = None) -> list[tuple[uuid.UUID, float | None, float]]:
    """Of a lot a share of a cup that the rinse took, how many points were taken so; without a share, how much by hand.

    All, or since a moment; of lots that were not discarded.
    """
    standing = select(Lot.id).where(Lot.discarded_on.is_(None))
    share = CalibrationRun.method["rinse"]["standard_share"].as_float()
    query = (
        select(CalibrationPoint.lot_id, share, func.count())
        .join(CalibrationRun, CalibrationRun.id == CalibrationPoint.run_id)
        .where(CalibrationPoint.lot_id.in_(standing), literal(SHARED_CUP) != all_(CalibrationPoint.deviations))
        .group_by(CalibrationPoint.lot_id, share)
    )
    by_hand = select(LotRecord.lot_id, null(), func.sum(LotRecord.amount))
    by_hand = by_hand.where(LotRecord.lot_id.in_(standing), LotRecord.amount.is_not(None))
    by_hand = by_hand.group_by(LotRecord.lot_id)
    if since is not None:
        query, by_hand = query.where(CalibrationPoint.taken_at >= since), by_hand.where(LotRecord.at >= since)
    return [(row[0], row[1], float(row[2])) for row in session.execute(union_all(query, by_hand))]


def planned_rounds(session: Session, since: datetime) -> Sequence[PlannedRound]:
    """Rounds that leave after a moment and have not been dropped, the next first."""
    query = select(PlannedRound).where(PlannedRound.departure > since, ~PlannedRound.dropped)
    return session.scalars(query.order_by(PlannedRound.departure)).all()


def runs_with_lot(session: Session, lot_id: uuid.UUID, limit: int) -> Sequence[CalibrationRun]:
    """The newest calibrations that a lot served in."""
    used = select(CalibrationPoint.run_id).where(CalibrationPoint.lot_id == lot_id)
    query = select(CalibrationRun).where(CalibrationRun.id.in_(used)).order_by(CalibrationRun.started_at.desc())
    return session.scalars(query.limit(limit)).all()


def sites(session: Session, *, retired: bool = False) -> Sequence[Site]:
    """All sites that are read, by code; ``retired`` has the others too."""
    query = select(Site).order_by(Site.code)
    return session.scalars(query if retired else query.where(Site.retired_on.is_(None))).all()


def some_sites(session: Session, ids: Collection[uuid.UUID]) -> Sequence[Site]:
    """Sites by their keys."""
    return session.scalars(select(Site).where(Site.id.in_(ids)).order_by(Site.code)).all() if ids else []


def findings_of_run(session: Session, run_id: uuid.UUID) -> Sequence[CalibrationFinding]:
    """The findings of a signed run in reading order."""
    return session.scalars(
        select(CalibrationFinding).where(CalibrationFinding.run_id == run_id).order_by(CalibrationFinding.ordinal)
    ).all()


def run_in_full(session: Session, run_id: uuid.UUID, *, traces: bool = False) -> CalibrationRun | None:
    """A run with its points, begun steps, findings and amendments, and the points' traces where asked for."""
    points = selectinload(CalibrationRun.points)
    query = (
        select(CalibrationRun)
        .where(CalibrationRun.id == run_id)
        .options(
            joinedload(CalibrationRun.coefficients),
            points.joinedload(CalibrationPoint.trace) if traces else points,
            selectinload(CalibrationRun.begun),
            selectinload(CalibrationRun.findings),
            selectinload(CalibrationRun.amendments),
            selectinload(CalibrationRun.entries),
        )
        .execution_options(populate_existing=True)
    )
    return session.execute(query).unique().scalar_one_or_none()


def begun_in_kit(session: Session, kit: str, since: datetime, until: datetime) -> Sequence[CalibrationRun]:
    """Runs of ours with probes of a kit that were begun within a time and have points, the oldest first."""
    taken = exists().where(CalibrationPoint.run_id == CalibrationRun.id)
    within = (CalibrationRun.started_at >= since, CalibrationRun.started_at <= until)
    query = select(CalibrationRun).join(Probe, Probe.id == CalibrationRun.probe_id).where(Probe.kit == kit, taken)
    return session.scalars(query.where(*within).order_by(CalibrationRun.started_at)).all()


def runs_with_points(session: Session, probe_id: uuid.UUID, since: datetime) -> list[uuid.UUID]:
    """Keys of a probe's runs that have something taken since a moment, the newest first."""
    taken = exists().where(CalibrationPoint.run_id == CalibrationRun.id, CalibrationPoint.taken_at >= since)
    query = select(CalibrationRun.id).where(CalibrationRun.probe_id == probe_id, taken, ~_withdrawn())
    return list(session.scalars(query.order_by(CalibrationRun.started_at.desc())))


def _withdrawn() -> Any:
    return exists().where(
        CalibrationAmendment.run_id == CalibrationRun.id, CalibrationAmendment.kind == AmendmentKind.WITHDRAWAL
    )


def signed_runs(probe_id: uuid.UUID | None, before: datetime) -> Select[CalibrationRun]:
    """Signed runs that have not been withdrawn, the newest first."""
    query = (
        select(CalibrationRun)
        .join(CalibrationSignature)
        .where(CalibrationSignature.signed_at <= before, ~_withdrawn())
        .order_by(CalibrationSignature.signed_at.desc())
    )
    return query if probe_id is None else query.where(CalibrationRun.probe_id == probe_id)


def basis_run(session: Session, probe_id: uuid.UUID, at: datetime) -> CalibrationRun | None:
    """The newest signed run of ours before ``at`` that was not judged unfit: readings of a signal rest on it."""
    query = signed_runs(probe_id, at).where(
        CalibrationSignature.level != "unfit", CalibrationRun.kept_by == KeptBy.BRUMEL
    )
    return session.scalars(query.limit(1)).first()


def newest_run(session: Session, probe_id: uuid.UUID, at: datetime) -> CalibrationRun | None:
    """The newest signed run of ours before ``at``, whatever its verdict."""
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
    """When a coefficient of a probe was fitted last."""
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
    """The newest run before ``at`` that the probe's meter keeps, with its points."""
    query = signed_runs(probe_id, at).where(CalibrationRun.kept_by == KeptBy.METER)
    return session.scalars(query.options(selectinload(CalibrationRun.points)).limit(1)).first()


def full_runs(probe_id: uuid.UUID, before: datetime, minor: Collection[str] = ()) -> Select[CalibrationRun]:
    """Usable runs whose coefficients were all fitted, none but the minor ones taken over, the newest first."""
    taken_over = exists().where(
        CalibrationCoefficient.run_id == CalibrationRun.id,
        CalibrationCoefficient.origin.in_(TAKEN_OVER),
        CalibrationCoefficient.key.not_in(minor),
    )
    return signed_runs(probe_id, before).where(
        CalibrationSignature.level != "unfit", CalibrationRun.kept_by == KeptBy.BRUMEL, ~taken_over
    )


def _newest_ids(at: datetime, *conditions: ColumnElement[bool]) -> Select[uuid.UUID]:
    """Of every probe the newest signed and standing run before a moment that fulfils some conditions."""
    query = select(CalibrationRun.id).join(CalibrationSignature).where(CalibrationSignature.signed_at <= at)
    query = query.where(~_withdrawn(), *conditions).ext(distinct_on(CalibrationRun.probe_id))
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
    within = and_(CalibrationSignature.signed_at >= since, CalibrationSignature.signed_at <= until, ~_withdrawn())
    query = select(CalibrationRun).join(CalibrationSignature)
    query = query.where(or_(within, CalibrationRun.id.in_(_newest_ids(since))))
    return session.scalars(
        query.options(lazyload(CalibrationRun.coefficients)).order_by(CalibrationSignature.signed_at)
    ).all()


def some_runs(session: Session, ids: Collection[uuid.UUID]) -> Sequence[CalibrationRun]:
    """Runs by their keys, with their points."""
    if not ids:
        return []
    query = select(CalibrationRun).where(CalibrationRun.id.in_(ids)).options(joinedload(CalibrationRun.coefficients))
    return session.scalars(query.options(selectinload(CalibrationRun.points))).unique().all()


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
    """The coefficients of a probe's newest signed and standing runs before ``at``, the oldest first."""
    run, end = CalibrationRun, CalibrationSignature
    newest = signed_runs(probe_id, at).with_only_columns(run.id, run.started_at, end.signed_at, end.level, run.kept_by)
    c, own = newest.limit(limit).subquery().c, CalibrationCoefficient
    query = select(c.id, c.started_at, c.signed_at, c.level, c.kept_by, own.key, own.value, own.origin)
    query = query.join(own, own.run_id == c.id).order_by(c.signed_at, c.id, own.ordinal)
    return [CoefficientRow(*row) for row in session.execute(query)]


def checks_of_probe(session: Session, probe_id: uuid.UUID, at: datetime, limit: int) -> Sequence[CalibrationRun]:
    """A probe's newest signed runs of ours that have check points, with all points, the newest first."""
    checked = exists().where(CalibrationPoint.run_id == CalibrationRun.id, CalibrationPoint.use == "check")
    query = signed_runs(probe_id, at).where(CalibrationRun.kept_by == KeptBy.BRUMEL, checked).limit(limit)
    query = query.options(joinedload(CalibrationRun.coefficients), selectinload(CalibrationRun.points))
    return session.scalars(query).unique().all()


def open_runs(session: Session) -> Sequence[CalibrationRun]:
    """Runs begun and neither signed nor given up, the newest first."""
    return session.scalars(
        select(CalibrationRun)
        .where(~CalibrationRun.signature.has(), ~CalibrationRun.abandonment.has())
        .options(selectinload(CalibrationRun.points))
        .order_by(CalibrationRun.started_at.desc())
    ).all()


@dataclass(frozen=True)
class Criteria:
    """Which records to find; None lets all pass. ``until`` is excluded."""

    probe_id: uuid.UUID | None = None
    site_id: uuid.UUID | None = None
    quantity: str | None = None
    since: datetime | None = None
    until: datetime | None = None
    level: str | None = None
    with_amended: bool = False


def between(column: Any, wanted: Criteria) -> list[ColumnElement[bool]]:
    """That a moment lies within the span that is asked for."""
    found: list[ColumnElement[bool]] = []
    if wanted.since is not None:
        found.append(column >= wanted.since)
    if wanted.until is not None:
        found.append(column < wanted.until)
    return found


def all_runs(wanted: Criteria) -> Select[CalibrationRun]:
    """Runs that fit, the newest first, with points, findings and amendments."""
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
        .options(
            selectinload(CalibrationRun.findings),
            selectinload(CalibrationRun.points),
            selectinload(CalibrationRun.amendments),
        )
    )


def runs(session: Session, wanted: Criteria, *, limit: int | None = None, offset: int = 0) -> Sequence[CalibrationRun]:
    """Some of :func:`all_runs`."""
    return session.scalars(all_runs(wanted).limit(limit).offset(offset)).all()


def all_readings(wanted: Criteria, *, findings: bool = True, working: bool = False) -> Select[Reading]:
    """Readings that fit, the newest first; those that were amended only where asked for."""
    conditions = between(Reading.taken_at, wanted)
    if wanted.probe_id is not None:
        conditions.append(Reading.probe_id == wanted.probe_id)
    if wanted.site_id is not None:
        conditions.append(Reading.site_id == wanted.site_id)
    if wanted.quantity is not None:
        conditions.append(Reading.quantity == wanted.quantity)
    if wanted.level is not None:
        conditions.append(Reading.level == wanted.level)
    if not wanted.with_amended:
        conditions.append(stands())
    query = select(Reading).where(*conditions).order_by(Reading.taken_at.desc(), Reading.ordinal.desc())
    query = query.options(*by_name(), *(() if working else _without_working(Reading)))
    return query.options(selectinload(Reading.findings)) if findings else query


def readings(
    session: Session, wanted: Criteria, *, limit: int | None = None, offset: int = 0, findings: bool = True,
    working: bool = True,
) -> Sequence[Reading]:  # fmt: skip
    """Some of :func:`all_readings`."""
    query = all_readings(wanted, findings=findings, working=working)
    return session.scalars(query.limit(limit).offset(offset)).all()


def sites_read_with(session: Session, probe_id: uuid.UUID, since: datetime) -> set[uuid.UUID]:
    """The sites that a probe has read since a moment."""
    return set(
        session.scalars(
            select(Reading.site_id).where(Reading.probe_id == probe_id, Reading.taken_at >= since, stands()).distinct()
        )
    )


def reading_in_full(session: Session, reading_id: uuid.UUID) -> Reading | None:
    """A reading with its findings."""
    whole = selectinload(Reading.findings), *with_site()
    return session.scalar(select(Reading).where(Reading.id == reading_id).options(*whole))


def amendment_of(session: Session, reading_id: uuid.UUID) -> Reading | None:
    """The reading that amends this one, if there is one."""
    return session.scalar(select(Reading).where(Reading.amends_id == reading_id))


def last_readings_of_sites(session: Session) -> dict[uuid.UUID, list[Reading]]:
    """The newest reading of every site and quantity that no amendment has replaced, the newest first; without working.

    One look at the index for each site and quantity, so that it costs the same after ten years.
    """
    keys = select(func.unnest(cast([*quantities()], ARRAY(Text))).label("key")).subquery()
    newest = (
        select(Reading)
        .where(Reading.site_id == Site.id, Reading.quantity == keys.c.key, stands())
        .order_by(Reading.taken_at.desc(), Reading.ordinal.desc())
        .limit(1)
        .lateral()
    )
    found = aliased(Reading, newest)
    query = select(found).select_from(Site).join(keys, true()).join(newest, true())
    query = query.options(*_without_working(found), *by_name(found))
    by_site: dict[uuid.UUID, list[Reading]] = {}
    for reading in sorted(session.scalars(query), key=lambda r: (r.taken_at, r.ordinal), reverse=True):
        assert reading.site_id is not None
        by_site.setdefault(reading.site_id, []).append(reading)
    return by_site


def samples_after(session: Session, device_id: uuid.UUID, after_seq: int) -> Sequence[DeviceSample]:
    """Live samples after the given one, in order."""
    return session.scalars(
        select(DeviceSample)
        .where(DeviceSample.device_id == device_id, DeviceSample.seq > after_seq)
        .order_by(DeviceSample.seq)
    ).all()


def last_sample_seq(session: Session, device_id: uuid.UUID) -> int:
    """Number of the newest live sample; 0 where there is none."""
    return session.scalar(select(func.max(DeviceSample.seq)).where(DeviceSample.device_id == device_id)) or 0


def devices(session: Session) -> Sequence[Device]:
    """All devices, by label."""
    return session.scalars(select(Device).order_by(Device.label)).all()


def newest_values(session: Session, device_ids: Collection[uuid.UUID]) -> dict[uuid.UUID, list[float]]:
    """The values of each device's newest sample; a device that sent nothing lately is missing."""
    newest = (
        select(DeviceSample.values)
        .where(DeviceSample.device_id == Device.id)
        .order_by(DeviceSample.seq.desc())
        .limit(1)
        .lateral()
    )
    query = select(Device.id, newest.c["values"]).join(newest, true()).where(Device.id.in_(device_ids))
    return {row[0]: row[1] for row in session.execute(query)}


def newest_sample_at(session: Session, device_id: uuid.UUID) -> datetime | None:
    """When the newest live sample was stored."""
    return session.scalar(
        select(DeviceSample.stored_at)
        .where(DeviceSample.device_id == device_id)
        .order_by(DeviceSample.seq.desc())
        .limit(1)
    )


def mark_wanted(session: Session, device_id: uuid.UUID, seconds: float) -> None:
    """Say that someone looks at the device, and wake its link."""
    session.execute(
        update(Device).where(Device.id == device_id).values(wanted_until=func.now() + timedelta(seconds=seconds))
    )
    session.execute(select(func.pg_notify(WANTED_CHANNEL, str(device_id))))


def wanted_devices(session: Session, url: str) -> Sequence[Device]:
    """Devices on this line that someone looks at now."""
    return session.scalars(
        select(Device).where(Device.url == url, Device.wanted_until > func.now()).order_by(Device.address)
    ).all()


def prune_samples(session: Session) -> None:
    """Forget live samples that no trace can need any more."""
    session.execute(text("DELETE FROM device_sample WHERE stored_at < now() - :kept"), {"kept": _SAMPLES_KEPT})
