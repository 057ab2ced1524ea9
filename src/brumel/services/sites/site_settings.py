"""Settings of a site that hold from a moment on: what rests on them shown before and after, and amended with them."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.findings import Level
from brumel.core.place.station_pressure import ALTITUDE_M, Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.place.water import Compensation
from brumel.core.words.catalogue import word
from brumel.services.acts import act
from brumel.services.cached.remembered import cached
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound, check_number
from brumel.services.people import may_record
from brumel.services.readings.again import Again, Anew
from brumel.services.readings.correct import Corrected
from brumel.services.readings.draft import as_measured
from brumel.services.readings.following import follow_visits, same_number
from brumel.services.readings.given_value import Amending, PlainReading, Spot, plain_row
from brumel.services.readings.history import limits_at
from brumel.services.readings.row import add_findings
from brumel.services.readings.typed_value import TypedValue
from brumel.services.sites.sites import wrong_compensation
from brumel.store.add_fact import add_once, stands
from brumel.store.database import Database, hold
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Person, Site, SiteSet, SiteSetting
from brumel.store.queries import visit as visit_queries

_EVER = datetime.max.replace(tzinfo=UTC)


@dataclass(frozen=True)
class NewSetting:
    """What is set for a site from a moment on, whole, with the reason."""

    setting_id: uuid.UUID
    site_id: uuid.UUID
    since: datetime
    altitude_m: float | None
    compensation: Mapping[str, Any] = field(default_factory=dict)
    reason: str = ""


@dataclass(frozen=True)
class Changed:
    """A standing reading and what it becomes."""

    reading: Reading
    value: float
    quantity: str
    how: str
    """What it was worked out with and is now."""


@dataclass(frozen=True)
class SetSoFar:
    """A site with what holds now, and its settings."""

    site: Site
    holds: SiteSet
    settings: tuple[SiteSetting, ...]

    @property
    def water(self) -> Compensation:
        """How its conductivity is compensated now."""
        return Compensation.of(self.holds.compensation or {})


@dataclass(frozen=True)
class SiteSettings:
    """Use cases around what is set for a site."""

    database: Database
    clock: Clock

    @cached
    def of_site(self, site_id: uuid.UUID) -> SetSoFar:
        """Return what is set for a site now, and what was set before, the newest first."""
        with self.database.session() as session:
            site = session.get(Site, site_id)
            if site is None:
                raise NotFound("There is no such site.")
            return SetSoFar(site, site.set_at(self.clock.now()), tuple(reversed(site.settings)))

    def preview(self, new: NewSetting) -> list[Changed]:
        """List the readings that rest on it, before and after; nothing is recorded.

        Raises
        ------
        InvalidInput
            For a setting that can't be, or one that holds already.
        """
        with self.database.session() as session:
            found = _Resting.on(session, self.clock, new)
            return sorted(found.changed, key=lambda c: c.reading.taken_at)

    @act(site="new.site_id")
    def apply(self, new: NewSetting, person: Person) -> int:
        """Let it hold from its moment on and amend in the same transaction what rests on it; how many readings.

        Sent twice, it does nothing more.

        Raises
        ------
        InvalidInput
            As :meth:`preview`, or without a reason.
        """
        may_record(person)
        if not new.reason.strip():
            raise InvalidInput({"reason": "Say how it was found, or what has changed; it stays on record."})
        with self.database.session() as session:
            said = {
                "site_id": new.site_id, "since": new.since, "altitude_m": new.altitude_m,
                "compensation": asdict(_water(new)), "reason": new.reason.strip(),
            }  # fmt: skip
            if stands(session, SiteSetting, {"id": new.setting_id}, said):
                return 0
            found = _Resting.on(session, self.clock, new)
            hold(session, *{v.id for c in found.changed if (v := c.reading.visit)})
            session.expire_all()
            found = _Resting.on(session, self.clock, new)
            row = {"id": new.setting_id, "person_id": person.id, "at": self.clock.now(), **said}
            add_once(session, SiteSetting, row, told=tuple(said))
            session.expire(session.get_one(Site, new.site_id), ["settings"])
            found.amend(new.reason.strip(), person)
            return len(found.changed)


@dataclass(frozen=True)
class _Resting:
    """What rests on a setting: pressures that lean on the altitude, and readings corrected with either."""

    session: Session
    clock: Clock
    pressures: Sequence[tuple[Reading, Pressure]]
    corrected: Sequence[Anew]

    @classmethod
    def on(cls, session: Session, clock: Clock, new: NewSetting) -> _Resting:
        """Find what stands from its moment until the next setting.

        Raises
        ------
        InvalidInput
            For a setting that can't be, or one that holds already.
        """
        site = session.get(Site, new.site_id)
        if site is None:
            raise NotFound("There is no such site.")
        if wrong := _wrong(site, new, clock):
            raise InvalidInput(wrong)
        before = site.set_at(new.since)
        until = min((s.since for s in site.settings if s.since > new.since), default=_EVER)
        readings = visit_queries.read_at(session, site.id, new.since, until)
        bases = visit_queries.bases_of_readings(session, Reading.id.in_([r.id for r in readings]))
        again, pressures, corrected = Again(session, clock, _water(new)), [], []
        for reading in readings:
            place = _set_anew(Surroundings.of(reading.surroundings), before, new)
            if reading.probe is None or (reading.signal is None and reading.shown is None):
                if place.pressure and not same_number(place.pressure.hpa, reading.value):
                    pressures.append((reading, place.pressure))
                continue
            if reading.temperature_c is None:
                continue
            after = again.correct(reading, replace(as_measured(reading), place=place))
            if not _as_before(reading, after):
                corrected.append(Anew(reading, after, tuple(bases.get(reading.id, ()))))
        return cls(session, clock, pressures, corrected)

    @property
    def changed(self) -> list[Changed]:
        """Each reading with what it becomes."""
        found = [Changed(r, p.hpa, r.quantity, str(word(p.said))) for r, p in self.pressures]
        return found + [Changed(c.reading, c.after.value, c.after.quantity.key, _how(c)) for c in self.corrected]

    def amend(self, reason: str, person: Person) -> None:
        """Amend the pressures, what was corrected with the setting itself, and all that follows from either."""
        amended = [r.id for r, _ in self.pressures]
        for old, pressure in self.pressures:
            assert old.visit is not None
            new = PlainReading(
                uuid.uuid4(), old.quantity, TypedValue(pressure.hpa), pressure=pressure,
                spot=Spot(old.depth_m, old.layer, old.replicate), amending=Amending(old.id, reason),
            )  # fmt: skip
            row, findings = plain_row(new, old.visit, person, old.taken_at, limits_at(self.session, old.site))
            add_once(self.session, Reading, row)
            add_findings(self.session, new.reading_id, findings)
        self.session.flush()
        # What took its pressure from a reading is amended as that is.
        own = [c for c in self.corrected if c.after.measured.place.pressure_by not in {str(key) for key in amended}]
        Again(self.session, self.clock).record(own, reason, person)
        visits = {v.id: v for c in self.changed if (v := c.reading.visit)}
        follow_visits(self.session, list(visits.values()), person, self.clock, [*amended, *(c.reading.id for c in own)])


def _as_before(reading: Reading, after: Corrected) -> bool:
    """Say whether a reading stays what it is: its value, its trust and what follows from it."""
    before = {d["quantity"]: d["value"] for d in reading.derived}
    now = {d["quantity"]: d["value"] for d in after.derived}
    return (
        reading.quantity == after.quantity.key
        and reading.level == str(after.level)
        and same_number(reading.value, after.value)
        and before.keys() == now.keys()
        and all(same_number(before[key], now[key]) for key in now)
    )


def _water(new: NewSetting) -> Compensation:
    return Compensation.of(new.compensation)


def _wrong(site: Site, new: NewSetting, clock: Clock) -> dict[str, str]:
    wrong = wrong_compensation(_water(new))
    if new.altitude_m is not None:
        check_number(wrong, "altitude_m", new.altitude_m, ALTITUDE_M, "m", "altitude")
    if words := clock.why_not(new.since):
        wrong["since"] = words
    before = site.set_at(new.since)
    if not wrong and (before.altitude_m, Compensation.of(before.compensation or {})) == (new.altitude_m, _water(new)):
        wrong["since"] = "That is how it is set at that moment: change what is to be set otherwise."
    return wrong


def _set_anew(place: Surroundings, before: SiteSet, new: NewSetting) -> Surroundings:
    """A place with the new altitude where its pressure has the one that was set; one that somebody typed stays."""
    pressure = place.pressure
    if pressure is None or pressure.altitude_m != before.altitude_m:
        return place
    return replace(place, pressure=replace(pressure, altitude_m=new.altitude_m))


def _how(change: Anew) -> str:
    """By what a corrected reading becomes another."""
    level, pressure = change.after.level, change.after.measured.place.pressure
    moved = "" if level is Level(change.reading.level) else f"{change.reading.level} → {level}"
    return ", ".join(filter(None, (str(word(pressure.said)) if pressure else "", moved)))
