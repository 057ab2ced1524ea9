"""Shelf: lots received, opened, used, discarded; what is left; what to order."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.calibrating.methods import ml_per_point
from brumel.core.errors import CoreError
from brumel.core.findings import Finding, Level, verdict
from brumel.core.kit.shelf import USE_DAYS, LotFacts, Pack, Standard, judge_lot, standards
from brumel.core.quantities.ph import TEMPERATURE_RANGE_C
from brumel.core.quantities.salinity import SALTIEST, conductivity_from_salinity
from brumel.core.reading.water import SOLIDS_FACTORS
from brumel.core.standards.buffers import COMBINED, LABEL_TEMPERATURE_C
from brumel.core.standards.targets import (
    CONDUCTIVITY,
    KCL,
    PH_BUFFER,
    SEA_WATER,
    Bottle,
    bottle_of,
    check_bottle,
    families_of,
)
from brumel.core.typed import number_typed
from brumel.core.wording import day_words
from brumel.services.calibrating import stored
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.kit import photos
from brumel.services.people import may_record
from brumel.store import queries
from brumel.store.database import Database, hold
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reference import Lot, Person
from brumel.store.models.shelf import LotCertificate, LotEvent, LotRecord
from brumel.store.once import add_once, refuse_other

_RUNS_SHOWN = 10
LABEL_UNITS = {"": "µS/cm", "mS": "mS/cm", "ppm": "ppm, by a factor", "salinity": "practical salinity"}
"""What a conductivity standard's label may be stated in."""
_WEAKEST_US_CM = 50.0
"""No standard of potassium chloride is sold weaker (common practice): then mS/cm was meant."""
_MOST_VALUE = 1_000_000.0
_LEAST_U = 1e-6
_LEAST, _MOST = 0.1, 20_000.0
_ALIKE = 0.05
"""Farther from its label at 25 °C, a table is another lot's (rule of this product)."""


@dataclass(frozen=True)
class Entry:
    """A lot as the shelf shows it."""

    lot: Lot
    standard: Standard
    facts: LotFacts
    level: Level
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class LotView:
    """A lot with its log and the calibrations that it served in."""

    entry: Entry
    records: Sequence[LotRecord]
    runs: Sequence[CalibrationRun]
    certified: bool
    """Whether its certificate is kept."""
    parent: Lot | None = None
    """The lot that it was poured off from."""


@dataclass(frozen=True)
class NewLot:
    """A lot to receive, as typed."""

    lot_id: uuid.UUID
    standard: str
    lot_number: str
    family: str = ""
    nominal: float | None = None
    received_on: date | None = None
    expires_on: date | None = None
    open_life_days: float | None = None
    pack: str = Pack.BOTTLE
    content: float | None = None
    certificate_u: float | None = None
    label_unit: str = ""
    """In which unit its label states a conductivity, by key of :data:`LABEL_UNITS`; its standard's own where empty."""
    factor: float | None = None
    """ppm for each µS/cm, of a label in ppm."""
    table: str = ""
    """Its own values as typed, a line each: temperature, °C, and value in the standard's unit."""
    also_us_cm: float | None = None
    """Of a solution that is a buffer too its conductivity at 25 °C, µS/cm; ``also_table``, ``also_u`` as above."""
    also_table: str = ""
    also_u: float | None = None


