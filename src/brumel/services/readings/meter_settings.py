"""A setting of a meter that was wrong: its readings found, shown before and after, amended at once."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.services.acts import act
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.live.display import BESIDES, wrong_does
from brumel.services.people import may_record
from brumel.services.readings.again import Again, Anew
from brumel.services.readings.draft import as_measured
from brumel.services.readings.following import follow_visits
from brumel.store.database import Database, hold
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Meter, Person
from brumel.store.queries import visit as visit_queries


@dataclass(frozen=True)
class WrongSetting:
    """What a meter was said to do to a quantity within a time, and what it really did."""

    meter_id: uuid.UUID
    quantity: str
    since: datetime
    until: datetime
    really: Mapping[str, Any]
    """As its page has it: the compensation, or what was set in it for oxygen."""


@dataclass(frozen=True)
class Resetting:
    """Use cases around settings that were wrong."""

    database: Database
    clock: Clock

    def preview(self, wrong: WrongSetting) -> list[Anew]:
        """Return the readings concerned, before and after; nothing is recorded.

        Raises
        ------
        InvalidInput
            For a setting that can't be, or a time that ends before it begins.
        """
        with self.database.session() as session:
            return self._changes(session, wrong)

    @act(meter="wrong.meter_id")
    def apply(self, wrong: WrongSetting, reason: str, person: Person) -> int:
        """Amend them all in one transaction, with all that was worked out from them; how many it were.

        Originals stay. Done twice, it finds nothing more: what was amended stands with the setting as it was.

        Raises
        ------
        InvalidInput
            As :meth:`preview`, or without a reason.
        """
        may_record(person)
        if not reason.strip():
            raise InvalidInput({"reason": "Say how it was found that the setting was wrong."})
        with self.database.session() as session:
            hold(session, *{v.id for c in self._changes(session, wrong) if (v := c.reading.visit)})
            session.expire_all()
            changes = self._changes(session, wrong)
            Again(session, self.clock).record(changes, reason.strip(), person)
            visits = [v for c in changes if (v := c.reading.visit)]
            follow_visits(session, visits, person, self.clock, [c.reading.id for c in changes])
            return len(changes)

    def _changes(self, session: Session, wrong: WrongSetting) -> list[Anew]:
        if not wrong.since < wrong.until:
            raise InvalidInput({"until": "It must end after it began."})
        if found := wrong_does({wrong.quantity: wrong.really}):
            raise InvalidInput(found)
        if session.get(Meter, wrong.meter_id) is None:
            raise NotFound("There is no such meter.")
        readings = visit_queries.shown_by_meter(session, wrong.meter_id, wrong.quantity, wrong.since, wrong.until)
        again, changes = Again(session, self.clock), []
        bases = visit_queries.bases_of_readings(session, Reading.id.in_([r.id for r in readings]))
        for reading in readings:
            if reading.temperature_c is None or reading.shown is None:
                continue
            did = _really(reading.meter_did, wrong.really)
            if did == dict(reading.meter_did):
                continue
            measured = replace(as_measured(reading), meter_did=did)
            changes.append(Anew(reading, again.correct(reading, measured), tuple(bases.get(reading.id, ()))))
        return changes


def _really(said: Mapping[str, Any], really: Mapping[str, Any]) -> dict[str, Any]:
    """Return what a meter really did: in which unit it shows, and what it does whatever it shows, stay as they were."""
    return {name: said[name] for name in BESIDES if name in said} | dict(really)
