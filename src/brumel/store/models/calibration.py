"""Calibrations: a run, and all that is added to it."""

from __future__ import annotations

import uuid
from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    ARRAY,
    BigInteger,
    CheckConstraint,
    ForeignKey,
    Identity,
    Index,
    Uuid,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brumel.core.findings import Acceptance
from brumel.core.sensing.response import Origin
from brumel.store.models.base import Base, FindingColumns, Recorded, Source, one_of, own_id
from brumel.store.models.reference import Instrument, Lot, Person, Probe
from brumel.store.models.series import SeriesBlock


class KeptBy(StrEnum):
    """Who holds the coefficients that a run finds."""

    BRUMEL = "brumel"
    METER = "meter"


class CalibrationRun(Recorded, Base):
    """A calibration begun; all that follows are rows that point here."""

    __tablename__ = "calibration_run"
    __table_args__ = (
        CheckConstraint(one_of("kept_by", KeptBy), name="kept_by"),
        Index("ix_calibration_run_probe_id_started_at", "probe_id", "started_at"),
    )

    id: Mapped[uuid.UUID] = own_id()
    probe_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("probe.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    started_at: Mapped[datetime]
    kept_by: Mapped[str]
    method_code: Mapped[str]
    method: Mapped[dict[str, Any]]
    """Method, tolerances and rinse as they were, whole."""
    rinse: Mapped[str]
    lots: Mapped[dict[str, Any]]
    """The lot chosen for each step; a point says which one it took."""
    waters_low: Mapped[float | None]
    waters_high: Mapped[float | None]
    new_sensor: Mapped[bool]
    reference: Mapped[str]
    """The probe's own reference electrode, where it has one to name."""
    not_ready: Mapped[str] = mapped_column(server_default=text("''"))
    """Why the probe was not ready when the run began; empty where it was."""
    despite: Mapped[str] = mapped_column(server_default=text("''"))
    """Why it was used all the same."""
    checks_back: Mapped[bool] = mapped_column(server_default=text("false"))
    """Whether it checks a probe back from a round: it gives no coefficients, and renews nothing."""

    probe: Mapped[Probe] = relationship(lazy="joined", innerjoin=True)
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)
    points: Mapped[list[CalibrationPoint]] = relationship(order_by="CalibrationPoint.ordinal", viewonly=True)
    begun: Mapped[list[CalibrationStep]] = relationship(order_by="CalibrationStep.ordinal", viewonly=True)
    coefficients: Mapped[list[CalibrationCoefficient]] = relationship(
        lazy="selectin", order_by="CalibrationCoefficient.ordinal", viewonly=True
    )
    findings: Mapped[list[CalibrationFinding]] = relationship(order_by="CalibrationFinding.ordinal", viewonly=True)
    signature: Mapped[CalibrationSignature | None] = relationship(lazy="joined", viewonly=True)
    abandonment: Mapped[CalibrationAbandonment | None] = relationship(lazy="joined", viewonly=True)
    amendments: Mapped[list[CalibrationAmendment]] = relationship(order_by="CalibrationAmendment.at", viewonly=True)
    entries: Mapped[list[CalibrationEntry]] = relationship(order_by="CalibrationEntry.ordinal", viewonly=True)


class CalibrationStep(Recorded, Base):
    """A step was begun: the probe is in its standard and the trace of the point begins here, or it is simply done."""

    __tablename__ = "calibration_step"
    __table_args__ = (Index("ix_calibration_step_run_id", "run_id"),)

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    step: Mapped[str]
    at: Mapped[datetime]
    after_seq: Mapped[int] = mapped_column(BigInteger)