@dataclass(frozen=True)
class Shelf:
    """Use cases around lots."""

    database: Database
    clock: Clock

    def entries(self, *, discarded: bool = False, on: date | None = None) -> list[Entry]:
        """All lots on the shelf, or also those that were discarded, judged for a day; today where none is given."""
        with self.database.session() as session:
            found = self._entries(session, on)
        found.sort(key=lambda e: list(standards()).index(e.lot.standard))
        return [e for e in found if discarded or e.lot.discarded_on is None]

    def view(self, lot_id: uuid.UUID) -> LotView:
        """One lot in full."""
        with self.database.session() as session:
            entry = next((e for e in self._entries(session) if e.lot.id == lot_id), None)
            if entry is None:
                raise NotFound("There is no such lot.")
            return LotView(
                entry,
                queries.lot_records(session, lot_id),
                queries.runs_with_lot(session, lot_id, _RUNS_SHOWN),
                session.get(LotCertificate, lot_id) is not None,
                session.get(Lot, entry.lot.parent_id) if entry.lot.parent_id else None,
            )

    def receive(self, new: NewLot, person: Person) -> uuid.UUID:
        """Put a new lot on the shelf.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session(new.lot_id) as session:
            known = session.get(Lot, new.lot_id)
            if known is not None:
                _same(known, new)
                return new.lot_id
            new, wrong = _in_us_cm(new)
            table, unread = _table(new.table)
            wrong = _wrong(new, table, self.clock.today()) | wrong | unread
            also, wrong_too = _also(new, self.clock.today())
            wrong |= wrong_too
            number = new.lot_number.strip()
            if any(lot.lot_number.lower() == number.lower() for lot in queries.lots(session)):
                wrong["lot_number"] = f"A lot {number} stands on the shelf already: open that one."
            if wrong or new.expires_on is None:
                raise InvalidInput(wrong)
            life = new.open_life_days if new.open_life_days is not None else standards()[new.standard].open_life_days
            row = {
                "id": new.lot_id, "lot_number": number, "standard": new.standard, "family": new.family or new.standard,
                "nominal": new.nominal, "received_on": new.received_on or self.clock.today(),
                "expires_on": new.expires_on, "open_life_days": int(life), "pack": new.pack, "content": new.content,
                "certificate_u": new.certificate_u, "value_table": table or None,
            }  # fmt: skip
            session.add(Lot(**row))
            session.flush()
            if also:
                session.add(Lot(**row | also | {"lot_number": f"{number} (conductivity)", "bottle_id": new.lot_id}))
                session.flush()
            self._record(session, uuid.uuid4(), new.lot_id, LotEvent.RECEIVED, person)
        return new.lot_id

    def open(self, lot_id: uuid.UUID, record_id: uuid.UUID, person: Person) -> None:
        """Open a lot: its open life begins."""
        may_record(person)
        with self.database.session() as session:
            for lot in _in_bottle(session, lot_id):
                _must_stand(lot, "open")
                if lot.opened_on is None:
                    lot.opened_on = self.clock.today()
                    self._record(session, _each(record_id, lot, lot_id), lot.id, LotEvent.OPENED, person)

    def use(self, lot_id: uuid.UUID, record_id: uuid.UUID, amount: float | None, note: str, person: Person) -> None:
        """Take some out; what calibration points take is counted by itself."""
        may_record(person)
        with self.database.session() as session:
            lot = _in_bottle(session, lot_id)[0]
            unit = Pack(lot.pack).unit
            if amount is None or not _LEAST <= amount <= _MOST:
                raise InvalidInput({"amount": f"Give how many {unit} were taken, above 0 and up to {_MOST:,.0f}."})
            if unit != "mL" and amount != int(amount):
                raise InvalidInput({"amount": f"Give a whole number of {unit}."})
            self._must_be_left(session, lot, record_id, "amount", amount)
            self._record(session, record_id, lot_id, LotEvent.USED, person, amount, note)

    def pour_off(
        self, lot_id: uuid.UUID, new_id: uuid.UUID, amount: float | None, lot_number: str, person: Person
    ) -> uuid.UUID:
        """Pour some of an opened bottle into one of its own: a lot opened today, whose parent is this one.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session(new_id) as session:
            if session.get(Lot, new_id) is not None:
                return new_id
            parent, number = _in_bottle(session, lot_id)[0], lot_number.strip()
            wrong = {}
            if amount is None or not _LEAST <= amount <= _MOST:
                wrong["poured"] = f"Give how many mL were poured off, above 0 and up to {_MOST:,.0f}."
            if not number:
                wrong["lot_number"] = "Give the new bottle a number of its own."
            elif any(lot.lot_number.lower() == number.lower() for lot in queries.lots(session)):
                wrong["lot_number"] = f"A lot {number} stands on the shelf already: choose another."
            if parent.pack != Pack.BOTTLE or parent.discarded_on is not None:
                wrong["poured"] = "Only a bottle that stands on the shelf can be poured off."
            if wrong or amount is None:
                raise InvalidInput(wrong)
            self._must_be_left(session, parent, uuid.uuid5(new_id, "taken"), "poured", amount)
            today = self.clock.today()
            parent.opened_on = parent.opened_on or today
            session.add(
                Lot(
                    id=new_id, lot_number=number, standard=parent.standard, family=parent.family,
                    nominal=parent.nominal, received_on=today, expires_on=max(parent.expires_on, today),
                    opened_on=today, open_life_days=parent.open_life_days, pack=parent.pack, content=amount,
                    certificate_u=parent.certificate_u, value_table=parent.value_table, parent_id=parent.id,
                )
            )  # fmt: skip
            session.flush()
            self._record(session, uuid.uuid5(new_id, "taken"), lot_id, LotEvent.USED, person, amount, f"into {number}")
            self._record(session, uuid.uuid5(new_id, "opened"), new_id, LotEvent.OPENED, person)
        return new_id

    def discard(self, lot_id: uuid.UUID, record_id: uuid.UUID, reason: str, person: Person) -> None:
        """Take a lot off the shelf; its record stays."""
        may_record(person)
        if not reason.strip():
            raise InvalidInput({"reason": "Say in a few words why it goes; its record stays."})
        with self.database.session() as session:
            for lot in _in_bottle(session, lot_id):
                if lot.discarded_on is None:
                    lot.discarded_on = self.clock.today()
                    key = _each(record_id, lot, lot_id)
                    self._record(session, key, lot.id, LotEvent.DISCARDED, person, note=reason)

    def attach(self, lot_id: uuid.UUID, data: bytes, person: Person) -> None:
        """Keep the certificate that came with a lot.

        Raises
        ------
        InvalidInput
            Where it is neither a PDF nor a picture, or there is one already.
        """
        may_record(person)
        media_type, content = photos.certificate(data)
        with self.database.session() as session:
            _lot(session, lot_id)
            row = {"lot_id": lot_id, "person_id": person.id, "at": self.clock.now(), "media_type": media_type,
                   "content": content}  # fmt: skip
            if not add_once(session, LotCertificate, row):
                raise InvalidInput({"certificate": "Its certificate is kept already."})

    def certificate(self, lot_id: uuid.UUID) -> LotCertificate:
        """The certificate of a lot."""
        with self.database.session() as session:
            found = session.get(LotCertificate, lot_id)
        if found is None:
            raise NotFound("There is no such certificate.")
        return found

    def daily_use(self) -> dict[uuid.UUID, float]:
        """What was taken from each lot a day, lately: by calibration points and by hand."""
        since = self.clock.now() - timedelta(days=USE_DAYS)
        with self.database.session() as session:
            lots = {lot.id: lot for lot in queries.lots(session)}
            used = _used(lots, queries.points_of_lots(session, since))
            for record in queries.lot_records(session):
                if record.at >= since:
                    used[record.lot_id] += record.amount or 0.0
        return {lot_id: amount / USE_DAYS for lot_id, amount in used.items()}

    def _entries(self, session: Session, on: date | None = None) -> list[Entry]:
        lots = queries.lots(session)
        used = _used({lot.id: lot for lot in lots}, queries.points_of_lots(session))
        for record in queries.lot_records(session):
            used[record.lot_id] += record.amount or 0.0
        of_bottle: dict[uuid.UUID, float] = defaultdict(float)
        for lot in lots:
            of_bottle[lot.bottle] += used[lot.id]
        return [self._entry(lot, of_bottle[lot.bottle], on or self.clock.today()) for lot in lots]

    def _entry(self, lot: Lot, used: float, on: date) -> Entry:
        left = None if lot.content is None else lot.content - used
        facts = stored.lot_facts(lot, left)
        findings = judge_lot(facts, on)
        return Entry(lot, standards()[lot.standard], facts, verdict(findings), tuple(findings))

    def _must_be_left(self, session: Session, lot: Lot, record_id: uuid.UUID, field: str, amount: float) -> None:
        """Refuse to take from what was discarded, or more than is left; what was recorded already passes."""
        if session.get(LotRecord, record_id) is not None:
            return
        _must_stand(lot, field)
        left = next(e.facts.left for e in self._entries(session) if e.lot.id == lot.id)
        if left is not None and amount > left:
            unit = Pack(lot.pack).unit
            words = f"Only {max(left, 0.0):,.0f} {unit} are left by what was logged: take less, or receive another lot."
            raise InvalidInput({field: words})

    def _record(
        self, session: Session, record_id: uuid.UUID, lot_id: uuid.UUID, event: LotEvent, person: Person,
        amount: float | None = None, note: str = "",
    ) -> None:  # fmt: skip
        row = {"id": record_id, "lot_id": lot_id, "person_id": person.id, "at": self.clock.now(), "event": str(event),
               "amount": amount, "note": note.strip()}  # fmt: skip
        add_once(session, LotRecord, row, told=("lot_id", "event", "amount", "note"))


