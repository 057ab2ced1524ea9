"""A visit: opened, filled in any order by whoever is there, finished with a verdict; what follows is worked out."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.quantities.quantity import quantities, quantity
from brumel.core.reading.limits import Limit
from brumel.core.reading.pressure import Pressure, wrong_with
from brumel.core.reading.surroundings import REMEMBERED, Surroundings
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.kit import photos, upkeep
from brumel.services.people import may_record
from brumel.services.visiting.following import follow_visits
from brumel.services.visiting.history import limits_at, limits_seen
from brumel.services.visiting.measuring import NewReading
from brumel.services.visiting.places import Place
from brumel.services.visiting.plain import Amending, PlainReading, Spot, add_plain, removal_row
from brumel.services.visiting.readings import record_within
from brumel.services.visiting.seen import VisitView, seen_at, standing, standing_of, view_of, visit_of
from brumel.services.visiting.typed import TypedValue, read_value
from brumel.store import visit_queries
from brumel.store.database import Database
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Instrument, Person, Probe, Site
from brumel.store.models.visit import Acknowledgement, EntryKind, Visit, VisitEntry, VisitPhoto
from brumel.store.once import add_once

_FUTURE = timedelta(minutes=5)
_LISTED = 8
LAYERS = ("top", "bottom")
REPLICATES = ("a", "b", "c")
_FIRST = ("station-pressure", "temperature", "specific-conductance", "conductivity", "salinity")
"""What others lean on is recorded before them."""
_WARM = "temperature"


@dataclass(frozen=True)
class NewVisit:
    """A visit to a site, or to a named sample without a place."""

    visit_id: uuid.UUID
    site_id: uuid.UUID | None = None
    sample: str = ""
    round_id: uuid.UUID | None = None
    begun_at: datetime | None = None


@dataclass(frozen=True)
class Entry:
    """A value as it was typed, with what it was read with: ``probe:ID``, ``instrument:ID``, or nothing."""

    reading_id: uuid.UUID
    quantity: str
    text: str
    unit: str = ""
    read_with: str = ""
    despite: str = ""


@dataclass(frozen=True)
class Said:
    """What is said of a visit beside its values."""

    entry_id: uuid.UUID
    kind: str
    words: str
    quantity: str = ""


@dataclass(frozen=True)
class Sheet:
    """All that one form of a visit brings."""

    entries: Sequence[Entry] = ()
    spot: Spot = field(default_factory=Spot)
    pressure: Pressure | None = None
    pressure_id: uuid.UUID | None = None
    said: Sequence[Said] = ()


@dataclass(frozen=True)
class Visits:
    """Use cases around visits."""

    database: Database
    clock: Clock

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
        if new.begun_at is not None and new.begun_at > now + _FUTURE:
            wrong["begun_at"] = "A visit can't begin in the future: check date and time."
        with self.database.session() as session:
            if new.site_id is not None and session.get(Site, new.site_id) is None:
                wrong["site"] = "There is no such site: choose another."
            if wrong:
                raise InvalidInput(wrong)
            row = {
                "id": new.visit_id, "site_id": new.site_id, "sample": sample, "person_id": person.id,
                "round_id": new.round_id, "begun_at": new.begun_at or now, "recorded_at": now,
            }  # fmt: skip
            add_once(session, Visit, row, told=("site_id", "sample"))
        return new.visit_id

    def view(self, visit_id: uuid.UUID) -> VisitView:
        """A visit as its page shows it."""
        with self.database.session() as session:
            return view_of(session, visit_of(session, visit_id), self.clock.now())

    def unfinished_at(self, site_id: uuid.UUID) -> Visit | None:
        """A visit of today that was left open at a site."""
        since = self.clock.now() - REMEMBERED
        with self.database.session() as session:
            return next((v for v in visit_queries.unfinished(session, since) if v.site_id == site_id), None)

    def at_site(self, site_id: uuid.UUID) -> list[tuple[Visit, list[Reading]]]:
        """A site's newest visits with their standing readings."""
        with self.database.session() as session:
            found = visit_queries.visits(session, site_id, limit=_LISTED)
            readings = visit_queries.readings_of_visits(session, [v.id for v in found])
            return [(v, standing(readings.get(v.id, ()))) for v in found]

    def limits(self, site_id: uuid.UUID) -> list[Limit]:
        """The limits of a site's water."""
        with self.database.session() as session:
            return list(limits_at(session, session.get(Site, site_id)).values())

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
            rows = standing_of(session, visit)
            limits = limits_seen(limits_at(session, visit.site), rows)
            self._pressure(session, visit, sheet, person, at, limits)
            self._entries(session, visit, sheet, person, at, limits, rows)
            self._say(session, visit, sheet.said, person)
            session.flush()
            follow_visits(session, [visit], person, self.clock.now())

    def amend(self, reading_id: uuid.UUID, entry: Entry, reason: str, person: Person) -> None:
        """Put another value in place of one; what was worked out from it is worked out anew.

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
            visit, at = visit_of(session, old.visit_id), old.taken_at
            spot = Spot(old.depth_m, old.layer, old.replicate)
            sheet = Sheet((entry,), spot)
            rows = standing_of(session, visit)
            limits = limits_seen(limits_at(session, visit.site), rows)
            self._entries(session, visit, sheet, person, at, limits, rows, Amending(old.id, reason.strip()))
            session.flush()
            follow_visits(session, [visit], person, self.clock.now())

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
            visit = visit_of(session, old.visit_id)
            add_once(session, Reading, removal_row(old, new_id, reason.strip(), person, self.clock.now()))
            session.flush()
            follow_visits(session, [visit], person, self.clock.now())

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
            add_once(session, VisitPhoto, row)

    def photo(self, photo_id: uuid.UUID) -> bytes:
        """A photo, a JPEG."""
        with self.database.session() as session:
            found = session.get(VisitPhoto, photo_id)
            if found is None:
                raise NotFound("There is no such photo.")
            return found.jpeg

    def follow(self, visit_id: uuid.UUID, person: Person) -> None:
        """Work out anew what follows from a visit's readings, after one was added or amended elsewhere."""
        may_record(person)
        with self.database.session() as session:
            visit = visit_of(session, visit_id)
            follow_visits(session, [visit], person, self.clock.now())

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
            add_once(session, Acknowledgement, row)

    def _moment(self, visit: Visit) -> datetime:
        """When what is typed now was read: now, or the hour of a visit that is entered afterwards."""
        now = self.clock.now()
        return now if visit.begun_at.date() == now.date() else visit.begun_at

    def _say(self, session: Session, visit: Visit, said: Sequence[Said], person: Person) -> None:
        for one in said:
            if one.kind == EntryKind.SKIPPED and not one.words.strip():
                raise InvalidInput({f"skip-{one.quantity}": "Say why it is not read."})
            known = visit.newest(EntryKind(one.kind)) if one.kind in ("note", "weather") else None
            if one.kind in ("note", "weather") and (known.words if known else "") == one.words.strip():
                continue
            row = {
                "id": one.entry_id, "visit_id": visit.id, "person_id": person.id, "at": self.clock.now(),
                "kind": one.kind, "quantity": one.quantity, "words": one.words.strip(),
            }  # fmt: skip
            add_once(session, VisitEntry, row, told=("visit_id", "kind", "quantity", "words"))
            session.expire(visit, ["entries"])

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
            view = view_of(session, visit, self.clock.now())
            if view.left and not words.strip():
                names = ", ".join(about.name for about in view.left)
                raise InvalidInput({"words": f"Not read yet: {names}. Read it, or say why not."})
            self._say(session, visit, [Said(entry_id, EntryKind.FINISHED, words or "all read")], person)

    def _pressure(
        self, session: Session, visit: Visit, sheet: Sheet, person: Person, at: datetime, limits: Mapping[str, Limit]
    ) -> None:
        if sheet.pressure is None or sheet.pressure_id is None:
            return
        pressure = Place(visit.site, visit.id).at(sheet.pressure)
        if wrong := wrong_with(pressure):
            raise InvalidInput(wrong)
        new = PlainReading(
            sheet.pressure_id, "station-pressure", TypedValue(pressure.hpa), spot=Spot(), pressure=pressure
        )
        add_plain(session, new, visit, person, at, limits)
        session.flush()

    def _entries(
        self, session: Session, visit: Visit, sheet: Sheet, person: Person, at: datetime, limits: Mapping[str, Limit],
        rows: Sequence[Reading], amending: Amending | None = None,
    ) -> None:  # fmt: skip
        typed, wrong = _read(sheet.entries)
        warm = _warm(rows, sheet.spot, typed)
        order = sorted(typed, key=lambda key: _FIRST.index(key) if key in _FIRST else len(_FIRST))
        for key in order:
            entry, value = typed[key]
            try:
                self._add(session, visit, entry, value, warm, sheet.spot, person, at, limits, amending or Amending())
            except InvalidInput as error:
                wrong |= {_field(name, key): words for name, words in error.fields.items()}
            session.flush()
        if wrong:
            raise InvalidInput(wrong)

    def _add(
        self, session: Session, visit: Visit, entry: Entry, value: TypedValue, warm: float | None, spot: Spot,
        person: Person, at: datetime, limits: Mapping[str, Limit], amending: Amending,
    ) -> None:  # fmt: skip
        what, _, key = entry.read_with.partition(":")
        probe = instrument = None
        if what == "probe":
            probe = session.get(Probe, _id(key, entry.quantity))
        elif what == "instrument":
            instrument = session.get(Instrument, _id(key, entry.quantity))
            if instrument is None or entry.quantity not in instrument.measures:
                raise InvalidInput({entry.quantity: "This instrument does not measure it: choose another."})
        own = upkeep.senses(probe) if probe else None
        did = own.shown_so(entry.quantity) if own else None
        if probe is None or own is None or did is None:
            new = PlainReading(entry.reading_id, entry.quantity, value, instrument, probe, spot, None, amending, warm)
            add_plain(session, new, visit, person, at, limits)
            return
        if value.qualifier:
            raise InvalidInput({entry.quantity: "A probe shows a number: leave < and > to kits and laboratories."})
        record_within(
            session,
            self.clock,
            NewReading(
                entry.reading_id, visit.site_id, probe.id, Source.TYPED_VALUE, visit_id=visit.id,
                depth_m=spot.depth_m, layer=spot.layer, replicate=spot.replicate, typed_as=value.typed_as,
                temperature_c=warm, shown=value.value, meter_did=_did(probe, entry.quantity, did),
                place=Place(visit.site, visit.id).now(session, Surroundings(), at), taken_at=at, despite=entry.despite,
                amends_id=amending.amends_id, amend_reason=amending.reason,
            ),
            person,
            limits,
        )  # fmt: skip


