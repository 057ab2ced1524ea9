"""The typed models. The migrations are the truth of the schema; a test holds the two together.

Three classes of table: *reference* (people, probes, lots, sites, devices) may be changed; *facts* are
only ever added to, by triggers and by what the application's role may do; *operational* tables hold
what passes (live samples).
"""

from __future__ import annotations

import uuid
from datetime import date, datetime
from enum import StrEnum
from typing import Any, ClassVar

from sqlalchemy import (
    ARRAY,
    BigInteger,
    CheckConstraint,
    DateTime,
    Double,
    ForeignKey,
    Identity,
    Index,
    MetaData,
    Text,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


class Base(DeclarativeBase):
    """Base of all models, with named constraints."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        str: Text,
        float: Double,
        datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        list[float]: ARRAY(Double),
        list[str]: ARRAY(Text),
    }


class PersonRole(StrEnum):
    """What a person may do."""

    TECHNICIAN = "technician"
    SUPERVISOR = "supervisor"
    READER = "reader"


class Source(StrEnum):
    """How a value came in."""

    DEVICE = "device"
    TYPED_MV = "typed-mv"
    TYPED_PH = "typed-ph"


def _one_of(column: str, values: type[StrEnum]) -> str:
    return f"{column} IN ({', '.join(repr(str(v)) for v in values)})"


def _id() -> Mapped[uuid.UUID]:
    return mapped_column(primary_key=True)


class Person(Base):
    """Someone who signs in."""

    __tablename__ = "person"
    __table_args__ = (
        CheckConstraint(_one_of("role", PersonRole), name="role"),
        CheckConstraint("login = lower(login)", name="login_lower"),
    )

    id: Mapped[uuid.UUID] = _id()
    login: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    role: Mapped[str]
    password_hash: Mapped[str]
    active: Mapped[bool] = mapped_column(server_default=text("true"))


class LoginAttempt(Base):
    """An attempt to sign in, by which sign-in is throttled."""

    __tablename__ = "login_attempt"
    __table_args__ = (Index("ix_login_attempt_login_at", "login", "at"),)

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    login: Mapped[str]
    address: Mapped[str]
    at: Mapped[datetime] = mapped_column(server_default=func.now())
    succeeded: Mapped[bool]


class Device(Base):
    """A probe's line as the application reads it; owned by one link process."""

    __tablename__ = "device"

    id: Mapped[uuid.UUID] = _id()
    label: Mapped[str] = mapped_column(unique=True)
    url: Mapped[str]
    address: Mapped[str]
    value_order: Mapped[list[str]]
    period_s: Mapped[float]
    clock_rate: Mapped[float] = mapped_column(server_default=text("1"))
    control: Mapped[str | None]
    wanted_until: Mapped[datetime | None]
    status: Mapped[str] = mapped_column(server_default=text("'idle'"))
    status_words: Mapped[str] = mapped_column(server_default=text("''"))


class DeviceSample(Base):
    """One live sample; operational, pruned by the link. ``time_s`` is the device's own clock, s."""

    __tablename__ = "device_sample"
    __table_args__ = (Index("ix_device_sample_device_id_seq", "device_id", "seq"),)

    seq: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    device_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("device.id"))
    time_s: Mapped[float]
    mv: Mapped[float]
    temperature_c: Mapped[float]
    stored_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Probe(Base):
    """A pH electrode in a kit."""

    __tablename__ = "probe"

    id: Mapped[uuid.UUID] = _id()
    label: Mapped[str] = mapped_column(unique=True)
    serial: Mapped[str] = mapped_column(unique=True)
    kind: Mapped[str]
    kit: Mapped[str]
    in_service_on: Mapped[date]
    device_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("device.id"))
    device: Mapped[Device | None] = relationship(lazy="joined")


class Lot(Base):
    """A bottle or box of sachets of one standard."""

    __tablename__ = "lot"
    __table_args__ = (
        CheckConstraint("expires_on >= received_on", name="expiry_after_receipt"),
        CheckConstraint("opened_on >= received_on", name="opened_after_receipt"),
    )

    id: Mapped[uuid.UUID] = _id()
    lot_number: Mapped[str] = mapped_column(unique=True)
    family: Mapped[str]
    nominal_ph: Mapped[float]
    received_on: Mapped[date]
    expires_on: Mapped[date]
    opened_on: Mapped[date | None]
    open_life_days: Mapped[int]
    certificate_u_ph: Mapped[float | None]
    value_table: Mapped[list[Any] | None]


class Site(Base):
    """A place where readings are taken."""

    __tablename__ = "site"
    __table_args__ = (CheckConstraint("expected_ph_low < expected_ph_high", name="expected_ph"),)

    id: Mapped[uuid.UUID] = _id()
    code: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    water_kind: Mapped[str]
    expected_ph_low: Mapped[float]
    expected_ph_high: Mapped[float]
    visit_every_days: Mapped[int]


class CalibrationRun(Base):
    """A calibration begun; all that follows are rows that point here."""

    __tablename__ = "calibration_run"
    __table_args__ = (Index("ix_calibration_run_probe_id_started_at", "probe_id", "started_at"),)

    id: Mapped[uuid.UUID] = _id()
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

    probe: Mapped[Probe] = relationship(lazy="joined")
    person: Mapped[Person] = relationship(lazy="joined")
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

    id: Mapped[uuid.UUID] = _id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"))
    step: Mapped[str]
    at: Mapped[datetime]
    after_seq: Mapped[int] = mapped_column(BigInteger)


