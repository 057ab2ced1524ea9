"""Calibrations: a run, and all that is added to it."""

from __future__ import annotations

import uuid
from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    ForeignKey,
    Identity,
    Index,
    text,
)
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brumel.core.findings import Acceptance
from brumel.store.models.base import Base, FindingColumns, Source, one_of, own_id
from brumel.store.models.reference import Lot, Person, Probe


class CalibrationRun(Base):
    """A calibration begun; all that follows are rows that point here."""

    __tablename__ = "calibration_run"
    __table_args__ = (Index("ix_calibration_run_probe_id_started_at", "probe_id", "started_at"),)

    id: Mapped[uuid.UUID] = own_id()
    probe_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("probe.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    started_at: Mapped[datetime]
    method_code: Mapped[str]
    method: Mapped[dict[str, Any]]
    rinse: Mapped[str]
    lots: Mapped[dict[str, Any]]
    waters_ph_low: Mapped[float | None]
    waters_ph_high: Mapped[float | None]
    new_electrode: Mapped[bool]

    probe: Mapped[Probe] = relationship(lazy="joined", innerjoin=True)
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)
    points: Mapped[list[CalibrationPoint]] = relationship(order_by="CalibrationPoint.ordinal", viewonly=True)
    immersions: Mapped[list[CalibrationImmersion]] = relationship(
        order_by="CalibrationImmersion.ordinal", viewonly=True
    )
    findings: Mapped[list[CalibrationFinding]] = relationship(order_by="CalibrationFinding.ordinal", viewonly=True)
    signature: Mapped[CalibrationSignature | None] = relationship(lazy="joined", viewonly=True)
    abandonment: Mapped[CalibrationAbandonment | None] = relationship(lazy="joined", viewonly=True)
    amendments: Mapped[list[CalibrationAmendment]] = relationship(order_by="CalibrationAmendment.at", viewonly=True)


class CalibrationImmersion(Base):
    """The probe was put into a buffer for a step; the trace of the point begins here."""

    __tablename__ = "calibration_immersion"
    __table_args__ = (Index("ix_calibration_immersion_run_id", "run_id"),)

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"))
    step: Mapped[str]
    at: Mapped[datetime]
    after_seq: Mapped[int] = mapped_column(BigInteger)


class CalibrationPoint(Base):
    """One accepted point; a later point of the same step supersedes it."""

    __tablename__ = "calibration_point"
    __table_args__ = (
        CheckConstraint(one_of("source", Source), name="source"),
        CheckConstraint(one_of("acceptance", Acceptance), name="acceptance"),
        Index("ix_calibration_point_run_id", "run_id"),
    )

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    step: Mapped[str]
    use: Mapped[str]
    lot_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("lot.id"))
    taken_at: Mapped[datetime]
    source: Mapped[str]
    mv: Mapped[float]
    temperature_c: Mapped[float]
    nominal_ph: Mapped[float]
    family: Mapped[str]
    buffer_ph: Mapped[float]
    buffer_u_ph: Mapped[float]
    value_known: Mapped[bool]
    expired_days: Mapped[int]
    over_open_days: Mapped[int]
    acceptance: Mapped[str]
    settling_words: Mapped[str]
    settling_s: Mapped[float | None]
    left_over_mv: Mapped[float | None]
    """How far it may lie from the end of its approach; None where no trace tells."""
    deviations: Mapped[list[str]]

    lot: Mapped[Lot] = relationship(lazy="selectin")
    trace: Mapped[CalibrationTrace | None] = relationship(viewonly=True)


class CalibrationTrace(Base):
    """The samples behind a point, times in s since immersion."""

    __tablename__ = "calibration_trace"

    point_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_point.id"), primary_key=True)
    times_s: Mapped[list[float]]
    mv: Mapped[list[float]]
    temperature_c: Mapped[list[float]]


class CalibrationSignature(Base):
    """The run is finished: its line and its verdict, signed."""

    __tablename__ = "calibration_signature"
    __table_args__ = (Index("ix_calibration_signature_signed_at", "signed_at"),)

    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    signed_at: Mapped[datetime]
    level: Mapped[str]
    slope_percent: Mapped[float]
    offset_mv: Mapped[float]
    u_slope_percent: Mapped[float]
    u_offset_mv: Mapped[float]
    covariance: Mapped[float]
    slope_origin: Mapped[str]
    buffers_ph_low: Mapped[float]
    buffers_ph_high: Mapped[float]
    temperature_c: Mapped[float | None]
    """Mean temperature of the buffers."""
    note: Mapped[str]

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class CalibrationFinding(FindingColumns, Base):
    """One finding of a signed run, as it was when signed."""

    __tablename__ = "calibration_finding"

    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"), primary_key=True)


class CalibrationAbandonment(Base):
    """The run was given up; its points stay."""

    __tablename__ = "calibration_abandonment"

    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    reason: Mapped[str]

    person: Mapped[Person] = relationship(lazy="selectin")


class AmendmentKind(StrEnum):
    """What an amendment of a calibration says."""

    NOTE = "note"
    WITHDRAWAL = "withdrawal"


class CalibrationAmendment(Base):
    """Something to add to a signed run; a withdrawal ends it as a basis for readings."""

    __tablename__ = "calibration_amendment"
    __table_args__ = (
        CheckConstraint(one_of("kind", AmendmentKind), name="kind"),
        # A calibration is withdrawn once.
        Index(
            "uq_calibration_amendment_withdrawal",
            "run_id",
            unique=True,
            postgresql_where=text("kind = 'withdrawal'"),
        ),
    )

    id: Mapped[uuid.UUID] = own_id()
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    kind: Mapped[str]
    reason: Mapped[str]

    person: Mapped[Person] = relationship(lazy="selectin")
