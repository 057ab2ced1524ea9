"""What happens to a lot on the shelf."""

from __future__ import annotations

import uuid
from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Identity, Index
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brumel.store.models.base import Base, Recorded, one_of, own_id
from brumel.store.models.reference import Person


class LotEvent(StrEnum):
    """What is done with a lot."""

    RECEIVED = "received"
    OPENED = "opened"
    USED = "used"
    DISCARDED = "discarded"
    CORRECTED = "corrected"
    WITHDRAWN = "withdrawn"
    """An entry of use was wrong; its amount, with a minus, is there again."""


class LotRecord(Recorded, Base):
    """One entry of a lot's log; an amount is in the unit of the lot's pack."""

    __tablename__ = "lot_record"
    __table_args__ = (
        CheckConstraint(one_of("event", LotEvent), name="event"),
        CheckConstraint("(event IN ('used', 'withdrawn')) = (amount IS NOT NULL)", name="amount"),
        CheckConstraint("(event = 'withdrawn') = (amount < 0)", name="amount_sign"),
        CheckConstraint("(event = 'corrected') = (corrects IS NOT NULL)", name="corrects"),
        Index("ix_lot_record_lot_id", "lot_id"),
    )

    id: Mapped[uuid.UUID] = own_id()
    lot_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("lot.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    event: Mapped[str]
    amount: Mapped[float | None]
    note: Mapped[str]
    corrects: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """What stands on the lot instead of what was typed wrongly; a trigger of the owner puts it there."""
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class LotCertificate(Recorded, Base):
    """The certificate that came with a lot: a PDF or a picture."""

    __tablename__ = "lot_certificate"

    lot_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("lot.id"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    media_type: Mapped[str]
    content: Mapped[bytes]
