"""Reference tables, which may be changed, and what passes: people, devices, probes, lots, sites."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import date, datetime
from enum import StrEnum
from typing import Any, NamedTuple

from sqlalchemy import (
    ARRAY,
    BigInteger,
    CheckConstraint,
    ForeignKey,
    Identity,
    Index,
    Uuid,
    func,
    text,
)
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brumel.core.kit.instruments import InstrumentKind
from brumel.core.kit.shelf import Pack
from brumel.store.models.base import Base, Recorded, one_of, own_id, own_version


class PersonRole(StrEnum):
    """What a person may do."""

    TECHNICIAN = "technician"
    SUPERVISOR = "supervisor"
    READER = "reader"


class Person(Base):
    """Someone who signs in."""

    __tablename__ = "person"
    __table_args__ = (
        CheckConstraint(one_of("role", PersonRole), name="role"),
        CheckConstraint("login = lower(login)", name="login_lower"),
    )

    id: Mapped[uuid.UUID] = own_id()
    login: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    role: Mapped[str]
    units: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'"))
    """By the unit that is kept the one in which this person reads and types."""
    active: Mapped[bool] = mapped_column(server_default=text("true"))


class QuantityBound(Base):
    """What can be recorded of a quantity, in its unit, from and to: filled by each upgrade from what ships."""

    __tablename__ = "quantity_bound"

    quantity: Mapped[str] = mapped_column(primary_key=True)
    unit: Mapped[str]
    low: Mapped[float]
    high: Mapped[float]


class HouseChoice(Base):
    """What a house chose for runs to begin with: the rinse, and by principle a procedure."""

    __tablename__ = "house_choice"

    key: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[str]


class Device(Base):
    """A probe's line as the application reads it; owned by one link process."""

    __tablename__ = "device"

    id: Mapped[uuid.UUID] = own_id()
    label: Mapped[str] = mapped_column(unique=True)
    url: Mapped[str]
    address: Mapped[str]
    channels: Mapped[list[Any]]
    """What stands at each position of its answer (:mod:`brumel.services.channels`)."""
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
    values: Mapped[list[float]]
    """One for each channel of the device, in their order."""
    stored_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Meter(Base):
    """A meter: which probes it takes, what it does by itself, how exact it is."""

    __tablename__ = "meter"
    __table_args__ = (
        CheckConstraint("memory_records > 0", name="memory"),
        CheckConstraint("battery_hours > 0", name="battery_hours"),
    )

    id: Mapped[uuid.UUID] = own_id()
    version: Mapped[int] = own_version()
    retired_on: Mapped[date | None]
    """Since when it is used no more."""
    label: Mapped[str] = mapped_column(unique=True)
    serial: Mapped[str] = mapped_column(unique=True)
    kit: Mapped[str]
    in_service_on: Mapped[date]
    takes: Mapped[list[str]]
    """Kinds of probes, by key."""
    compensates: Mapped[list[str]]
    buffer_families: Mapped[list[str]]
    holds_calibration: Mapped[bool]
    polarises_off: Mapped[bool]
    """Whether it keeps a polarographic probe polarised while switched off."""
    accuracy: Mapped[dict[str, Any]]
    """For each quantity what is known of its accuracy, as numbers (:class:`brumel.core.kit.accuracy.Accuracy`)."""
    does: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'"))
    """By quantity what it does to a value before it shows it; nothing known where a quantity is missing."""
    memory_records: Mapped[int | None]
    batteries: Mapped[str]
    battery_hours: Mapped[float | None]


class Probe(Base):
    """A probe in a kit; it may be plugged into a meter, or be read by a device of its own."""

    __tablename__ = "probe"

    id: Mapped[uuid.UUID] = own_id()
    version: Mapped[int] = own_version()
    retired_on: Mapped[date | None]
    """Since when it is used no more."""
    label: Mapped[str] = mapped_column(unique=True)
    serial: Mapped[str] = mapped_column(unique=True)
    kind: Mapped[str]
    kit: Mapped[str]
    in_service_on: Mapped[date]
    device_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("device.id"))
    meter_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("meter.id"))
    reference: Mapped[str] = mapped_column(server_default=text("''"))
    """Its own reference electrode by key, where its kind has one to name."""
    own_waits: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'"))
    """Minutes by care event where its leaflet differs from common practice."""
    settings: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'"))
    """What is set in its meter for it, by coefficient: a cell constant."""
    steers: Mapped[str] = mapped_column(server_default=text("''"))
    """What it steers, as the end of a sentence: the acid dosing; empty where nothing."""
    device: Mapped[Device | None] = relationship(lazy="joined")
    meter: Mapped[Meter | None] = relationship(lazy="joined")


class Instrument(Base):
    """A test kit, photometer, titration or laboratory: it only gives values."""

    __tablename__ = "instrument"
    __table_args__ = (CheckConstraint(one_of("kind", InstrumentKind), name="kind"),)

    id: Mapped[uuid.UUID] = own_id()
    version: Mapped[int] = own_version()
    label: Mapped[str] = mapped_column(unique=True)
    serial: Mapped[str]
    kind: Mapped[str]
    kit: Mapped[str]
    measures: Mapped[dict[str, Any]]
    """By quantity what it can see and how exact it is (:class:`brumel.core.kit.instruments.Measures`)."""
    retired_on: Mapped[date | None]