def _in_bottle(session: Session, lot_id: uuid.UUID) -> list[Lot]:
    """A lot, and what else stands in its bottle; nobody else takes from that bottle until the transaction ends."""
    lot = _lot(session, lot_id)
    hold(session, lot.bottle)
    session.expire_all()
    return [lot, *(x for x in queries.lots(session) if x.id != lot.id and x.bottle == lot.bottle)]


def _must_stand(lot: Lot, field: str) -> None:
    """Refuse what was discarded."""
    if lot.discarded_on is not None:
        words = f"It was discarded on {day_words(lot.discarded_on)}: take another, or receive a new one."
        raise InvalidInput({field: words})


def _same(known: Lot, new: NewLot) -> None:
    """Refuse other content under the key of a lot that stands."""
    told = {"lot number": new.lot_number.strip(), "standard": new.standard, "expires on": new.expires_on}
    stands = {"lot number": known.lot_number, "standard": known.standard, "expires on": known.expires_on}
    refuse_other(stands, told)


def _each(record_id: uuid.UUID, lot: Lot, asked: uuid.UUID) -> uuid.UUID:
    """The key of what is recorded of each lot in a bottle."""
    return record_id if lot.id == asked else uuid.uuid5(record_id, str(lot.id))


def _used(lots: Mapping[uuid.UUID, Lot], points: Sequence[tuple[uuid.UUID, float, int]]) -> dict[uuid.UUID, float]:
    """What calibration points took from each lot, in the unit of its pack."""
    used = dict.fromkeys(lots, 0.0)
    for lot_id, share, count in points:
        used[lot_id] += count * (ml_per_point(share) if lots[lot_id].pack == Pack.BOTTLE else 1.0)
    return used


