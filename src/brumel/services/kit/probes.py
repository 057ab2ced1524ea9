"""Taking probes into the kit, and changing what may change of them."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date

from sqlalchemy.orm import Session

from brumel.core.quantities.redox import REFERENCES
from brumel.services.acts import act
from brumel.services.calibrating import steering
from brumel.services.clock import Clock
from brumel.services.editing import edited
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.kit.labels import wrong_label
from brumel.services.people import may_record
from brumel.services.probes import what_it_is
from brumel.services.probes.care_log import NewCare, care_row
from brumel.services.probes.what_it_is import stored_probe
from brumel.store.add_fact import add_once, refuse_other
from brumel.store.database import Database
from brumel.store.models.care import CareRecord
from brumel.store.models.reference import Meter, Person, Probe
from brumel.store.queries import reference as queries

_MOST_WAIT = 2_880.0
_LEAST_SET, _MOST_SET = 0.001, 100.0


@dataclass(frozen=True)
class NewProbe:
    """A probe to take into the kit, as typed."""

    probe_id: uuid.UUID
    label: str
    serial: str
    kind: str
    kit: str
    in_service_on: date | None
    meter_id: uuid.UUID | None = None
    own_waits: Mapping[str, float | None] = field(default_factory=dict)
    """Minutes by care event where its leaflet differs."""
    version: int | None = None
    """The version that was looked at; None for a new one."""
    reference: str = ""
    """Its own reference electrode, where its kind has one to name."""
    settings: Mapping[str, float | None] = field(default_factory=dict)
    """What is set in its meter for it, by coefficient; what is usual for its kind where nothing is said."""
    steers: str = ""
    """What it steers, as the end of a sentence: the acid dosing; empty where nothing."""


@dataclass(frozen=True)
class Probes:
    """Use cases around what probes there are."""

    database: Database
    clock: Clock

    @act(probe="new.probe_id", meter="new.meter_id")
    def add(self, new: NewProbe, person: Person) -> uuid.UUID:
        """Take a probe into the kit.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            known = session.get(Probe, new.probe_id)
            if known is not None:
                told = {"label": new.label.strip(), "serial": new.serial.strip(), "kind": new.kind}
                refuse_other({name: getattr(known, name) for name in told}, told)
                return new.probe_id
            wrong = wrong_probe(session, new, self.clock.today())
            if wrong:
                raise InvalidInput(wrong)
            session.add(probe_row(new))
        return new.probe_id

    @act(probe="new.probe_id", meter="new.meter_id")
    def change(self, new: NewProbe, person: Person) -> None:
        """Change what may change of a probe: label, kit, meter, own waits; kind, serial and first day stay.

        What is set in its meter for it is part of its calibration: a change of it ends that.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            probe = stored_probe(session, new.probe_id)
            kept = replace(new, kind=probe.kind, serial=probe.serial, in_service_on=probe.in_service_on)
            wrong = wrong_probe(session, kept, self.clock.today())
            if wrong:
                raise InvalidInput(wrong)
            with edited(session, Probe, new.probe_id, new.version, _shown):
                self._fill(session, probe, kept, person)

    def _fill(self, session: Session, probe: Probe, kept: NewProbe, person: Person) -> None:
        probe.label, probe.kit = kept.label.strip(), kept.kit.strip()
        probe.meter_id, probe.reference, probe.own_waits = kept.meter_id, kept.reference, _said(kept.own_waits)
        if kept.steers.strip() != probe.steers and steering.pause_of(session, probe.id):
            raise InvalidInput({"steers": f"Hand {probe.steers} back first: it is paused."})
        probe.steers = kept.steers.strip()
        if _said(kept.settings) != (probe.settings or {}):
            probe.settings = _said(kept.settings)
            now = self.clock.now()
            care = NewCare(uuid.uuid4(), "setting-changed", detail=_settings_words(probe))
            row = care_row(care, what_it_is.kind_of(probe), probe.id, person, at=now)
            add_once(session, CareRecord, row)


def _shown(probe: Probe) -> dict[str, object]:
    return {"label": probe.label, "kit": probe.kit}


def _said(numbers: Mapping[str, float | None]) -> dict[str, float]:
    return {key: value for key, value in numbers.items() if value is not None}


def _settings_words(probe: Probe) -> str:
    return "; ".join(f"{key.replace('-', ' ')} {value:g}" for key, value in probe.settings.items()) or "as is usual"


def probe_row(new: NewProbe) -> Probe:
    """Make the row of a new probe of which nothing is wrong."""
    assert new.in_service_on is not None
    return Probe(
        id=new.probe_id, label=new.label.strip(), serial=new.serial.strip(),
        kind=new.kind, kit=new.kit.strip(), in_service_on=new.in_service_on,
        meter_id=new.meter_id, reference=new.reference, own_waits=_said(new.own_waits),
        settings=_said(new.settings), steers=new.steers.strip(),
    )  # fmt: skip


def wrong_probe(session: Session, new: NewProbe, today: date) -> dict[str, str]:
    """Return what can't be taken of a probe, by field."""
    wrong = wrong_label("probe", new, new.probe_id, queries.probes(session, retired=True), today)
    if new.kind not in in_force().kinds:
        wrong["kind"] = "Choose what kind of probe it is."
    meter = session.get(Meter, new.meter_id) if new.meter_id else None
    if meter is not None and new.kind in in_force().kinds and new.kind not in meter.takes:
        taken = ", ".join(in_force().kinds[k].name for k in meter.takes)
        wrong["meter"] = f"{meter.label} takes no {in_force().kinds[new.kind].name} probe; it takes {taken}."
    if meter is not None and meter.retired_on:
        wrong["meter"] = f"{meter.label} is retired: bring it back on its page first."
    if new.meter_id is not None and meter is None:
        wrong["meter"] = "This meter is not known: choose another, or none."
    if new.reference and new.reference not in REFERENCES:
        wrong["reference"] = "Choose one of the list."
    elif not new.reference and new.kind in in_force().kinds and in_force().kinds[new.kind].own_reference:
        wrong["reference"] = "Choose its reference electrode: what it shows means nothing without."
    for key, value in new.settings.items():
        if value is not None and not _LEAST_SET <= value <= _MOST_SET:
            wrong[f"set-{key}"] = f"It must be from {_LEAST_SET:g} to {_MOST_SET:g}."
    for care, minutes in new.own_waits.items():
        if care not in in_force().care:
            wrong[f"wait-{care}"] = "No care has this name."
        elif minutes is not None and not 0 <= minutes <= _MOST_WAIT:
            wrong[f"wait-{care}"] = "Minutes must be from 0 to 2 880 (two days)."
    return wrong
