"""A setting of a meter that was wrong: its readings found, shown before and after, amended at once."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import insert
from sqlalchemy.orm import Session

from brumel.core.findings import Acceptance, Despite
from brumel.core.reading.surroundings import Surroundings
from brumel.services.calibrating import stored
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.live.display import meter_words, wrong_does
from brumel.services.people import may_record
from brumel.services.visiting.correcting import Corrected, Measured, correct
from brumel.services.visiting.following import follow_visits
from brumel.services.visiting.history import kept_limits, limits_at
from brumel.services.visiting.plain import in_place_of
from brumel.services.visiting.readings import shown_by
from brumel.store import visit_queries
from brumel.store.database import Database
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import Meter, Person


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
class Change:
    """One reading that rests on it: as it stands, and as it will."""

    reading: Reading
    after: Corrected
    did: Mapping[str, Any]

    @property
    def words(self) -> str:
        """What its meter was said to have done, and did."""
        return f"{meter_words(self.reading.meter_did) or 'nothing'} → {meter_words(self.did) or 'nothing'}"


@dataclass(frozen=True)
class Resetting:
    """Use cases around settings that were wrong."""

    database: Database
    clock: Clock

    def preview(self, wrong: WrongSetting) -> list[Change]:
        """The readings concerned, before and after; nothing is recorded.

        Raises
        ------
        InvalidInput
            For a setting that can't be, or a time that ends before it begins.
        """
        with self.database.session() as session:
            return self._changes(session, wrong)

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
            changes = self._changes(session, wrong)
            self._record(session, changes, reason.strip(), person)
            of_visits = {c.reading.visit_id: c.reading.visit for c in changes if c.reading.visit}
            follow_visits(session, [v for v in of_visits.values() if v is not None], person, self.clock.now())
            return len(changes)

    def _changes(self, session: Session, wrong: WrongSetting) -> list[Change]:
        if not wrong.since < wrong.until:
            raise InvalidInput({"until": "It must end after it began."})
        if found := wrong_does({wrong.quantity: wrong.really}):
            raise InvalidInput(found)
        if session.get(Meter, wrong.meter_id) is None:
            raise NotFound("There is no such meter.")
        readings = visit_queries.shown_by_meter(session, wrong.meter_id, wrong.quantity, wrong.since, wrong.until)
        known: dict[uuid.UUID, Any] = {}
        changes = []
        for reading in readings:
            assert reading.probe is not None
            if reading.temperature_c is None or reading.shown is None:
                continue
            did = _really(reading.meter_did, wrong.really)
            if did == dict(reading.meter_did):
                continue
            meter = known.get(reading.probe.id) or shown_by(session, reading.probe, reading.taken_at, self.clock)
            if meter.accuracy.states_accuracy:
                known[reading.probe.id] = meter
            measured = Measured(
                reading.temperature_c, None, reading.shown, reading.meter_setting_c, did,
                Acceptance(reading.acceptance), reading.settling_words, reading.settling_s,
                place=Surroundings.of(reading.surroundings),
            )  # fmt: skip
            after = correct(measured, reading.probe, None, reading.site, meter, Despite())
            changes.append(Change(reading, after, did))
        return changes

    def _record(self, session: Session, changes: Sequence[Change], reason: str, person: Person) -> None:
        limits: dict[uuid.UUID | None, Any] = {}
        rows, findings = [], []
        for change in changes:
            old, after = change.reading, change.after
            if old.site_id not in limits:
                limits[old.site_id] = limits_at(session, old.site)
            key = uuid.uuid4()
            rows.append(
                in_place_of(old, key, reason, person, self.clock.now()) | {
                    "value": after.value, "u": after.budget.u, "quantity": after.quantity.key,
                    "unit": after.quantity.unit, "meter_did": dict(change.did), "derived": after.derived,
                    "level": str(after.level), "budget": [asdict(c) for c in after.budget.contributions],
                    "working": after.working, **kept_limits(limits[old.site_id], after),
                }
            )  # fmt: skip
            findings += [{"reading_id": key, **f} for f in stored.finding_rows(after.findings)]
        if rows:
            session.execute(insert(Reading), rows)
        if findings:
            session.execute(insert(ReadingFinding), findings)
        session.flush()


def _really(said: Mapping[str, Any], really: Mapping[str, Any]) -> dict[str, Any]:
    """What a meter really did: in which unit it shows stays as it was typed."""
    shown_as = {"shown_as": said["shown_as"]} if "shown_as" in said else {}
    return shown_as | dict(really)
