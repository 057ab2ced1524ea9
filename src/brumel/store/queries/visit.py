"""The questions that services ask of visits and of what was read at a place."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Text, and_, cast, exists, func, or_, select, true
from sqlalchemy.dialects.postgresql import ARRAY, distinct_on
from sqlalchemy.orm import Session, aliased, joinedload, lazyload, load_only, selectinload
from sqlalchemy.orm.interfaces import ORMOption

from brumel.store.models.base import Source
from brumel.store.models.calibration import CalibrationSignature
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Instrument, Person, Probe, Site
from brumel.store.models.visit import (
    Acknowledgement,
    ReadingBasis,
    SiteLimit,
    Visit,
    VisitEntry,
    VisitEntryKind,
    VisitPhoto,
)


@dataclass(frozen=True)
class TakenAt:
    """Where readings were taken: at a site, or on a visit to a sample without one."""

    site_id: uuid.UUID | None = None
    visit_id: uuid.UUID | None = None

    @property
    def fits(self) -> ColumnElement[bool]:
        """What a reading of this place fulfils."""
        return Reading.site_id == self.site_id if self.site_id else Reading.visit_id == self.visit_id


_newer = aliased(Reading)
_STANDS = and_(~exists().where(_newer.amends_id == Reading.id), ~Reading.removed)


def by_name(reading: type[Reading] = Reading) -> tuple[ORMOption, ...]:
    """In a list a reading names its site, visit, probe, instrument and person; all else of those stays away."""

    def named(of: Any, *columns: Any) -> Any:
        return of.options(load_only(*columns), lazyload("*"))

    return (
        named(joinedload(reading.site), Site.code, Site.name),
        named(joinedload(reading.visit), Visit.site_id, Visit.sample),
        named(joinedload(reading.visit).joinedload(Visit.site), Site.name),
        named(joinedload(reading.probe), Probe.label, Probe.serial, Probe.kind, Probe.meter_id),
        named(joinedload(reading.instrument), Instrument.label),
        named(joinedload(reading.person), Person.name),
    )


def with_site(reading: type[Reading] = Reading) -> tuple[ORMOption, ...]:
    """Return one reading with what is expected at its site; what was entered on its visit stays away."""
    named = joinedload(reading.visit)
    return joinedload(reading.site), named.lazyload(Visit.entries), named.joinedload(Visit.site).lazyload(Site.ranges)


def stands() -> ColumnElement[bool]:
    """That a reading was not amended and is no removal."""
    return _STANDS


@dataclass(frozen=True)
class KeptSurroundings:
    """What a reading keeps of its surroundings."""

    reading_id: uuid.UUID
    surroundings: dict[str, Any]


def pressure_at(session: Session, place: TakenAt, since: datetime, until: datetime) -> KeptSurroundings | None:
    """Return the newest reading of a place within a time that keeps a pressure."""
    found = session.execute(
        select(Reading.id, Reading.surroundings)
        .where(place.fits, Reading.taken_at > since, Reading.taken_at <= until, stands())
        .where(Reading.surroundings["pressure"].is_not(None))
        .order_by(Reading.taken_at.desc(), Reading.ordinal.desc())
        .limit(1)
    ).first()
    return KeptSurroundings(found[0], dict(found[1])) if found else None


@dataclass(frozen=True)
class Read:
    """What was read of a quantity: by which reading, when, and the quantity that it followed from, if it did."""

    reading_id: uuid.UUID
    taken_at: datetime
    value: float
    u: float
    behind: str = ""


def derived_at(session: Session, place: TakenAt, key: str, since: datetime, until: datetime) -> Read | None:
    """Return what was read last of a quantity at a place within a time, by itself or beside another."""
    beside = Reading.derived.contains([{"quantity": key}])
    found = session.execute(
        select(Reading.id, Reading.taken_at, Reading.quantity, Reading.value, Reading.u, Reading.derived)
        .where(place.fits, Reading.taken_at > since, Reading.taken_at <= until, stands())
        .where(or_(Reading.quantity == key, beside))
        .order_by(Reading.taken_at.desc(), Reading.ordinal.desc())
        .limit(1)
    ).first()
    if found is None:
        return None
    reading_id, at, quantity, value, u, derived = found
    if quantity == key:
        return Read(reading_id, at, value, u)
    one = next(d for d in derived if d["quantity"] == key)
    return Read(reading_id, at, one["value"], one["u"], quantity)


def values_at(
    session: Session, place: TakenAt, keys: Collection[str], before: datetime, limit: int
) -> dict[str, list[float]]:
    """Return the newest standing values of some quantities at a place before a moment, the newest of each first."""
    asked = select(func.unnest(cast([*keys], ARRAY(Text))).label("key")).subquery()
    of_key = (
        select(Reading.value, Reading.taken_at, Reading.ordinal)
        .where(
            place.fits, Reading.quantity == asked.c.key, Reading.taken_at < before, Reading.qualifier == "", stands()
        )
        .order_by(Reading.taken_at.desc(), Reading.ordinal.desc())
        .limit(limit)
        .lateral()
    )
    query = select(asked.c.key, of_key.c.value).join(of_key, true())
    found: dict[str, list[float]] = {key: [] for key in keys}
    for key, value in session.execute(query.order_by(of_key.c.taken_at.desc(), of_key.c.ordinal.desc())):
        found[key].append(value)
    return found


def values_of_site(session: Session, site_id: uuid.UUID, since: datetime, until: datetime) -> Sequence[Any]:
    """Say when, which quantity, value, u, level, key and whether it amends, of a site's standing readings in a time."""
    amends = Reading.amends_id.is_not(None)
    columns = (Reading.taken_at, Reading.quantity, Reading.value, Reading.u, Reading.level, Reading.id, amends)
    within = Reading.taken_at.between(since, until)
    query = select(*columns).where(Reading.site_id == site_id, within, stands())
    return session.execute(query.order_by(Reading.taken_at, Reading.ordinal)).all()


