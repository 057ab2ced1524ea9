"""The questions that services ask of the logs of probes and meters."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Sequence
from datetime import date, datetime
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Select, exists, false, func, literal, null, select, text, true, union_all
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from brumel.store.models.calibration import CalibrationRun, CalibrationSignature
from brumel.store.models.care import CareRecord, CareWithdrawal, Inspection, InspectionPhoto, MeterRecord
from brumel.store.models.reference import Meter
from brumel.store.queries.reference import Criteria, between
from brumel.store.queries.run import signed_runs

_RECENT = 12
"""So many entries of one kind tell a probe's state, and fill the ribbon with its calibrations."""


class CareRow(NamedTuple):
    """What the clocks need of an entry of the care log."""

    probe_id: uuid.UUID
    care: str
    at: datetime
    detail: str
    good_until: date | None
    findings: list[Any]


def _of(query: Select[Any], column: Any, keys: Collection[uuid.UUID] | None) -> Select[Any]:
    return query if keys is None else query.where(column.in_(keys))


def recent_care(session: Session, probe_ids: Collection[uuid.UUID] | None = None) -> list[CareRow]:
    """The newest standing entries of each kind of care, of all probes or some, the oldest first: clocks need them."""
    newest = func.row_number().over(
        partition_by=(CareRecord.probe_id, CareRecord.care), order_by=(CareRecord.at.desc(), CareRecord.ordinal.desc())
    )
    ranked = select(CareRecord, newest.label("rank")).where(~exists().where(CareWithdrawal.care_id == CareRecord.id))
    c = _of(ranked, CareRecord.probe_id, probe_ids).subquery().c
    rows = session.execute(
        select(c.probe_id, c.care, c.at, c.detail, c.good_until, c.findings)
        .where(c.rank <= _RECENT)
        .order_by(c.at, c.ordinal)
    )
    return [CareRow(*row) for row in rows]


class InspectionRow(NamedTuple):
    """What the clocks need of an inspection."""

    probe_id: uuid.UUID
    at: datetime
    failed: list[str]


def recent_inspections(session: Session, probe_ids: Collection[uuid.UUID] | None = None) -> list[InspectionRow]:
    """Return the newest inspections of each probe, or of some, the oldest first."""
    newest = func.row_number().over(
        partition_by=Inspection.probe_id, order_by=(Inspection.at.desc(), Inspection.ordinal.desc())
    )
    c = _of(select(Inspection, newest.label("rank")), Inspection.probe_id, probe_ids).subquery().c
    rows = session.execute(select(c.probe_id, c.at, c.failed).where(c.rank <= _RECENT).order_by(c.at, c.ordinal))
    return [InspectionRow(*row) for row in rows]


def newest_of(session: Session, words: Collection[str], probe_id: uuid.UUID | None = None) -> Sequence[CareRecord]:
    """Of each probe, or of one, the newest standing entry that is one of these words of care."""
    query = (
        select(CareRecord)
        .where(CareRecord.care.in_(words), ~exists().where(CareWithdrawal.care_id == CareRecord.id))
        .ext(distinct_on(CareRecord.probe_id))
        .order_by(CareRecord.probe_id, CareRecord.at.desc(), CareRecord.ordinal.desc())
    )
    return session.scalars(query if probe_id is None else query.where(CareRecord.probe_id == probe_id)).all()


class HappenedRow(NamedTuple):
    """Something that happened to a probe: care, inspection or calibration, its key, and whether it has a photo."""

    what: str
    key: uuid.UUID
    photo: bool


def happened(session: Session, probe_id: uuid.UUID, at: datetime, limit: int, offset: int) -> list[HappenedRow]:
    """Return what happened to a probe, the newest first."""
    done, photo = (
        signed_runs(probe_id, at, true()).order_by(None),
        exists().where(InspectionPhoto.inspection_id == Inspection.id),
    )
    care = select(literal("care"), CareRecord.id, false(), CareRecord.at.label("at"))
    looked = select(literal("inspection"), Inspection.id, photo, Inspection.at)
    found = union_all(
        care.where(CareRecord.probe_id == probe_id),
        looked.where(Inspection.probe_id == probe_id),
        done.with_only_columns(literal("calibration"), CalibrationRun.id, false(), CalibrationSignature.signed_at),
    )
    query = found.order_by(text("at DESC"), text("2")).limit(limit).offset(offset)
    return [HappenedRow(*row[:3]) for row in session.execute(query)]


