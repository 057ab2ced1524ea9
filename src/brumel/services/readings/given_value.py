"""Recording values that no probe's response stands behind, and those that follow from others of a visit."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.findings import Acceptance, Finding, verdict, worst_first
from brumel.core.kit.accuracy import Accuracy
from brumel.core.kit.instruments import Measures, method_for
from brumel.core.place.conditions import U_TEMPERATURE_C
from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.reading.given_value import PlainValue, judge_plain, plain_budget
from brumel.core.reading.limits import Limit
from brumel.core.reading.together import Worked
from brumel.core.said import Of, says
from brumel.core.uncertainty import Budget, Contribution
from brumel.core.words.kept_findings import working_plain
from brumel.services.readings.history import Beforehand, Value, kept_limits
from brumel.services.readings.row import add_findings
from brumel.services.readings.typed_value import TypedValue
from brumel.services.said import budget_rows, settling_columns
from brumel.store.add_fact import add_once
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Instrument, Person, Probe
from brumel.store.models.visit import Visit

_THERMOMETER = Accuracy(absolute=U_TEMPERATURE_C * 3**0.5)


@dataclass(frozen=True)
class Spot:
    """Where in the water a reading was taken, and which of several it is."""

    depth_m: float | None = None
    layer: str = ""
    replicate: str = ""

    @property
    def columns(self) -> dict[str, Any]:
        """As a reading keeps it."""
        return {"depth_m": self.depth_m, "layer": self.layer, "replicate": self.replicate}


@dataclass(frozen=True)
class Amending:
    """Which reading another one takes the place of, and why."""

    amends_id: uuid.UUID | None = None
    reason: str = ""

    @property
    def columns(self) -> dict[str, Any]:
        """As a reading keeps it."""
        return {"amends_id": self.amends_id, "amend_reason": self.reason or None}


@dataclass(frozen=True)
class PlainReading:
    """A value with what it was read with: an instrument, or a probe whose meter showed it as it is."""

    reading_id: uuid.UUID
    quantity: str
    typed: TypedValue
    instrument: Instrument | None = None
    probe: Probe | None = None
    spot: Spot = field(default_factory=Spot)
    pressure: Pressure | None = None
    amending: Amending = field(default_factory=Amending)
    temperature_c: float | None = None
    sensed: bool = False
    """By the probe's own thermometer on the line, not as somebody read it off."""


def add_plain(
    session: Session, new: PlainReading, visit: Visit, person: Person, at: datetime, known: Beforehand
) -> None:
    """Record it with its findings and how it stands to the limits; nothing where it stands already."""
    row, findings = plain_row(new, visit, person, at, known.limits, _history(new, known))
    told = ("visit_id", "quantity", "value", "qualifier", "probe_id", "instrument_id")
    if add_once(session, Reading, row, told=told):
        add_findings(session, new.reading_id, findings)


def plain_row(
    new: PlainReading, visit: Visit, person: Person, at: datetime, limits: Mapping[str, Limit],
    beside: Sequence[Finding] = (),
) -> tuple[dict[str, Any], list[Finding]]:  # fmt: skip
    """Return a value as it is stored, and its findings with those that its site's history makes."""
    about, value = quantity(new.quantity), new.typed.value
    given = PlainValue(
        about, value, new.typed.qualifier, _label(new), _measures(new),
        visit.site.expected(about.key) if visit.site else None,
    )  # fmt: skip
    budget = _budget(new, given)
    own = judge_plain(given)
    findings = worst_first([*own, *(() if any(f.code == "site-range" for f in own) else beside)])
    by_probe = Source.DEVICE if new.sensed else Source.TYPED_VALUE
    source = Source.INSTRUMENT if new.instrument else by_probe if new.probe else Source.BY_EYE
    label = _label(new)
    how = says("working.given.sensed" if new.sensed else "working.given.gave", label=label)
    typed_as = says("working.given.as", words=new.typed.typed_as) if new.typed.typed_as else None
    shown = Of(about.key, value, new.typed.qualifier, exact=True)
    working = says("working.given", value=shown, how=how if label else says("working.given.typed"), typed_as=typed_as)
    row = _row(new.reading_id, visit, person, at, about, value, budget) | {
        "source": source,
        "qualifier": new.typed.qualifier,
        "typed_as": new.typed.typed_as,
        "probe_id": new.probe.id if new.probe else None,
        "instrument_id": new.instrument.id if new.instrument else None,
        "level": str(verdict(findings)),
        **working_plain([new.pressure.said if new.pressure else working]),
        "surroundings": Surroundings(new.pressure).plain if new.pressure else {},
        "temperature_c": new.temperature_c,
        **new.spot.columns,
        **new.amending.columns,
        **kept_limits(limits, Value(about.key, value, budget.u, new.typed.qualifier, typed=True)),
    }  # fmt: skip
    return row, findings


def worked_row(
    key: uuid.UUID,
    found: Worked,
    visit: Visit,
    person: Person,
    at: datetime,
    limits: Mapping[str, Limit],
    spot: Spot,
    amending: Amending,
    findings: Sequence[Finding],
) -> dict[str, Any]:
    """Return what follows from readings of a visit, as it is stored; ``findings`` say what it rests on."""
    about = quantity(found.quantity)
    return _row(key, visit, person, at, about, found.value, found.budget) | {
        "source": Source.DERIVED,
        "qualifier": found.qualifier,
        "level": str(verdict(findings)),
        **working_plain(found.working),
        **spot.columns,
        **amending.columns,
        **kept_limits(limits, Value(about.key, found.value, found.budget.u, found.qualifier)),
    }


def _row(
    key: uuid.UUID, visit: Visit, person: Person, at: datetime, about: Quantity, value: float, budget: Budget
) -> dict[str, Any]:
    return {
        "id": key,
        "visit_id": visit.id,
        "site_id": visit.site_id,
        "person_id": person.id,
        "taken_at": at,
        "quantity": about.key,
        "value": value,
        "u": budget.u,
        "unit": about.unit,
        "signal": None,
        "signal_unit": "",
        "shown": None,
        "meter_setting_c": None,
        "meter_did": {},
        "temperature_c": None,
        "calibration_run_id": None,
        "probe_id": None,
        "instrument_id": None,
        "qualifier": "",
        "typed_as": "",
        "surroundings": {},
        "despite": "",
        "reference": "",
        "derived": [],
        "settling_s": None,
        "budget": budget_rows(budget),
        "acceptance": str(Acceptance.BY_EYE),
        **settling_columns(None),
        "note": "",
    }


def _label(new: PlainReading) -> str:
    return new.instrument.label if new.instrument else new.probe.label if new.probe else ""


def _measures(new: PlainReading) -> Measures:
    if new.instrument is not None:
        method = method_for(new.instrument.measures, new.quantity)
        return method.measures.times(method.factor) if method else Measures()
    if new.sensed:
        return Measures(accuracy=_THERMOMETER)
    if new.probe is not None and new.probe.meter is not None:
        return Measures(accuracy=Accuracy.of(new.probe.meter.accuracy.get(new.quantity)))
    return Measures()


def _budget(new: PlainReading, given: PlainValue) -> Budget:
    if new.pressure is None:
        return plain_budget(given)
    return Budget.of([Contribution("station-pressure", new.pressure.u_hpa, given.about.unit, 1.0)])


def _history(new: PlainReading, known: Beforehand) -> list[Finding]:
    about = quantity(new.quantity)
    if about.condition or new.typed.qualifier or new.amending.amends_id:
        return []
    u = _budget(new, PlainValue(about, new.typed.value, measures=_measures(new))).u
    return known.jump(about, new.typed.value, u)