def _read(entries: Sequence[Entry]) -> tuple[dict[str, tuple[Entry, TypedValue]], dict[str, str]]:
    """What was typed by quantity, and what of it can't be read."""
    typed: dict[str, tuple[Entry, TypedValue]] = {}
    wrong: dict[str, str] = {}
    for entry in entries:
        if entry.quantity not in quantities():
            wrong[entry.quantity] = "This quantity is not known."
            continue
        try:
            typed[entry.quantity] = entry, read_value(quantity(entry.quantity), entry.text, entry.unit)
        except InvalidInput as error:
            wrong |= error.fields
    return typed, wrong


def unreadable(entries: Sequence[Entry]) -> dict[str, str]:
    """What of the typed values can't be read, by quantity; to tell it beside what else is wrong with a form."""
    return _read(entries)[1]


def _field(name: str, key: str) -> str:
    """The field that a refusal belongs to: what has a field of its own keeps it, all others are the value's."""
    return name if name.startswith(("pressure", "altitude", "despite")) else key


def _id(text: str, name: str) -> uuid.UUID:
    try:
        return uuid.UUID(text)
    except ValueError:
        raise InvalidInput({name: "Choose what it was read with."}) from None


def _did(probe: Probe, key: str, did: Mapping[str, Any]) -> dict[str, Any]:
    """What its meter did to what it shows, as its page says once.

    Raises
    ------
    InvalidInput
        Where its page does not say.
    """
    known = (probe.meter.does if probe.meter else {}).get(key)
    if did.get("method") == "" and known is None:
        meter = probe.meter.label if probe.meter else "its meter"
        raise InvalidInput({key: f"Say once on the page of {meter} how it compensates conductivity."})
    return dict(did) | dict(known or {})


def _warm(rows: Sequence[Reading], spot: Spot, typed: Mapping[str, tuple[Entry, TypedValue]]) -> float | None:
    """The water's temperature: as typed now, else as read before on this visit."""
    if _WARM in typed:
        return typed[_WARM][1].value
    known = seen_at(rows, spot)
    return known[_WARM].value if _WARM in known else None