def calibrations_behind(session: Session, site_id: uuid.UUID, since: datetime, until: datetime) -> Sequence[Any]:
    """Quantity, moment, probe's label and level of the calibrations signed in a time that a site's readings rest on."""
    signed = CalibrationSignature.signed_at
    query = (
        select(Reading.quantity, signed, Probe.label, CalibrationSignature.level)
        .join(CalibrationSignature, CalibrationSignature.run_id == Reading.calibration_run_id)
        .join(Probe, Probe.id == Reading.probe_id)
        .where(Reading.site_id == site_id, Reading.taken_at.between(since, until), signed.between(since, until))
        .distinct()
    )
    return session.execute(query.order_by(signed)).all()


def site_limits(session: Session, site_id: uuid.UUID) -> Sequence[SiteLimit]:
    """Return the limits that stand for a site instead of its water kind's, one a quantity."""
    newest = select(SiteLimit).where(SiteLimit.site_id == site_id).ext(distinct_on(SiteLimit.quantity))
    return session.scalars(newest.order_by(SiteLimit.quantity, SiteLimit.ordinal.desc())).all()


def readings_of_visit(session: Session, visit_id: uuid.UUID) -> Sequence[Reading]:
    """Return all readings of a visit, amended ones too, the oldest first."""
    query = select(Reading).where(Reading.visit_id == visit_id).options(selectinload(Reading.findings), *by_name())
    return session.scalars(query.order_by(Reading.ordinal)).all()


def photos_of_visit(session: Session, visit_id: uuid.UUID) -> Sequence[VisitPhoto]:
    """Return the photos of a visit, the oldest first, without their pictures."""
    return session.scalars(
        select(VisitPhoto).where(VisitPhoto.visit_id == visit_id).order_by(VisitPhoto.at, VisitPhoto.id)
    ).all()


def readings_of_visits(session: Session, ids: Sequence[uuid.UUID]) -> dict[uuid.UUID, list[Reading]]:
    """All readings of several visits by visit, amended ones too, the oldest first; without what hangs on them."""
    query = select(Reading).where(Reading.visit_id.in_(ids)).options(lazyload("*"), joinedload(Reading.probe))
    found: dict[uuid.UUID, list[Reading]] = {}
    for reading in session.scalars(query.order_by(Reading.ordinal)):
        assert reading.visit_id is not None
        found.setdefault(reading.visit_id, []).append(reading)
    return found


