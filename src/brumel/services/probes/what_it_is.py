"""From stored care and inspections to the core's readiness."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import TypeVar

from sqlalchemy.orm import Session

from brumel.core.kit.care import Care, MeterEvent
from brumel.core.kit.kinds import ProbeKind
from brumel.core.kit.readiness import CareEvent, Inspected, Readiness, State, ended, readiness
from brumel.core.sensing.principle import Coefficient, Principle
from brumel.core.sensing.principles import principle
from brumel.core.wording import lasting, upper_first
from brumel.core.words.catalogue import word
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.house.rules import in_force
from brumel.store.models.care import CareRecord
from brumel.store.models.reference import Probe
from brumel.store.queries import care as care_queries
from brumel.store.queries.care import CareRow, InspectionRow, MeterRow

Row = TypeVar("Row")
Key = TypeVar("Key")


def kind_of(probe: Probe) -> ProbeKind:
    """Return the kind of a stored probe, with the probe's own waits and what it steers."""
    return in_force().kind(probe.kind).with_waits(probe.own_waits or {}).steering(probe.steers)


def senses(probe: Probe) -> Principle | None:
    """Say how a probe senses; None where its kind is not read here yet."""
    kind = kind_of(probe)
    return principle(kind.principle).with_usual(kind.usual) if kind.principle else None


def settings_of(probe: Probe) -> list[Coefficient]:
    """Return what is set in a probe's meter for it."""
    own = senses(probe)
    return [own.coefficient(own.setting)] if own and own.setting else []


def holding_of(probe: Probe) -> tuple[float, float]:
    """Say how long a calibration of this probe holds soundly, and at most, days: its kind says so."""
    holds_days = kind_of(probe).holds_days
    if holds_days is None:
        raise InvalidInput({"probe": "This kind of probe is not calibrated: choose another."})
    return holds_days


def standing(records: Iterable[CareRecord]) -> list[CareRecord]:
    """Return entries that have not been withdrawn."""
    return [r for r in records if r.withdrawal is None]


def events_of(rows: Iterable[CareRow]) -> list[CareEvent]:
    """Return entries of the log as the core sees them."""
    return [CareEvent(Care(r.care), r.at, r.detail, r.good_until) for r in rows]


def felt(probe: Probe, records: Iterable[MeterRow]) -> Iterator[CareEvent]:
    """Yield what is done with a meter, as the probe that is plugged into it feels it."""
    if probe.meter is None:
        return
    kept_alive = probe.meter.polarises_off or not kind_of(probe).powered
    for record in records:
        words = f"{probe.meter.label} {MeterEvent(record.event).words}"
        match MeterEvent(record.event):
            case MeterEvent.BATTERIES_OUT:
                yield CareEvent(Care.BATTERIES_OUT, record.at, words)
            case MeterEvent.BATTERIES_IN:
                yield CareEvent(Care.POWER_BACK, record.at)
            case MeterEvent.BATTERIES_CHANGED:
                yield CareEvent(Care.BATTERIES_OUT, record.at, words)
                yield CareEvent(Care.POWER_BACK, record.at)
            case MeterEvent.SWITCHED_ON:
                yield CareEvent(Care.SWITCHED_ON if kept_alive else Care.POWER_BACK, record.at)
            case MeterEvent.SWITCHED_OFF:
                if not kept_alive:
                    yield CareEvent(Care.UNPLUGGED, record.at, words)
                if not probe.meter.holds_calibration:
                    yield CareEvent(Care.CALIBRATION_LOST, record.at, words)


@dataclass(frozen=True)
class Logs:
    """The newest of all logs, by probe and by meter: read once, enough for every clock."""

    care: Mapping[uuid.UUID, Sequence[CareRow]]
    inspections: Mapping[uuid.UUID, Sequence[InspectionRow]]
    meters: Mapping[uuid.UUID | None, Sequence[MeterRow]]

    @classmethod
    def read(cls, session: Session, probes: Iterable[Probe] | None = None) -> Logs:
        """Read them: of some probes and their meters, or of all."""
        some = None if probes is None else {p.id: p.meter_id for p in probes}
        keys, meters = (None, None) if some is None else ([*some], {m for m in some.values() if m})
        if keys == []:
            return cls({}, {}, {})
        events = () if meters == set() else care_queries.recent_meter_records(session, meters)
        return cls(
            _grouped(care_queries.recent_care(session, keys), lambda r: r.probe_id),
            _grouped(care_queries.recent_inspections(session, keys), lambda r: r.probe_id),
            _grouped(events, lambda r: r.meter_id),
        )

    def readiness(self, probe: Probe, at: datetime) -> Readiness:
        """Return a probe's readiness at a moment."""
        return readiness(
            kind_of(probe),
            [*events_of(self.care.get(probe.id, ())), *felt(probe, self.meters.get(probe.meter_id, ()))],
            [Inspected(i.at, tuple(i.failed)) for i in self.inspections.get(probe.id, ())],
            at,
        )

    def why_not_ready(self, probe: Probe, at: datetime) -> str:
        """Say why a probe may not be used at a moment, and what to do or how long to wait; empty where it may."""
        ready = self.readiness(probe, at)
        if ready.state is State.WAITING:
            each = ((upper_first(str(word(c.why))), lasting(c.minutes_left(at))) for c in ready.clocks)
            return " ".join(f"{why}: {left} left." for why, left in each)
        return f"{word(ready.why)} {word(ready.do)}".strip() if ready.state is State.BLOCKED else ""


def _grouped(rows: Iterable[Row], key: Callable[[Row], Key]) -> dict[Key, list[Row]]:
    found: dict[Key, list[Row]] = defaultdict(list)
    for row in rows:
        found[key(row)].append(row)
    return found


def events_of_probe(session: Session, probe: Probe) -> list[CareEvent]:
    """Return all that was done to a probe and to the meter that it is plugged into."""
    care = [
        CareEvent(Care(r.care), r.at, r.detail, r.good_until)
        for r in standing(care_queries.care_records(session, probe.id))
    ]
    return [*care, *events_of_its_meter(session, probe)]


def events_of_its_meter(session: Session, probe: Probe) -> list[CareEvent]:
    """Return what was done to the meter that a probe is plugged into, as the probe feels it."""
    meter = care_queries.meter_records(session, probe.meter_id) if probe.meter_id else ()
    return list(felt(probe, [MeterRow(r.meter_id, r.event, r.at) for r in meter]))


def tended(probe: Probe, events: Iterable[CareEvent], since: datetime, at: datetime) -> str:
    """Return what was done to a probe between two moments that may have changed how it responds, in words."""
    done = ended(events, frozenset({*kind_of(probe).voids, Care.CLEANED}), since, at)
    return done.care.words if done else ""


def voided_by(session: Session, probe: Probe, since: datetime, at: datetime) -> str:
    """Return what ended the probe's calibration between two moments, in words; empty where nothing did."""
    void = ended(events_of_probe(session, probe), kind_of(probe).voids, since, at)
    return void.care.words if void else ""


def stored_probe(session: Session, probe_id: uuid.UUID) -> Probe:
    """Return a probe by its id."""
    probe = session.get(Probe, probe_id)
    if probe is None:
        raise NotFound("There is no such probe.")
    return probe