class CalibrationPoint(Base):
    """One accepted point; a later point of the same step supersedes it."""

    __tablename__ = "calibration_point"
    __table_args__ = (
        CheckConstraint(_one_of("source", Source), name="source"),
        Index("ix_calibration_point_run_id", "run_id"),
    )

    id: Mapped[uuid.UUID] = _id()
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
    settled: Mapped[bool]
    settling_words: Mapped[str]
    settling_s: Mapped[float | None]
    deviations: Mapped[list[str]]

    lot: Mapped[Lot] = relationship(lazy="joined")
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
    note: Mapped[str]

    person: Mapped[Person] = relationship(lazy="joined")


class CalibrationFinding(Base):
    """One finding of a signed run, as it was when signed."""

    __tablename__ = "calibration_finding"

    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"), primary_key=True)
    ordinal: Mapped[int] = mapped_column(primary_key=True)
    code: Mapped[str]
    level: Mapped[str]
    sentence: Mapped[str]
    remedy: Mapped[str]
    minutes: Mapped[int | None]
    source: Mapped[str]


class CalibrationAbandonment(Base):
    """The run was given up; its points stay."""

    __tablename__ = "calibration_abandonment"

    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    reason: Mapped[str]

    person: Mapped[Person] = relationship(lazy="joined")


class AmendmentKind(StrEnum):
    """What an amendment of a calibration says."""

    NOTE = "note"
    WITHDRAWAL = "withdrawal"


class CalibrationAmendment(Base):
    """Something to add to a signed run; a withdrawal ends it as a basis for readings."""

    __tablename__ = "calibration_amendment"
    __table_args__ = (
        CheckConstraint(_one_of("kind", AmendmentKind), name="kind"),
        # A calibration is withdrawn once.
        Index(
            "uq_calibration_amendment_withdrawal",
            "run_id",
            unique=True,
            postgresql_where=text("kind = 'withdrawal'"),
        ),
    )

    id: Mapped[uuid.UUID] = _id()
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("calibration_run.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    kind: Mapped[str]
    reason: Mapped[str]

    person: Mapped[Person] = relationship(lazy="joined")


class Reading(Base):
    """A site reading of pH with the calibration it rests on; an amendment is another row."""

    __tablename__ = "reading"
    __table_args__ = (
        CheckConstraint(_one_of("source", Source), name="source"),
        CheckConstraint("(amends_id IS NULL) = (amend_reason IS NULL)", name="amendment_has_reason"),
        # A reading is amended once; a further change amends the amendment.
        Index("uq_reading_amends_id", "amends_id", unique=True),
        Index("ix_reading_taken_at", "taken_at"),
        Index("ix_reading_site_id_taken_at", "site_id", "taken_at"),
        Index("ix_reading_probe_id_taken_at", "probe_id", "taken_at"),
    )

    id: Mapped[uuid.UUID] = _id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    site_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("site.id"))
    probe_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("probe.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    recorded_at: Mapped[datetime]
    taken_at: Mapped[datetime]
    calibration_run_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("calibration_run.id"))
    source: Mapped[str]
    mv: Mapped[float | None]
    temperature_c: Mapped[float]
    shown_ph: Mapped[float | None]
    meter_setting_c: Mapped[float | None]
    ph: Mapped[float]
    u_ph: Mapped[float]
    level: Mapped[str]
    budget: Mapped[list[Any]]
    working: Mapped[list[Any]]
    settled: Mapped[bool | None]
    settling_words: Mapped[str]
    settling_s: Mapped[float | None]
    note: Mapped[str]
    amends_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("reading.id"))
    amend_reason: Mapped[str | None]

    site: Mapped[Site] = relationship(lazy="joined")
    probe: Mapped[Probe] = relationship(lazy="joined")
    person: Mapped[Person] = relationship(lazy="joined")
    findings: Mapped[list[ReadingFinding]] = relationship(order_by="ReadingFinding.ordinal", viewonly=True)
    trace: Mapped[ReadingTrace | None] = relationship(viewonly=True)


class ReadingTrace(Base):
    """The samples behind a reading, times in s since immersion."""

    __tablename__ = "reading_trace"

    reading_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("reading.id"), primary_key=True)
    times_s: Mapped[list[float]]
    mv: Mapped[list[float]]
    temperature_c: Mapped[list[float]]


class ReadingFinding(Base):
    """One finding of a reading, as it was when recorded."""

    __tablename__ = "reading_finding"

    reading_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("reading.id"), primary_key=True)
    ordinal: Mapped[int] = mapped_column(primary_key=True)
    code: Mapped[str]
    level: Mapped[str]
    sentence: Mapped[str]
    remedy: Mapped[str]
    minutes: Mapped[int | None]
    source: Mapped[str]


REFERENCE = (Person, Device, Probe, Lot, Site)
OPERATIONAL = (DeviceSample,)
ADDED_TO = (LoginAttempt,)
FACTS = (
    CalibrationRun,
    CalibrationImmersion,
    CalibrationPoint,
    CalibrationTrace,
    CalibrationSignature,
    CalibrationFinding,
    CalibrationAbandonment,
    CalibrationAmendment,
    Reading,
    ReadingTrace,
    ReadingFinding,
)