def label_of(lot: Lot) -> str:
    """What stands on a bottle: its kind and value."""
    standard = standards()[lot.standard]
    if lot.nominal is None:
        return standard.name
    return f"{standard.name} {standard.value_words(lot.nominal)}"


def _lot(session: Session, lot_id: uuid.UUID) -> Lot:
    lot = session.get(Lot, lot_id)
    if lot is None:
        raise NotFound("There is no such lot.")
    return lot


def _also(new: NewLot, today: date) -> tuple[dict[str, Any], dict[str, str]]:
    """The conductivity standard in the bottle of a combined buffer, as a row has it, and what can't be of it."""
    if new.standard != PH_BUFFER or new.family != COMBINED:
        if new.also_us_cm is None:
            return {}, {}
        return {}, {"also_us_cm": "Only a combined solution has two values: choose that family."}
    if new.also_us_cm is None:
        return {}, {"also_us_cm": "Give its conductivity too: one solution, two values."}
    face = replace(new, standard=CONDUCTIVITY, nominal=new.also_us_cm, label_unit="", certificate_u=new.also_u)
    table, unread = _table(new.also_table)
    found = _wrong(face, table, today) | unread
    wrong = {_ALSO[field]: words for field, words in found.items() if field in _ALSO}
    row = {"id": uuid.uuid5(new.lot_id, "also"), "standard": CONDUCTIVITY, "nominal": new.also_us_cm,
           "certificate_u": new.also_u, "value_table": table or None}  # fmt: skip
    return row, wrong


_ALSO = {"nominal": "also_us_cm", "table": "also_table", "certificate_u": "also_u", "family": "also_us_cm"}
"""The fields of a combined solution's conductivity."""