def some_care(session: Session, ids: Collection[uuid.UUID]) -> Sequence[CareRecord]:
    """Return entries of care by their keys."""
    return session.scalars(select(CareRecord).where(CareRecord.id.in_(ids))).all() if ids else []


def some_inspections(session: Session, ids: Collection[uuid.UUID]) -> Sequence[Inspection]:
    """Inspections by their keys."""
    return session.scalars(select(Inspection).where(Inspection.id.in_(ids))).all() if ids else []


def care_records(session: Session, probe_id: uuid.UUID) -> Sequence[CareRecord]:
    """Return a probe's care log, withdrawn entries too, the oldest first."""
    query = select(CareRecord).where(CareRecord.probe_id == probe_id)
    return session.scalars(query.order_by(CareRecord.at, CareRecord.ordinal)).all()


def care_within(session: Session, wanted: Criteria) -> Sequence[CareRecord]:
    """Return entries of the care logs, withdrawn ones too, the newest first."""
    query = select(CareRecord).where(*_fits(CareRecord, wanted))
    return session.scalars(query.order_by(CareRecord.at.desc(), CareRecord.ordinal.desc())).all()


def inspections_within(session: Session, wanted: Criteria) -> Sequence[Inspection]:
    """Inspections, the newest first."""
    query = select(Inspection).where(*_fits(Inspection, wanted))
    return session.scalars(query.order_by(Inspection.at.desc(), Inspection.ordinal.desc())).all()


def _fits(model: type[CareRecord] | type[Inspection], wanted: Criteria) -> list[ColumnElement[bool]]:
    of_probe = [model.probe_id == wanted.probe_id] if wanted.probe_id is not None else []
    return [*of_probe, *between(model.at, wanted)]


def meters(session: Session, *, retired: bool = False) -> Sequence[Meter]:
    """Return all meters that are used, by label; ``retired`` has the others too."""
    query = select(Meter).order_by(Meter.label)
    return session.scalars(query if retired else query.where(Meter.retired_on.is_(None))).all()


class MeterRow(NamedTuple):
    """What the clocks need of an entry of a meter's log."""

    meter_id: uuid.UUID
    event: str
    at: datetime


def recent_meter_records(session: Session, meter_ids: Collection[uuid.UUID] | None = None) -> list[MeterRow]:
    """Of each meter, or of some, the newest entries of each kind of event, the oldest first."""
    newest = func.row_number().over(
        partition_by=(MeterRecord.meter_id, MeterRecord.event),
        order_by=(MeterRecord.at.desc(), MeterRecord.ordinal.desc()),
    )
    c = _of(select(MeterRecord, newest.label("rank")), MeterRecord.meter_id, meter_ids).subquery().c
    rows = session.execute(select(c.meter_id, c.event, c.at).where(c.rank <= _RECENT).order_by(c.at, c.ordinal))
    return [MeterRow(*row) for row in rows]


def done_since(
    session: Session, probe_ids: Collection[uuid.UUID], meter_ids: Collection[uuid.UUID], since: datetime,
    until: datetime,
) -> tuple[list[CareRow], list[MeterRow]]:  # fmt: skip
    """Return standing entries of the logs of some probes and of some meters between two moments, the oldest first."""
    c, m = CareRecord, MeterRecord
    care = select(literal("care"), c.probe_id, c.care, c.at.label("at"), c.detail, c.good_until, c.ordinal).where(
        c.probe_id.in_(probe_ids), c.at > since, c.at <= until, ~exists().where(CareWithdrawal.care_id == c.id)
    )
    meter = select(literal("meter"), m.meter_id, m.event, m.at, literal(""), null(), m.ordinal).where(
        m.meter_id.in_(meter_ids), m.at > since, m.at <= until
    )
    rows: Sequence[Any] = session.execute(union_all(care, meter).order_by(text("at"), text("ordinal"))).all()
    return (
        [CareRow(key, word, at, detail, good, []) for what, key, word, at, detail, good, _ in rows if what == "care"],
        [MeterRow(key, word, at) for what, key, word, at, *_ in rows if what == "meter"],
    )


def meter_records(session: Session, meter_id: uuid.UUID) -> Sequence[MeterRecord]:
    """Return a meter's log, the newest first."""
    query = select(MeterRecord).where(MeterRecord.meter_id == meter_id)
    return session.scalars(query.order_by(MeterRecord.at.desc(), MeterRecord.ordinal.desc())).all()
