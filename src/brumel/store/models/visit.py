"""A stay at a place: opened once, added to by whoever is there; and what people said of its readings."""

from __future__ import annotations

import uuid
from datetime import datetime
from enum import StrEnum

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Identity, Index
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brumel.core.wording import upper_first
from brumel.store.models.base import Base, Recorded, one_of, own_id
from brumel.store.models.reference import Person, Site


class VisitEntryKind(StrEnum):
    """What is said of a visit."""

    NOTE = "note"
    WEATHER = "weather"
    SKIPPED = "skipped"
    FINISHED = "finished"
    AERATED = "aerated"


class Visit(Recorded, Base):
    """One stay at a site, or at a named sample without a place."""

    __tablename__ = "visit"
    __table_args__ = (
        CheckConstraint("(site_id IS NULL) = (sample <> '')", name="site_or_sample"),
        Index("ix_visit_site_id_begun_at", "site_id", "begun_at"),
        Index("ix_visit_begun_at", "begun_at"),
    )

    id: Mapped[uuid.UUID] = own_id()
    site_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("site.id"))
    sample: Mapped[str]
    """What a sample without a place is called; empty at a site."""
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    round_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("planned_round.id"))
    begun_at: Mapped[datetime]

    site: Mapped[Site | None] = relationship(lazy="joined")
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)
    entries: Mapped[list[VisitEntry]] = relationship(
        lazy="selectin", order_by="(VisitEntry.at, VisitEntry.ordinal)", viewonly=True
    )

    @property
    def name(self) -> str:
        """Where it was, for people."""
        return self.site.name if self.site else upper_first(self.sample)

    def newest(self, kind: VisitEntryKind) -> VisitEntry | None:
        """Return what was said last of one kind."""
        return next((e for e in reversed(self.entries) if e.kind == kind), None)


class VisitEntry(Recorded, Base):
    """What somebody said of a visit: weather, a note, a quantity that was not read, that it is finished."""

    __tablename__ = "visit_entry"
    __table_args__ = (
        CheckConstraint(one_of("kind", VisitEntryKind), name="kind"),
        CheckConstraint("(quantity <> '') = (kind = 'skipped')", name="skipped_quantity"),
        Index("ix_visit_entry_visit_id", "visit_id"),
    )

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    visit_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("visit.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    kind: Mapped[str]
    quantity: Mapped[str]
    words: Mapped[str]

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class VisitPhoto(Recorded, Base):
    """A photo taken on a visit: re-encoded by us, without what the camera wrote into it."""

    __tablename__ = "visit_photo"
    __table_args__ = (Index("ix_visit_photo_visit_id", "visit_id"),)

    id: Mapped[uuid.UUID] = own_id()
    visit_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("visit.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    words: Mapped[str]
    """What it shows."""
    jpeg: Mapped[bytes] = mapped_column(deferred=True)

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class ReadingBasis(Base):
    """That a reading was worked out from another."""

    __tablename__ = "reading_basis"
    __table_args__ = (
        CheckConstraint("basis_id <> reading_id", name="of_another"),
        Index("ix_reading_basis_basis_id", "basis_id"),
    )

    reading_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("reading.id"), primary_key=True)
    basis_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("reading.id"), primary_key=True)


class Acknowledgement(Recorded, Base):
    """Who has seen to a reading beyond its limit, and how."""

    __tablename__ = "acknowledgement"

    reading_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("reading.id"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    words: Mapped[str]

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class SiteLimit(Recorded, Base):
    """A limit that a supervisor set for one site instead of its water kind's; the newest of a quantity stands."""

    __tablename__ = "site_limit"
    __table_args__ = (
        CheckConstraint("low < high", name="low_below_high"),
        CheckConstraint("reason <> ''", name="has_reason"),
        Index("ix_site_limit_site_id", "site_id"),
    )

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    site_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("site.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    quantity: Mapped[str]
    low: Mapped[float | None]
    high: Mapped[float | None]
    reason: Mapped[str]