class CalibrationPoint(Recorded, Base):
    """One accepted point; a later point of the same step supersedes it."""

    __tablename__ = "calibration_point"
    __table_args__ = (
        CheckConstraint(one_of("source", Source), name="source"),
        CheckConstraint(one_of("acceptance", Acceptance), name="acceptance"),
        Index("ix_calibration_point_run_id", "run_id"),
        Index("ix_calibration_point_lot_id", "lot_id"),
    )

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    begun_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("calibration_step.id"))
    """When the probe went in for it; None where nobody said so."""
    step: Mapped[str]
    use: Mapped[str]
    lot_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("lot.id"))
    instrument_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("instrument.id"))
    """What its target was read off, where it was taken beside one."""
    taken_at: Mapped[datetime]
    source: Mapped[str]
    nominal: Mapped[float | None]
    family: Mapped[str]
    target: Mapped[float]
    """What the standard is at its measured temperature."""
    target_u: Mapped[float]
    target_unit: Mapped[str]
    target_known: Mapped[bool]
    signal: Mapped[float | None]
    signal_unit: Mapped[str]
    temperature_c: Mapped[float]
    pressure_hpa: Mapped[float | None]
    shown_before: Mapped[float | None]
    """What a meter that keeps its calibration showed before adjusting, in the target's unit."""
    shown_after: Mapped[float | None]
    expired_days: Mapped[int]
    over_open_days: Mapped[int]
    acceptance: Mapped[str]
    settling_words: Mapped[str]
    settling_said: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """How it settled, by its key; the words beside it are those that were read."""
    settling_s: Mapped[float | None]
    first_signal: Mapped[float | None]
    """The signal that its trace began with."""
    left_over: Mapped[float | None]
    """How far the signal may lie from the end of its approach; None where no trace tells."""
    deviations: Mapped[list[str]]
    """Each thing done otherwise, in the words that were read."""
    deviations_said: Mapped[list[Any]] = mapped_column(JSONB, server_default=text("'[]'"))
    """The same by keys, with what was typed as it was."""
    meter_did: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'"))
    """What its meter had done to the typed value, undone in the signal."""

    lot: Mapped[Lot | None] = relationship(lazy="joined")
    instrument: Mapped[Instrument | None] = relationship(lazy="joined")
    blocks: Mapped[list[SeriesBlock]] = relationship(order_by=SeriesBlock.number, viewonly=True)
    """Its trace."""
    dropped: Mapped[CalibrationEntry | None] = relationship(lazy="joined", viewonly=True)


class CalibrationCoefficient(Base):
    """One coefficient of a signed run, and where it comes from."""

    __tablename__ = "calibration_coefficient"
    __table_args__ = (CheckConstraint(one_of("origin", Origin), name="origin"),)

    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"), primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    ordinal: Mapped[int]
    value: Mapped[float]
    u: Mapped[float | None]
    unit: Mapped[str]
    origin: Mapped[str]


class CalibrationSignature(Recorded, Base):
    """The run is finished: its verdict, signed, with the points that it rests on."""

    __tablename__ = "calibration_signature"
    __table_args__ = (Index("ix_calibration_signature_signed_at", "signed_at"),)

    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    signed_at: Mapped[datetime]
    level: Mapped[str]
    point_ids: Mapped[list[uuid.UUID]] = mapped_column(ARRAY(Uuid))
    """The points that stood when it was signed; the database refuses it where another stands by then."""
    covariance: Mapped[list[Any]]
    """Of the coefficients, in their order."""
    targets_low: Mapped[float | None]
    targets_high: Mapped[float | None]
    temperature_c: Mapped[float | None]
    """Mean temperature of the points."""
    note: Mapped[str]

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class CalibrationFinding(FindingColumns, Base):
    """One finding of a signed run, as it was when signed."""

    __tablename__ = "calibration_finding"

    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"), primary_key=True)


class CalibrationAbandonment(Recorded, Base):
    """The run was given up; its points stay."""

    __tablename__ = "calibration_abandonment"

    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    reason: Mapped[str]

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class RunEntryKind(StrEnum):
    """What befalls a run while it is open."""

    DROPPED = "dropped"
    TAKEN_OVER = "taken-over"
    PUT_RIGHT = "put-right"


class CalibrationEntry(Recorded, Base):
    """A point was dropped, another person took the run over, or a condition of it was put right; with the reason."""

    __tablename__ = "calibration_entry"
    __table_args__ = (
        CheckConstraint(one_of("kind", RunEntryKind), name="kind"),
        CheckConstraint("(kind = 'dropped') = (point_id IS NOT NULL)", name="point"),
        CheckConstraint("(kind = 'put-right') = (conditions IS NOT NULL)", name="conditions"),
        Index("ix_calibration_entry_run_id", "run_id"),
    )

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    kind: Mapped[str]
    point_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("calibration_point.id"), unique=True)
    conditions: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """What holds instead of what was said at the beginning: ``place``, and ``waters`` from lowest to highest."""
    reason: Mapped[str]

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class AmendmentKind(StrEnum):
    """What an amendment of a calibration says."""

    NOTE = "note"
    WITHDRAWAL = "withdrawal"


class CalibrationAmendment(Recorded, Base):
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

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)
