"""Site readings, and what stands beside each."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    ForeignKey,
    Identity,
    Index,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brumel.core.findings import Acceptance
from brumel.core.quantities.quantity import quantity
from brumel.store.models.base import Base, FindingColumns, Recorded, Source, one_of, own_id
from brumel.store.models.reference import Instrument, Person, Probe, Site
from brumel.store.models.visit import Acknowledgement, Visit


class Reading(Recorded, Base):
    """A site reading with the calibration it rests on; an amendment is another row."""

    __tablename__ = "reading"
    __table_args__ = (
        CheckConstraint(one_of("source", Source), name="source"),
        CheckConstraint(one_of("acceptance", Acceptance), name="acceptance"),
        CheckConstraint("(amends_id IS NULL) = (amend_reason IS NULL)", name="amendment_has_reason"),
        # A reading is amended once; a further change amends the amendment.
        Index("uq_reading_amends_id", "amends_id", unique=True),
        Index("ix_reading_taken_at", "taken_at"),
        Index("ix_reading_site_id_quantity_taken_at", "site_id", "quantity", "taken_at"),
        Index("ix_reading_probe_id_taken_at", "probe_id", "taken_at"),
        Index("ix_reading_visit_id", "visit_id"),
        Index("ix_reading_beyond", "taken_at", postgresql_where=text("keeps = 'beyond'")),
        CheckConstraint("site_id IS NOT NULL OR visit_id IS NOT NULL", name="somewhere"),
        CheckConstraint("amends_id <> id", name="amends_another"),
        CheckConstraint("qualifier IN ('', '<', '>')", name="qualifier"),
    )

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    site_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("site.id"))
    visit_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("visit.id"))
    probe_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("probe.id"))
    instrument_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("instrument.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    taken_at: Mapped[datetime]
    calibration_run_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("calibration_run.id"))
    source: Mapped[str]
    quantity: Mapped[str]
    value: Mapped[float]
    qualifier: Mapped[str] = mapped_column(server_default=text("''"))
    """``<`` or ``>`` where the value is the end of what its instrument can see."""
    u: Mapped[float]
    """Standard uncertainty (k = 1), in the unit."""
    unit: Mapped[str]
    signal: Mapped[float | None]
    signal_unit: Mapped[str]
    temperature_c: Mapped[float | None]
    depth_m: Mapped[float | None]
    replicate: Mapped[str] = mapped_column(server_default=text("''"))
    layer: Mapped[str] = mapped_column(server_default=text("''"))
    """``top`` or ``bottom`` where that was said."""
    typed_as: Mapped[str] = mapped_column(server_default=text("''"))
    """What was typed, with its unit, where it was not the one that is kept."""
    shown: Mapped[float | None]
    """As the meter showed it, in the unit."""
    meter_setting_c: Mapped[float | None]
    meter_did: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'"))
    """What its meter had done to the shown value: its compensation."""
    reference: Mapped[str]
    """The probe's own reference electrode, where it has one to name."""
    surroundings: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'"))
    """What was known of the place (:class:`brumel.core.place.surroundings.Surroundings`)."""
    despite: Mapped[str] = mapped_column(server_default=text("''"))
    """Why the probe was used although it was not ready; empty where it was."""
    derived: Mapped[list[Any]]
    """What follows from it by calculation: quantity, value, u, unit, working."""
    level: Mapped[str]
    keeps: Mapped[str] = mapped_column(server_default=text("''"))
    """How it, or what follows from it, stands to the water's limits at worst; empty where none was asked."""
    limits: Mapped[list[Any]] = mapped_column(server_default=text("'[]'"))
    """Each limit that was asked: quantity, keeps, sentence, act."""
    budget: Mapped[list[Any]]
    working: Mapped[list[Any]]
    working_said: Mapped[list[Any] | None] = mapped_column(JSONB(none_as_null=True))
    """Its lines by their keys; the words beside them are those that were read."""
    acceptance: Mapped[str]
    settling_words: Mapped[str]
    settling_said: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """How it settled, by its key; the words beside it are those that were read."""
    settling_s: Mapped[float | None]
    note: Mapped[str]
    removed: Mapped[bool] = mapped_column(server_default=text("false"))
    """Whether it only says that the amended one was wrong and none takes its place."""
    amends_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("reading.id"))
    amend_reason: Mapped[str | None]

    site: Mapped[Site | None] = relationship(lazy="joined")
    visit: Mapped[Visit | None] = relationship(lazy="joined")
    probe: Mapped[Probe | None] = relationship(lazy="joined")
    instrument: Mapped[Instrument | None] = relationship(lazy="joined")
    acknowledgement: Mapped[Acknowledgement | None] = relationship(lazy="joined", viewonly=True)
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)
    findings: Mapped[list[ReadingFinding]] = relationship(order_by="ReadingFinding.ordinal", viewonly=True)

    @property
    def where(self) -> str:
        """The site's name, or what the sample is called."""
        return self.site.name if self.site else self.visit.name if self.visit else ""

    @property
    def spot_words(self) -> str:
        """Where in the water it was taken, and which of several it is."""
        depth = "" if self.depth_m is None else f"{self.depth_m:.1f} m"
        return ", ".join(part for part in (self.layer, depth, self.replicate) if part)

    @property
    def as_typed(self) -> bool:
        """Whether its value is what somebody typed, in the unit that it is kept in: then all its digits are shown."""
        typed = (Source.BY_EYE, Source.INSTRUMENT, Source.TYPED_VALUE)
        return self.source in typed and not (self.sensed or self.typed_as or self.surroundings)

    @property
    def words(self) -> str:
        """The value as a sentence has it, below or above what could be seen too."""
        about = quantity(self.quantity)
        words = about.exact_words if self.as_typed else about.words
        return words(self.value, self.qualifier)

    @property
    def sensed(self) -> bool:
        """Whether its probe gave it, and not the thermometer beside it."""
        return self.signal is not None or self.shown is not None

    @property
    def read_with(self) -> str:
        """The label of its probe or instrument; empty where it was worked out or nobody said."""
        return self.probe.label if self.probe else self.instrument.label if self.instrument else ""


class ReadingFinding(FindingColumns, Base):
    """One finding of a reading, as it was when recorded."""

    __tablename__ = "reading_finding"

    reading_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("reading.id"), primary_key=True)