def bases_of_readings(session: Session, of: ColumnElement[bool]) -> dict[uuid.UUID, set[uuid.UUID]]:
    """Return what each of these readings rests on."""
    query = select(ReadingBasis.reading_id, ReadingBasis.basis_id).join(Reading, Reading.id == ReadingBasis.reading_id)
    found: dict[uuid.UUID, set[uuid.UUID]] = {}
    for reading_id, basis_id in session.execute(query.where(of)):
        found.setdefault(reading_id, set()).add(basis_id)
    return found


def leaning_on(session: Session, ids: Collection[uuid.UUID]) -> list[tuple[Reading, set[uuid.UUID]]]:
    """Return standing readings that were corrected with one of these, each with all that it was corrected with."""
    if not ids:
        return []
    leans = select(ReadingBasis.reading_id).where(ReadingBasis.basis_id.in_(ids))
    these = and_(Reading.id.in_(leans), Reading.source != Source.DERIVED, stands())
    bases = bases_of_readings(session, these)
    readings = session.scalars(select(Reading).where(these).options(selectinload(Reading.findings))).all()
    return [(r, bases[r.id]) for r in readings]


def standing_for(session: Session, ids: Collection[uuid.UUID]) -> dict[uuid.UUID, Reading]:
    """Return what stands now in place of each of these readings; the reading itself where it was never amended."""
    found = {r.id: r for r in session.scalars(select(Reading).where(Reading.id.in_(ids)))}
    newest = {key: key for key in found}
    asked = set(found)
    while asked:
        newer = {r.amends_id: r for r in session.scalars(select(Reading).where(Reading.amends_id.in_(asked)))}
        newest = {key: newer[at].id if at in newer else at for key, at in newest.items()}
        found |= {r.id: r for r in newer.values()}
        asked = {r.id for r in newer.values()}
    return {key: found[at] for key, at in newest.items()}


def bases_of(session: Session, reading_id: uuid.UUID) -> Sequence[Reading]:
    """Return the readings that one was worked out from."""
    rests = select(ReadingBasis.basis_id).where(ReadingBasis.reading_id == reading_id)
    return session.scalars(
        select(Reading).where(Reading.id.in_(rests)).options(*by_name()).order_by(Reading.ordinal)
    ).all()


def shown_by_meter(
    session: Session, meter_id: uuid.UUID, shown: str, since: datetime, until: datetime
) -> Sequence[Reading]:
    """Return standing readings typed from a meter's display within a time, of what it shows as that quantity."""
    probes = select(Probe.id).where(Probe.meter_id == meter_id)
    said = Reading.meter_did["method"] if shown == "specific-conductance" else Reading.meter_did["shown_as"]
    query = select(Reading).where(
        Reading.probe_id.in_(probes), Reading.source == Source.TYPED_VALUE, Reading.shown.is_not(None),
        Reading.taken_at >= since, Reading.taken_at < until, said.is_not(None), stands(),
    ).options(selectinload(Reading.findings))  # fmt: skip
    return session.scalars(query.order_by(Reading.taken_at, Reading.ordinal)).all()


_SETTINGS = joinedload(Visit.site).joinedload(Site.settings)
"""What a site's waters are compensated by comes with its visit: few sites have more than one setting."""


def read_at(session: Session, site_id: uuid.UUID, since: datetime, until: datetime) -> Sequence[Reading]:
    """Standing readings of a site within a time that a setting of it may stand behind: none that were worked out."""
    query = select(Reading).where(
        Reading.site_id == site_id, Reading.taken_at >= since, Reading.taken_at < until,
        Reading.source != Source.DERIVED, Reading.removed.is_(False), stands(),
    ).options(selectinload(Reading.findings))  # fmt: skip
    return session.scalars(query.order_by(Reading.taken_at, Reading.ordinal)).all()


