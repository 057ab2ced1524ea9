"""Shelf: lots received, opened, used, discarded; what is left; what to order."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.findings import Finding, Level, verdict
from brumel.core.kit.shelf import USE_DAYS, LotFacts, Pack, Standard, judge_lot, standards
from brumel.core.wording import day_words, grouped
from brumel.services.acts import act
from brumel.services.cached.remembered import cached
from brumel.services.clock import Clock
from brumel.services.editing import refuse_older
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.house.rules import in_force
from brumel.services.people import may_record
from brumel.services.probes import photos
from brumel.services.shelf import lot_words
from brumel.services.shelf.bottles import in_bottle, lot_of, taken_of, used_of_each
from brumel.services.shelf.typed_lot import (
    AMOUNT,
    CORRECTED,
    LEAST,
    MOST,
    Correction,
    NewLot,
    also_of,
    correction_words,
    in_us_cm,
    standard_u,
    table_of,
    wrong_correction,
    wrong_with,
)
from brumel.store.add_fact import add_once, refuse_other
from brumel.store.database import Database
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reference import Lot, Person
from brumel.store.models.shelf import LotCertificate, LotEvent, LotRecord
from brumel.store.queries import run as run_queries
from brumel.store.queries import shelf as shelf_queries

_RUNS_SHOWN = 10
_DECIMALS = 6
"""Behind these, what is left of a lot is what sums leave behind."""


@dataclass(frozen=True)
class LotEntry:
    """A lot as the shelf shows it."""

    lot: Lot
    standard: Standard
    facts: LotFacts
    level: Level
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class LotView:
    """A lot with its log and the calibrations that it served in."""

    entry: LotEntry
    records: Sequence[LotRecord]
    runs: Sequence[CalibrationRun]
    certified: bool
    """Whether its certificate is kept."""
    parent: Lot | None = None
    """The lot that it was poured off from."""


@dataclass(frozen=True)
class Shelf:
    """Use cases around lots."""

    database: Database
    clock: Clock

    @cached
    def entries(self, *, discarded: bool = False, on: date | None = None) -> Sequence[LotEntry]:
        """All lots on the shelf, or also those that were discarded, judged for a day; today where none is given."""
        found = self._entries(self._now(), on)
        found.sort(key=lambda e: list(standards()).index(e.lot.standard))
        return [e for e in found if discarded or e.lot.discarded_on is None]

    @cached
    def view(self, lot_id: uuid.UUID) -> LotView:
        """Return one lot in full."""
        with self.database.session() as session:
            entry = next((e for e in self._entries(self._now()) if e.lot.id == lot_id), None)
            if entry is None:
                raise NotFound("There is no such lot.")
            return LotView(
                entry,
                shelf_queries.lot_records(session, lot_id),
                run_queries.runs_with_lot(session, lot_id, _RUNS_SHOWN),
                session.get(LotCertificate, lot_id) is not None,
                session.get(Lot, entry.lot.parent_id) if entry.lot.parent_id else None,
            )

    @act(lot="new.lot_id")
    def receive(self, new: NewLot, person: Person) -> uuid.UUID:
        """Put a new lot on the shelf.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            known = session.get(Lot, new.lot_id)
            if known is not None:
                _same(known, new)
                return new.lot_id
            put_on_shelf(session, new, self.clock.today())
            self._record(session, uuid.uuid4(), new.lot_id, LotEvent.RECEIVED, person)
        return new.lot_id

    @act(lot="lot_id")
    def correct(self, lot_id: uuid.UUID, new: Correction, person: Person) -> None:
        """Mend what was typed wrongly of a lot, with the reason; what it says of its values stays.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            lot = lot_of(session, lot_id)
            if session.get(LotRecord, new.record_id) is not None:
                return
            number = new.lot_number.strip()
            wrong = wrong_correction(new, self.clock.today())
            if _is_taken(session, number, but=lot_id):
                wrong["lot_number"] = f"A lot {number} stands on the shelf already: give another number."
            if wrong:
                raise InvalidInput(wrong)
            told = {name: getattr(new, name) for name in CORRECTED} | {"lot_number": number}
            before = {name: getattr(lot, name) for name in told}
            changed = {name: value for name, value in told.items() if value != before[name]}
            if not changed:
                raise InvalidInput({"lot_number": "Nothing was changed: correct what is wrong, then save."})
            refuse_older(lot, new.version, before)
            plain = {n: value.isoformat() if isinstance(value, date) else value for n, value in changed.items()}
            note = f"{correction_words(before, changed)}. {new.reason.strip()}"
            # A trigger of the owner changes the lot, from this entry.
            self._record(session, new.record_id, lot_id, LotEvent.CORRECTED, person, note=note, corrects=plain)

    @act(use="record_id")
    def withdraw(self, record_id: uuid.UUID, reason: str, person: Person) -> None:
        """Take back an entry of use that was wrong: what it took is there again."""
        may_record(person)
        if not reason.strip():
            raise InvalidInput(
                {f"reason-{record_id}": "Say in a few words why the entry was wrong; it stays on record."}
            )
        with self.database.session() as session:
            known = session.get(LotRecord, record_id)
            if known is None or known.event != LotEvent.USED:
                raise NotFound("There is no such entry of use.")
            in_bottle(session, known.lot_id)
            note = f"use of {known.amount:g} on {self.clock.said(known.at)}: {reason.strip()}"
            taken = known.amount or 0.0
            key = withdrawal_of(record_id)
            if session.get(LotRecord, key) is None:
                self._record(session, key, known.lot_id, LotEvent.WITHDRAWN, person, -taken, note)

    @act(lot="lot_id")
    def open(self, lot_id: uuid.UUID, record_id: uuid.UUID, person: Person) -> None:
        """Open a lot: its open life begins."""
        may_record(person)
        with self.database.session() as session:
            for lot in in_bottle(session, lot_id):
                _must_stand(lot, "open")
                if lot.opened_on is None:
                    lot.opened_on = self.clock.today()
                    self._record(session, _each(record_id, lot, lot_id), lot.id, LotEvent.OPENED, person)

    @act(lot="lot_id")
    def use(self, lot_id: uuid.UUID, record_id: uuid.UUID, amount: float | None, note: str, person: Person) -> None:
        """Take some out; what calibration points take is counted by itself."""
        may_record(person)
        with self.database.session() as session:
            lot = in_bottle(session, lot_id)[0]
            unit = Pack(lot.pack).unit
            if amount is None or not LEAST <= amount <= MOST:
                raise InvalidInput({"amount": f"Give how many {unit} were taken, from {AMOUNT}."})
            if unit != "mL" and amount != int(amount):
                raise InvalidInput({"amount": f"Give a whole number of {unit}."})
            self._must_be_left(session, lot, record_id, "amount", amount)
            self._record(session, record_id, lot_id, LotEvent.USED, person, amount, note)

    @act(lot="lot_id", new="new_id")
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
        with self.database.session() as session:
            if session.get(Lot, new_id) is not None:
                return new_id
            parent, number = in_bottle(session, lot_id)[0], lot_number.strip()
            wrong = {}
            if amount is None or not LEAST <= amount <= MOST:
                wrong["poured"] = f"Give how many mL were poured off, from {AMOUNT}."
            if not number:
                wrong["lot_number"] = "Give the new bottle a number of its own."
            elif _is_taken(session, number):
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

    @act(lot="lot_id")
    def discard(self, lot_id: uuid.UUID, record_id: uuid.UUID, reason: str, person: Person) -> None:
        """Take a lot off the shelf; its record stays."""
        may_record(person)
        if not reason.strip():
            raise InvalidInput({"reason": "Say in a few words why it goes; its record stays."})
        with self.database.session() as session:
            for lot in in_bottle(session, lot_id):
                if lot.discarded_on is None:
                    lot.discarded_on = self.clock.today()
                    key = _each(record_id, lot, lot_id)
                    self._record(session, key, lot.id, LotEvent.DISCARDED, person, note=reason)

    @act(lot="lot_id")
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
            lot_of(session, lot_id)
            row = {"lot_id": lot_id, "person_id": person.id, "at": self.clock.now(), "media_type": media_type,
                   "content": content}  # fmt: skip
            added = add_once(session, LotCertificate, row)
            if not added and session.get_one(LotCertificate, lot_id).content != content:
                raise InvalidInput({"certificate": "Its certificate is kept already."})

    def certificate(self, lot_id: uuid.UUID) -> LotCertificate:
        """Return the certificate of a lot."""
        with self.database.session() as session:
            found = session.get(LotCertificate, lot_id)
        if found is None:
            raise NotFound("There is no such certificate.")
        return found

    @cached
    def daily_use(self) -> Mapping[uuid.UUID, float]:
        """Return what was taken from each lot a day, lately: by calibration points and by hand."""
        since = self.clock.now() - timedelta(days=USE_DAYS)
        with self.database.session() as session:
            lots = {lot.id: lot for lot in shelf_queries.lots(session)}
            used = used_of_each(lots, shelf_queries.taken_from_lots(session, since))
        return {lot_id: amount / USE_DAYS for lot_id, amount in used.items()}

    @cached
    def _now(self) -> Sequence[tuple[Lot, float]]:
        with self.database.session() as session:
            return taken_of(session)

    def _entries(self, taken: Iterable[tuple[Lot, float]], on: date | None = None) -> list[LotEntry]:
        return [self._entry(lot, used, on or self.clock.today()) for lot, used in taken]

    def _entry(self, lot: Lot, used: float, on: date) -> LotEntry:
        known = lot.content is not None and lot.discarded_on is None
        left = round(lot.content - used, _DECIMALS) if known and lot.content is not None else None
        facts = lot_words.lot_facts(lot, left)
        findings = judge_lot(facts, on)
        return LotEntry(lot, standards()[lot.standard], facts, verdict(findings), tuple(findings))

    def _must_be_left(self, session: Session, lot: Lot, record_id: uuid.UUID, field: str, amount: float) -> None:
        """Refuse to take from what was discarded, or more than is left; what was recorded already passes."""
        if session.get(LotRecord, record_id) is not None:
            return
        _must_stand(lot, field)
        left = next(e.facts.left for e in self._entries(taken_of(session)) if e.lot.id == lot.id)
        if left is not None and amount > left:
            unit = Pack(lot.pack).unit
            words = (
                f"Only {grouped(max(left, 0.0))} {unit} are left by what was logged: take less, or receive another lot."
            )
            raise InvalidInput({field: words})

    def _record(
        self, session: Session, record_id: uuid.UUID, lot_id: uuid.UUID, event: LotEvent, person: Person,
        amount: float | None = None, note: str = "", corrects: Mapping[str, Any] | None = None,
    ) -> None:  # fmt: skip
        row = {"id": record_id, "lot_id": lot_id, "person_id": person.id, "at": self.clock.now(), "event": str(event),
               "amount": amount, "note": note.strip(), "corrects": corrects}  # fmt: skip
        add_once(session, LotRecord, row, told=("lot_id", "event", "amount", "note"))


def _must_stand(lot: Lot, field: str) -> None:
    """Refuse what was discarded."""
    if lot.discarded_on is not None:
        words = f"It was discarded on {day_words(lot.discarded_on)}: take another, or receive a new one."
        raise InvalidInput({field: words})


def put_on_shelf(session: Session, new: NewLot, today: date) -> Lot:
    """Add a lot, and of a combined solution its other value, as it is typed.

    Raises
    ------
    InvalidInput
        With every field that can't be taken.
    """
    new, unknown_k = standard_u(new)
    new, wrong = in_us_cm(new)
    wrong |= unknown_k
    table, unread = table_of(new.table)
    wrong = wrong_with(new, table, today) | wrong | unread
    also, wrong_too = also_of(new, today)
    wrong |= wrong_too
    number = new.lot_number.strip()
    if _is_taken(session, number):
        wrong["lot_number"] = f"A lot {number} stands on the shelf already: open that one."
    if wrong or new.expires_on is None:
        raise InvalidInput(wrong)
    life = new.open_life_days if new.open_life_days is not None else in_force().open_life_days[new.standard]
    row = {
        "id": new.lot_id, "lot_number": number, "standard": new.standard, "family": new.family or new.standard,
        "nominal": new.nominal, "received_on": new.received_on or today,
        "expires_on": new.expires_on, "open_life_days": int(life), "pack": new.pack, "content": new.content,
        "certificate_u": new.certificate_u, "value_table": table or None,
    }  # fmt: skip
    lot = Lot(**row)
    session.add(lot)
    session.flush()
    if also:
        session.add(Lot(**row | also | {"lot_number": f"{number} (conductivity)", "bottle_id": new.lot_id}))
        session.flush()
    return lot


def _is_taken(session: Session, number: str, but: uuid.UUID | None = None) -> bool:
    """Say whether another lot has this number, however it is written."""
    return any(lot.id != but and lot.lot_number.lower() == number.lower() for lot in shelf_queries.lots(session))


def _same(known: Lot, new: NewLot) -> None:
    """Refuse other content under the key of a lot that stands."""
    told = {"lot number": new.lot_number.strip(), "standard": new.standard, "expires on": new.expires_on}
    stands = {"lot number": known.lot_number, "standard": known.standard, "expires on": known.expires_on}
    refuse_other(stands, told)


def withdrawal_of(record_id: uuid.UUID) -> uuid.UUID:
    """Return the key of the entry that takes another back."""
    return uuid.uuid5(record_id, "withdrawn")


def _each(record_id: uuid.UUID, lot: Lot, asked: uuid.UUID) -> uuid.UUID:
    """Return the key of what is recorded of each lot in a bottle."""
    return record_id if lot.id == asked else uuid.uuid5(record_id, str(lot.id))