class Lot(Base):
    """A bottle or a box of sachets or tablets of one standard."""

    __tablename__ = "lot"
    __table_args__ = (
        CheckConstraint("expires_on >= received_on", name="expiry_after_receipt"),
        CheckConstraint("opened_on >= received_on", name="opened_after_receipt"),
        CheckConstraint("content > 0", name="content"),
        CheckConstraint(one_of("pack", Pack), name="pack"),
    )

    id: Mapped[uuid.UUID] = own_id()
    version: Mapped[int] = own_version()
    lot_number: Mapped[str] = mapped_column(unique=True)
    family: Mapped[str]
    standard: Mapped[str] = mapped_column(server_default=text("'ph-buffer'"))
    nominal: Mapped[float | None]
    """Value on the label at 25 °C, in the unit of its standard; none where there is no value."""
    received_on: Mapped[date]
    expires_on: Mapped[date]
    opened_on: Mapped[date | None]
    open_life_days: Mapped[int]
    certificate_u: Mapped[float | None]
    pack: Mapped[str] = mapped_column(server_default=text("'bottle'"))
    content: Mapped[float | None]
    """What it held when it came, in the unit of its pack; None where nobody counts."""
    discarded_on: Mapped[date | None]

    value_table: Mapped[list[Any] | None]
    parent_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("lot.id"))
    """The lot that it was poured off from."""
    bottle_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("lot.id"))
    """The lot in whose bottle it stands: a combined solution is a buffer, and a conductivity standard beside it."""

    @property
    def bottle(self) -> uuid.UUID:
        """The lot that its bottle is kept under."""
        return self.bottle_id or self.id


class SiteSet(NamedTuple):
    """What is set for a site: its altitude, m, and how its conductivity is compensated."""

    altitude_m: float | None
    compensation: Mapping[str, Any]


class Site(Base):
    """A place where readings are taken."""

    __tablename__ = "site"

    id: Mapped[uuid.UUID] = own_id()
    version: Mapped[int] = own_version()
    retired_on: Mapped[date | None]
    """Since when it is used no more."""
    code: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    water_kind: Mapped[str]
    visit_every_days: Mapped[int]
    altitude_m: Mapped[float | None]
    access: Mapped[str] = mapped_column(server_default=text("''"))
    """How to get in safely."""
    compensation: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'"))
    """How its conductivity is compensated (:class:`brumel.core.place.water.Compensation`)."""
    ranges: Mapped[list[SiteRange]] = relationship(
        lazy="selectin", order_by="SiteRange.quantity", cascade="all, delete-orphan"
    )
    settings: Mapped[list[SiteSetting]] = relationship(
        order_by="(SiteSetting.since, SiteSetting.ordinal)", viewonly=True
    )
    """What holds from a moment on instead of ``altitude_m`` and ``compensation``, which it was entered with."""

    def set_at(self, at: datetime) -> SiteSet:
        """Return the settings that hold at a moment."""
        newest = next((s for s in reversed(self.settings) if s.since <= at), None)
        of = newest or self
        return SiteSet(of.altitude_m, of.compensation)

    def expected(self, quantity: str) -> tuple[float, float] | None:
        """Return what the site is expected to show of a quantity, from and to; None where nothing is said."""
        return next(((r.low, r.high) for r in self.ranges if r.quantity == quantity), None)


class SiteSetting(Recorded, Base):
    """A setting of a site that holds from a moment on; of two from one moment the one recorded later."""

    __tablename__ = "site_setting"
    __table_args__ = (
        CheckConstraint("reason <> ''", name="has_reason"),
        Index("ix_site_setting_site_id", "site_id"),
    )

    id: Mapped[uuid.UUID] = own_id()
    ordinal: Mapped[int] = mapped_column(BigInteger, Identity())
    site_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("site.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    since: Mapped[datetime]
    altitude_m: Mapped[float | None]
    compensation: Mapped[dict[str, Any]]
    reason: Mapped[str]

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class SiteRange(Base):
    """What a site is expected to show of one quantity, in its unit."""

    __tablename__ = "site_range"
    __table_args__ = (CheckConstraint("low < high", name="low_below_high"),)

    site_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("site.id"), primary_key=True)
    quantity: Mapped[str] = mapped_column(primary_key=True)
    low: Mapped[float]
    high: Mapped[float]


class PlannedRound(Base):
    """A round that somebody plans: the plan itself is worked out anew at each look."""

    __tablename__ = "planned_round"
    __table_args__ = (Index("ix_planned_round_departure", "departure"),)

    id: Mapped[uuid.UUID] = own_id()
    version: Mapped[int] = own_version()
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    planned_at: Mapped[datetime]
    departure: Mapped[datetime]
    kit: Mapped[str]
    rinse: Mapped[str]
    site_ids: Mapped[list[uuid.UUID]] = mapped_column(ARRAY(Uuid))
    probe_ids: Mapped[list[uuid.UUID]] = mapped_column(ARRAY(Uuid))
    """Probes chosen by hand, instead of what the kit would give."""
    without: Mapped[list[str]]
    """Quantities left out."""
    travel: Mapped[list[float]] = mapped_column(server_default=text("'{}'"))
    """Minutes of the way to each site in turn, and of the way back; empty where nobody said."""
    stay_min: Mapped[float | None]
    """Minutes at each site; None where nobody said."""
    done: Mapped[dict[str, Any]]
    """When each step was ticked off, by key."""
    dropped: Mapped[bool] = mapped_column(server_default=text("false"))


class ChangeCount(Base):
    """One row that counts, by table, the transactions that recorded or changed something; triggers alone write it."""

    __tablename__ = "change_count"
    __table_args__ = (CheckConstraint("id", name="one"),)

    id: Mapped[bool] = mapped_column(primary_key=True, server_default=text("true"))
    counts: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'"))
