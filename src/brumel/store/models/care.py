"""What is done to a probe, and its inspections before use."""

from __future__ import annotations

import uuid
from datetime import date, datetime
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Identity, Index, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brumel.core.kit.care import MeterEvent
from brumel.store.models.base import Base, Recorded, one_of, own_id
from brumel.store.models.reference import Person


class CareRecord(Recorded, Base):
    """One entry of a probe's care log."""

    __tablename__ = "care_record"
    __table_args__ = (
        CheckConstraint("minutes > 0", name="minutes"),
        Index("ix_care_record_probe_id_at", "probe_id", "at"),
    )

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    probe_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("probe.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    care: Mapped[str]
    detail: Mapped[str]
    minutes: Mapped[float | None]
    note: Mapped[str]
    good_until: Mapped[date | None]
    """Last day of the part that was put in, where it has one."""
    findings: Mapped[list[Any]] = mapped_column(server_default=text("'[]'"))
    """What was found on the spot, as rows of findings."""
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)
    withdrawal: Mapped[CareWithdrawal | None] = relationship(lazy="joined", viewonly=True)


class CareWithdrawal(Recorded, Base):
    """An entry that was a mistake: it stays to be read and counts no more."""

    __tablename__ = "care_withdrawal"

    care_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("care_record.id"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    reason: Mapped[str]


class Inspection(Recorded, Base):
    """An inspection before use: the answer to each question of the probe's kind."""

    __tablename__ = "inspection"
    __table_args__ = (Index("ix_inspection_probe_id_at", "probe_id", "at"),)

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    probe_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("probe.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    answers: Mapped[dict[str, Any]]
    failed: Mapped[list[str]]
    note: Mapped[str]
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class InspectionPhoto(Base):
    """A photo taken at an inspection: re-encoded by us, without what the camera wrote into it."""

    __tablename__ = "inspection_photo"

    inspection_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("inspection.id"), primary_key=True)
    jpeg: Mapped[bytes]


class MeterRecord(Recorded, Base):
    """One entry of a meter's log."""

    __tablename__ = "meter_record"
    __table_args__ = (
        CheckConstraint(one_of("event", MeterEvent), name="event"),
        Index("ix_meter_record_meter_id_at", "meter_id", "at"),
    )

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    meter_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("meter.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    event: Mapped[str]
    note: Mapped[str]
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)
