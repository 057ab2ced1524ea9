"""Meters: what each takes and does by itself, its batteries, and what is done with it."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.errors import CoreError
from brumel.core.kit.accuracy import read_accuracy
from brumel.core.kit.care import MeterEvent
from brumel.core.quantities.quantity import quantities
from brumel.core.standards.buffers import FAMILIES
from brumel.services.acts import act
from brumel.services.cached.remembered import cached
from brumel.services.clock import Clock
from brumel.services.editing import edited
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.house.rules import in_force
from brumel.services.kit.labels import wrong_label
from brumel.services.live.display import wrong_does
from brumel.services.people import may_record
from brumel.services.probes.states import States
from brumel.store.add_fact import add_once
from brumel.store.database import Database
from brumel.store.models.care import MeterRecord
from brumel.store.models.reference import Meter, Person, Probe
from brumel.store.queries import care as care_queries
from brumel.store.queries import reference as queries

COMPENSATIONS = ("temperature", "salinity", "pressure")
"""What a meter can correct by itself."""
_FRESH_BATTERIES = (MeterEvent.BATTERIES_CHANGED, MeterEvent.BATTERIES_IN)
_MOST_RECORDS, _MOST_HOURS = 10_000_000, 100_000.0


@dataclass(frozen=True)
class NewMeter:
    """A meter, as typed; also for changing one."""

    meter_id: uuid.UUID
    label: str
    serial: str
    kit: str
    in_service_on: date | None
    takes: Sequence[str] = ()
    compensates: Sequence[str] = ()
    buffer_families: Sequence[str] = ()
    holds_calibration: bool = False
    polarises_off: bool = False
    accuracy: Mapping[str, str] = field(default_factory=dict)
    """Accuracy and resolution by quantity, as the data sheet states them (:func:`read_accuracy`)."""
    does: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    """What it does to a value before it shows it, by quantity; a quantity of which nothing is known is missing."""
    memory_records: float | None = None
    batteries: str = ""
    battery_hours: float | None = None
    version: int | None = None
    """The version that was looked at; None for a new one."""


@dataclass(frozen=True)
class MeterView:
    """A meter with its probes; on its own page also with its log, the newest first."""

    meter: Meter
    probes: tuple[Probe, ...]
    batteries_since: datetime | None
    """When its batteries were put in; None where nobody noted it."""
    records: tuple[MeterRecord, ...] = ()


@dataclass(frozen=True)
class Meters:
    """Use cases around meters."""

    database: Database
    clock: Clock
    states: States

    @cached
    def all(self) -> Sequence[MeterView]:
        """Return all meters, by label."""
        probes, rows = [s.probe for s in self.states.probe_states()], self.states.logs().meters
        with self.database.session() as session:
            meters = care_queries.meters(session)
        return [
            MeterView(
                m,
                tuple(p for p in probes if p.meter_id == m.id),
                max((r.at for r in rows.get(m.id, ()) if r.event in _FRESH_BATTERIES), default=None),
            )
            for m in meters
        ]

    def view(self, meter_id: uuid.UUID) -> MeterView:
        """Return one meter with its log."""
        found = next((v for v in self.all() if v.meter.id == meter_id), None)
        if found is None:
            raise NotFound("There is no such meter.")
        with self.database.session() as session:
            return replace(found, records=tuple(care_queries.meter_records(session, meter_id)))

    @act(meter="new.meter_id")
    def save(self, new: NewMeter, person: Person) -> uuid.UUID:
        """Take a meter into the kit, or change it.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            wrong = wrong_meter(session, new, self.clock.today())
            if wrong:
                raise InvalidInput(wrong)
            with edited(session, Meter, new.meter_id, new.version, _shown) as meter:
                fill_meter(meter, new)
        return new.meter_id

    @act(meter="meter_id")
    def log(
        self, meter_id: uuid.UUID, record_id: uuid.UUID, event: str, at: datetime | None, note: str, person: Person
    ) -> None:
        """Note what was done with a meter; its powered probes feel it.

        Raises
        ------
        InvalidInput
            For an event that there is not, or a time to come.
        """
        may_record(person)
        wrong: dict[str, str] = {}
        if event not in set(MeterEvent):
            wrong["event"] = "Choose what was done."
        if at is not None and (why_not := self.clock.why_not(at)):
            wrong["at"] = why_not
        if wrong:
            raise InvalidInput(wrong)
        with self.database.session() as session:
            if session.get(Meter, meter_id) is None:
                raise NotFound("There is no such meter.")
            row = {"id": record_id, "meter_id": meter_id, "person_id": person.id, "at": at or self.clock.now(),
                   "event": event, "note": note.strip()}  # fmt: skip
            add_once(session, MeterRecord, row, told=("meter_id", "event", "note"))


def _shown(meter: Meter) -> dict[str, object]:
    return {"label": meter.label, "kit": meter.kit, "batteries": meter.batteries}


def fill_meter(meter: Meter, new: NewMeter) -> None:
    """Put into a row what was typed of a meter, of which nothing is wrong."""
    assert new.in_service_on is not None
    meter.label, meter.serial, meter.kit = new.label.strip(), new.serial.strip(), new.kit.strip()
    meter.in_service_on = new.in_service_on
    meter.takes, meter.compensates = list(new.takes), list(new.compensates)
    meter.buffer_families = list(new.buffer_families)
    meter.holds_calibration, meter.polarises_off = new.holds_calibration, new.polarises_off
    meter.accuracy = {p: read_accuracy(words).plain for p, words in new.accuracy.items() if words.strip()}
    meter.does = {key: dict(did) for key, did in new.does.items()}
    meter.memory_records = None if new.memory_records is None else int(new.memory_records)
    meter.batteries, meter.battery_hours = new.batteries.strip(), new.battery_hours


def wrong_meter(session: Session, new: NewMeter, today: date) -> dict[str, str]:
    """Return what can't be taken of a meter, by field."""
    wrong = wrong_label("meter", new, new.meter_id, care_queries.meters(session, retired=True), today)
    if not new.takes or not set(new.takes) <= set(in_force().kinds):
        wrong["takes"] = "Choose the kinds of probes that it takes."
    unknown = [
        *(set(new.compensates) - set(COMPENSATIONS)),
        *(set(new.buffer_families) - set(FAMILIES)),
        *(set(new.accuracy) - set(quantities())),
    ]
    if unknown:
        wrong["compensates"] = f"Not known: {', '.join(sorted(unknown))}."
    for key, words in new.accuracy.items():
        try:
            read_accuracy(words)
        except CoreError as error:
            wrong[f"accuracy-{key}"] = str(error)
    wrong |= wrong_does(new.does)
    records = new.memory_records
    if records is not None and not (0 < records <= _MOST_RECORDS and records == int(records)):
        wrong["memory_records"] = "Records must be a whole number above 0 and at most 10 million."
    if new.battery_hours is not None and not 0 < new.battery_hours <= _MOST_HOURS:
        wrong["battery_hours"] = "Hours must be above 0 and at most 100 000."
    for probe in queries.probes(session):
        if probe.meter_id == new.meter_id and new.takes and probe.kind not in new.takes:
            wrong["takes"] = (
                f"{probe.label}, {in_force().kinds[probe.kind].name}, is plugged into it: unplug that one first."
            )
    return wrong
