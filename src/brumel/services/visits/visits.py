"""A visit: opened, filled in any order by whoever is there, finished with a verdict; what follows is worked out."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime

from sqlalchemy.orm import Session

from brumel.core.place.station_pressure import Pressure, wrong_with
from brumel.core.place.surroundings import REMEMBERED
from brumel.core.reading.limits import Limit
from brumel.services.acts import act
from brumel.services.cached.remembered import cached
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.people import may_record
from brumel.services.probes import photos
from brumel.services.readings.following import follow_visits
from brumel.services.readings.given_value import Amending, PlainReading, Spot, add_plain
from brumel.services.readings.history import Beforehand, limits_at
from brumel.services.readings.place import PlaceRead
from brumel.services.readings.row import removal_row, typed_pressure
from brumel.services.readings.standing import standing, visit_of
from brumel.services.readings.typed_value import TypedValue
from brumel.services.visits.filling import Filling, TypedIn
from brumel.services.visits.visit_view import VisitView, view_of
from brumel.store.add_fact import add_once
from brumel.store.database import Database, hold
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Person, Site
from brumel.store.models.visit import Acknowledgement, Visit, VisitEntry, VisitEntryKind, VisitPhoto
from brumel.store.queries import visit as visit_queries

_LISTED = 8
LAYERS = ("top", "bottom")
REPLICATES = ("a", "b", "c")


@dataclass(frozen=True)
class NewVisit:
    """A visit to a site, or to a named sample without a place."""

    visit_id: uuid.UUID
    site_id: uuid.UUID | None = None
    sample: str = ""
    round_id: uuid.UUID | None = None
    begun_at: datetime | None = None


@dataclass(frozen=True)
class Remark:
    """What is said of a visit beside its values."""

    entry_id: uuid.UUID
    kind: str
    words: str
    quantity: str = ""


@dataclass(frozen=True)
class Sheet:
    """All that one form of a visit brings."""

    entries: Sequence[TypedIn] = ()
    spot: Spot = field(default_factory=Spot)
    pressure: Pressure | None = None
    pressure_id: uuid.UUID | None = None
    said: Sequence[Remark] = ()


@dataclass(frozen=True)
class Visits:
    """Use cases around visits."""

    database: Database
    clock: Clock

    @act(visit="new.visit_id", site="new.site_id")
    def open(self, new: NewVisit, person: Person) -> uuid.UUID:
        """Open a visit; the same id twice opens it once.

        Raises
        ------
        InvalidInput
            Without a site or a sample's name, with both, or in the future.
        """
        may_record(person)
        sample, now = new.sample.strip(), self.clock.now()
        wrong: dict[str, str] = {}
        if (new.site_id is None) == (not sample):
            wrong["site"] = "Choose the site, or give the sample a name."
        if new.begun_at is not None and (why_not := self.clock.why_not(new.begun_at)):
            wrong["begun_at"] = why_not
        with self.database.session() as session:
            site = session.get(Site, new.site_id) if new.site_id else None
            if new.site_id is not None and site is None:
                wrong["site"] = "There is no such site: choose another."
            if site is not None and site.retired_on:
                wrong["site"] = f"{site.name} is retired: bring it back on its page first."
            if wrong:
                raise InvalidInput(wrong)
            row = {
                "id": new.visit_id, "site_id": new.site_id, "sample": sample, "person_id": person.id,
                "round_id": new.round_id, "begun_at": new.begun_at or now,
            }  # fmt: skip
            add_once(session, Visit, row, told=("site_id", "sample"))
        return new.visit_id

    @cached
    def view(self, visit_id: uuid.UUID) -> VisitView:
        """Return a visit as its page shows it."""
        with self.database.session() as session:
            return view_of(session, visit_of(session, visit_id), self.clock.now())

    @cached
    def unfinished_at(self, site_id: uuid.UUID) -> Visit | None:
        """Return a visit of today that was left open at a site."""
        since = self.clock.now() - REMEMBERED
        with self.database.session() as session:
            return next((v for v in visit_queries.unfinished(session, since) if v.site_id == site_id), None)

    @cached
    def at_site(self, site_id: uuid.UUID) -> Sequence[tuple[Visit, Sequence[Reading]]]:
        """Return a site's newest visits with their standing readings."""
        with self.database.session() as session:
            found = visit_queries.visits(session, site_id, limit=_LISTED, listed=True)
            readings = visit_queries.readings_of_visits(session, [v.id for v in found])
            return [(v, standing(readings.get(v.id, ()))) for v in found]

    @cached
    def limits(self, site: Site) -> Sequence[Limit]:
        """Return the limits of a site's water."""
        with self.database.session() as session:
            return list(limits_at(session, site).values())

    @act(visit="visit_id")
    def save(self, visit_id: uuid.UUID, sheet: Sheet, person: Person) -> None:
        """Record all values of a form in one transaction, with what follows from them; sent twice, it adds once.

        Raises
        ------
        InvalidInput
            With every field that can't be taken, by the quantity's key; then nothing of it is recorded.
        """
        may_record(person)
        with self.database.session() as session:
            visit = visit_of(session, visit_id)
            at = self._moment(visit)
            if sheet.pressure is not None and sheet.pressure_id is not None:
                self._pressure(session, visit, sheet.pressure_id, sheet.pressure, person, at)
            Filling(session, self.clock, visit, person, at, sheet.spot).record(sheet.entries)
            self._say(session, visit, sheet.said, person)
            self._follow(session, visit, person)

    @act(reading="reading_id")
    def amend(
        self, reading_id: uuid.UUID, entry: TypedIn, reason: str, person: Person, pressure: Pressure | None = None
    ) -> None:
        """Put another value in place of one; what was corrected with it or worked out from it is worked out anew.

        A pressure has its kind, and comes as ``pressure``.

        Raises
        ------
        InvalidInput
            Without a reason, or for a value that can't be.
        """
        may_record(person)
        if not reason.strip():
            raise InvalidInput({"amend_reason": "An amendment needs its reason in words."})
        with self.database.session() as session:
            old = session.get(Reading, reading_id)
            if old is None or old.visit_id is None or old.source == Source.DERIVED:
                raise NotFound("There is no such reading to amend here.")
            hold(session, old.visit_id)
            visit, spot = visit_of(session, old.visit_id), Spot(old.depth_m, old.layer, old.replicate)
            amending = Amending(old.id, reason.strip())
            if typed_pressure(old) is None:
                Filling(session, self.clock, visit, person, old.taken_at, spot, amending).record([entry])
            elif pressure is None:
                raise InvalidInput({"pressure": "Type the pressure, or choose that only the altitude is known."})
            else:
                self._pressure(session, visit, entry.reading_id, pressure, person, old.taken_at, amending)
            self._follow(session, visit, person, old.id)

    @act(reading="reading_id")
    def remove(self, reading_id: uuid.UUID, new_id: uuid.UUID, reason: str, person: Person) -> None:
        """Take a wrong reading out: an amendment without a value; the original stays on record.

        Raises
        ------
        InvalidInput
            Without a reason.
        """
        may_record(person)
        if not reason.strip():
            raise InvalidInput({"amend_reason": "Say why it is removed; the reading itself stays on record."})
        with self.database.session() as session:
            old = session.get(Reading, reading_id)
            if old is None or old.visit_id is None:
                raise NotFound("There is no such reading to remove here.")
            hold(session, old.visit_id)
            visit = visit_of(session, old.visit_id)
            row = removal_row(old, new_id, reason.strip(), person)
            add_once(session, Reading, row, told=("amends_id", "amend_reason"))
            self._follow(session, visit, person, old.id)

    @act(visit="visit_id")
    def photograph(self, visit_id: uuid.UUID, photo_id: uuid.UUID, data: bytes, words: str, person: Person) -> None:
        """Keep a photo of a visit; the same key twice keeps it once.

        Raises
        ------
        InvalidInput
            Without a picture, or for what is none or too large.
        """
        may_record(person)
        if not data:
            raise InvalidInput({"photo": "Choose the photo first."})
        jpeg = photos.cleaned(data)
        with self.database.session() as session:
            row = {
                "id": photo_id, "visit_id": visit_of(session, visit_id).id, "person_id": person.id,
                "at": self.clock.now(), "words": words.strip(), "jpeg": jpeg,
            }  # fmt: skip
            add_once(session, VisitPhoto, row, told=("visit_id", "words"))

    def photo(self, photo_id: uuid.UUID) -> bytes:
        """Return a photo, a JPEG."""
        with self.database.session() as session:
            found = session.get(VisitPhoto, photo_id)
            if found is None:
                raise NotFound("There is no such photo.")
            return found.jpeg

    @act(reading="reading_id")
    def acknowledge(self, reading_id: uuid.UUID, words: str, person: Person) -> None:
        """Say what was done about a reading beyond its limit; it leaves *Today*.

        Raises
        ------
        InvalidInput
            Without a word.
        """
        may_record(person)
        if not words.strip():
            raise InvalidInput({"words": "Say in a word what was done about it, or who was told."})
        with self.database.session() as session:
            if session.get(Reading, reading_id) is None:
                raise NotFound("There is no such reading.")
            row = {"reading_id": reading_id, "person_id": person.id, "at": self.clock.now(), "words": words.strip()}
            add_once(session, Acknowledgement, row, told=("words",))

    def _follow(self, session: Session, visit: Visit, person: Person, *amended: uuid.UUID) -> None:
        """What leans on an amended reading is amended, then all that follows from the readings as they stand."""
        session.flush()
        follow_visits(session, [visit], person, self.clock, amended)

    def _moment(self, visit: Visit) -> datetime:
        """Say when what is typed now was read: now, or the hour of a visit that is entered afterwards."""
        now = self.clock.now()
        return now if visit.begun_at.date() == now.date() else visit.begun_at

    def _say(self, session: Session, visit: Visit, said: Sequence[Remark], person: Person) -> None:
        for one in said:
            if one.kind == VisitEntryKind.SKIPPED and not one.words.strip():
                raise InvalidInput({f"skip-{one.quantity}": "Say why it is not read."})
            known = visit.newest(VisitEntryKind(one.kind)) if one.kind in ("note", "weather") else None
            if one.kind in ("note", "weather") and (known.words if known else "") == one.words.strip():
                continue
            row = {
                "id": one.entry_id, "visit_id": visit.id, "person_id": person.id, "at": self.clock.now(),
                "kind": one.kind, "quantity": one.quantity, "words": one.words.strip(),
            }  # fmt: skip
            add_once(session, VisitEntry, row, told=("visit_id", "kind", "quantity", "words"))
            session.expire(visit, ["entries"])

    @act(visit="visit_id")
    def finish(self, visit_id: uuid.UUID, entry_id: uuid.UUID, words: str, person: Person) -> None:
        """Finish a visit: what was not read is said, and why.

        Raises
        ------
        InvalidInput
            Where something is left to read and no word is said of it.
        """
        may_record(person)
        with self.database.session() as session:
            visit = visit_of(session, visit_id)
            known = visit.newest(VisitEntryKind.FINISHED)
            if known is not None and known.id != entry_id:
                words = f"It was finished already: “{known.words}”. Add a note, or amend what is wrong."
                raise InvalidInput({"words": words})
            view = view_of(session, visit, self.clock.now())
            if view.left and not words.strip():
                names = ", ".join(about.name for about in view.left)
                raise InvalidInput({"words": f"Not read yet: {names}. Read it, or say why not."})
            self._say(session, visit, [Remark(entry_id, VisitEntryKind.FINISHED, words or "all read")], person)

    def _pressure(
        self, session: Session, visit: Visit, reading_id: uuid.UUID, typed: Pressure, person: Person, at: datetime,
        amending: Amending | None = None,
    ) -> None:  # fmt: skip
        pressure = PlaceRead(visit.site, visit.id).with_altitude(typed, at)
        if wrong := wrong_with(pressure):
            raise InvalidInput(wrong)
        new = PlainReading(
            reading_id, "station-pressure", TypedValue(pressure.hpa), pressure=pressure, amending=amending or Amending()
        )
        add_plain(session, new, visit, person, at, Beforehand.of(session, visit.site, at))
        session.flush()