def read_of(
    session: Session, site_ids: Collection[uuid.UUID], key: str, since: datetime, until: datetime
) -> dict[uuid.UUID, list[Reading]]:
    """Standing readings of a quantity within a time by site, in time; none that lies beyond what could be seen."""
    query = select(Reading).where(
        Reading.site_id.in_(site_ids), Reading.quantity == key, Reading.qualifier == "", Reading.taken_at >= since,
        Reading.taken_at <= until, Reading.visit_id.is_not(None), Reading.removed.is_(False), stands(),
    )  # fmt: skip
    found: dict[uuid.UUID, list[Reading]] = {}
    for reading in session.scalars(query.order_by(Reading.taken_at, Reading.ordinal)):
        if reading.site_id is not None:
            found.setdefault(reading.site_id, []).append(reading)
    return found


def aerated(
    session: Session, site_ids: Collection[uuid.UUID], since: datetime, until: datetime
) -> dict[uuid.UUID, list[datetime]]:
    """Say when somebody said within a time that an aerator was switched on, by site."""
    query = (
        select(Visit.site_id, VisitEntry.at)
        .join(VisitEntry, VisitEntry.visit_id == Visit.id)
        .where(
            Visit.site_id.in_(site_ids), VisitEntry.kind == VisitEntryKind.AERATED, VisitEntry.at >= since,
            VisitEntry.at <= until,
        )
    )  # fmt: skip
    found: dict[uuid.UUID, list[datetime]] = {}
    for site_id, at in session.execute(query):
        if site_id is not None:
            found.setdefault(site_id, []).append(at)
    return found


def visit(session: Session, visit_id: uuid.UUID) -> Visit | None:
    """Return a visit with what was said of it."""
    query = select(Visit).where(Visit.id == visit_id).options(joinedload(Visit.entries), _SETTINGS)
    return session.execute(query).unique().scalar_one_or_none()


def visits(
    session: Session, site_id: uuid.UUID | None = None, since: datetime | None = None, limit: int | None = None,
    *, listed: bool = False,
) -> Sequence[Visit]:  # fmt: skip
    """Visits, the newest first; where they are only listed, without what was said and what their site expects."""
    query = select(Visit).order_by(Visit.begun_at.desc(), Visit.id)
    if listed:
        query = query.options(lazyload(Visit.entries), joinedload(Visit.site).lazyload(Site.ranges))
    else:
        query = query.options(_SETTINGS)
    if site_id is not None:
        query = query.where(Visit.site_id == site_id)
    if since is not None:
        query = query.where(Visit.begun_at >= since)
    return session.scalars(query.limit(limit)).unique().all()


def unfinished(session: Session, since: datetime) -> Sequence[Visit]:
    """Visits begun since a moment that nobody finished, the newest first."""
    done = exists().where(VisitEntry.visit_id == Visit.id, VisitEntry.kind == VisitEntryKind.FINISHED)
    query = select(Visit).where(Visit.begun_at >= since, ~done).order_by(Visit.begun_at.desc(), Visit.id)
    return session.scalars(query).all()


def beyond_unseen(session: Session) -> Sequence[Reading]:
    """Return standing readings beyond a limit that nobody has seen to, the newest first."""
    seen = exists().where(Acknowledgement.reading_id == Reading.id)
    query = select(Reading).where(Reading.keeps == "beyond", ~seen, stands()).options(*by_name())
    return session.scalars(query.order_by(Reading.taken_at.desc())).all()


def instruments(session: Session, *, retired: bool = False) -> Sequence[Instrument]:
    """Return all instruments without a probe that are used, by label; ``retired`` has the others too."""
    query = select(Instrument).order_by(Instrument.label)
    return session.scalars(query if retired else query.where(Instrument.retired_on.is_(None))).all()


def read_with_last(session: Session, site_id: uuid.UUID, since: datetime) -> dict[str, str]:
    """With what each quantity was read last at a site since a moment: ``probe:ID`` or ``instrument:ID``."""
    query = (
        select(Reading.quantity, Reading.probe_id, Reading.instrument_id)
        .where(Reading.site_id == site_id, Reading.taken_at > since)
        .ext(distinct_on(Reading.quantity))
        .order_by(Reading.quantity, Reading.taken_at.desc(), Reading.ordinal.desc())
    )
    return {
        key: f"probe:{probe}" if probe else f"instrument:{instrument}" if instrument else ""
        for key, probe, instrument in session.execute(query)
    }