def _in_us_cm(new: NewLot) -> tuple[NewLot, dict[str, str]]:
    """A conductivity standard with its label in µS/cm at 25 °C, and what can't be of its unit."""
    if new.standard != CONDUCTIVITY or new.nominal is None:
        return new, {}
    if new.label_unit not in LABEL_UNITS:
        return new, {"label_unit": "Choose the unit that stands on the label."}
    if new.label_unit == "mS":
        return replace(new, nominal=round(new.nominal * 1000.0, 6)), {}
    if new.label_unit == "ppm":
        low, high = SOLIDS_FACTORS
        if new.factor is None or not low <= new.factor <= high:
            return new, {"factor": f"A label in ppm needs its factor, {low:g} to {high:g}: 0.5 as NaCl."}
        return replace(new, nominal=round(new.nominal / new.factor, 6)), {}
    if new.label_unit == "salinity":
        if not 0 < new.nominal <= SALTIEST:
            return new, {"nominal": f"A practical salinity lies above 0 and up to {SALTIEST:g}."}
        at_25 = float(conductivity_from_salinity(new.nominal, LABEL_TEMPERATURE_C)) * 1000.0
        return replace(new, nominal=round(at_25), family=SEA_WATER), {}
    if new.family == KCL and 0 < new.nominal < _WEAKEST_US_CM:
        words = f"{new.nominal:g} µS/cm is weaker than any that is sold: was mS/cm meant? Choose the unit on the label."
        return new, {"nominal": words}
    return new, {}


def _table(text: str) -> tuple[list[list[float]], dict[str, str]]:
    """Temperature and value of each line, and what can't be read."""
    found: list[list[float]] = []
    low, high = TEMPERATURE_RANGE_C
    for number, line in enumerate((x for x in text.splitlines() if x.strip()), 1):
        parts = line.replace(";", " ").replace("|", " ").split()
        try:
            temperature_c, value = (number_typed(part) for part in parts)
            if not (low <= temperature_c <= high and abs(value) <= _MOST_VALUE):
                raise ValueError(line)
        except (ValueError, CoreError):
            return [], {"table": f"Line {number} can't be read: write temperature and value, like 20 1278."}
        found.append([temperature_c, value])
    return found, {}


def _unlike_label(bottle: Bottle) -> dict[str, str]:
    """A table that is not this label's: at 25 °C the two say the same."""
    at_25 = dict(bottle.table).get(25.0)
    if at_25 is None or bottle.nominal is None or abs(at_25 - bottle.nominal) <= _ALIKE * abs(bottle.nominal):
        return {}
    return {"table": f"At 25 °C the table has {at_25:g}, the label {bottle.nominal:g}: one is not this lot's."}


def _wrong(new: NewLot, table: list[list[float]], today: date) -> dict[str, str]:
    wrong: dict[str, str] = {}
    received = new.received_on or today
    if not new.lot_number.strip():
        wrong["lot_number"] = "Give the lot number that stands on the bottle."
    if new.standard not in standards():
        wrong["standard"] = "Choose what it is."
    elif standards()[new.standard].unit and new.nominal is None:
        wrong["nominal"] = f"Give its value at 25 °C, {standards()[new.standard].unit}."
    elif new.nominal is not None and new.standard != "orp" and not 0 < new.nominal <= _MOST_VALUE:
        wrong["nominal"] = "The value of a standard must be above 0."
    if new.expires_on is None:
        wrong["expires_on"] = "Give the day that it expires."
    elif new.expires_on < received:
        wrong["expires_on"] = "A lot can't expire before it was received: check both dates."
    if received > today:
        wrong["received_on"] = "A lot can't be received on a day to come."
    if new.pack not in set(Pack):
        wrong["pack"] = "Choose what it comes in."
    elif new.content is not None and not _LEAST <= new.content <= _MOST:
        wrong["content"] = f"How many {Pack(new.pack).unit} there are must be above 0 and up to {_MOST:,.0f}."
    elif new.content is not None and new.pack != Pack.BOTTLE and new.content != int(new.content):
        wrong["content"] = f"Give a whole number of {new.pack}."
    if new.open_life_days is not None and not 1 <= new.open_life_days <= 3650:
        wrong["open_life_days"] = "Days must be from 1 to 3 650."
    if new.certificate_u is not None and not _LEAST_U <= new.certificate_u <= _MOST_VALUE:
        wrong["certificate_u"] = "An uncertainty must be above 0. Give it in the unit of the label."
    if new.standard in standards() and new.nominal is not None and (families := families_of(new.standard)):
        if new.family not in families:
            wrong["family"] = f"Choose the {standards()[new.standard].short}'s family."
        elif new.standard == PH_BUFFER and not 0 < new.nominal < 14:
            wrong["nominal"] = "The value of a buffer lies between pH 0 and 14."
        else:
            try:
                bottle = bottle_of(new.standard, new.family, new.nominal, table, None)
                check_bottle(bottle)
                wrong |= _unlike_label(bottle)
            except CoreError as error:
                wrong["table" if table else "family"] = str(error)
    return wrong
