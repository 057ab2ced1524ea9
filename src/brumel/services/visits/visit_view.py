"""A visit as its page shows it: what was read, what is left, what follows, what speaks against it."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from brumel.core.findings import Finding, Level, worst_of
from brumel.core.kit.instruments import method_for
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.reading.agreement import Agreement, agreement
from brumel.core.reading.contrary import judge_together
from brumel.core.reading.given_value import INSTRUMENT_UNKNOWN
from brumel.core.reading.limits import Keeps, Limit, worst
from brumel.core.reading.reading_verdict import METER_UNKNOWN, METERS_OWN
from brumel.core.reading.together import Missing, asked_by, missing_everywhere
from brumel.services.house.rules import in_force
from brumel.services.probes import what_it_is
from brumel.services.readings.correct import water_of
from brumel.services.readings.given_value import Spot
from brumel.services.readings.history import limits_at, limits_seen
from brumel.services.readings.row import correction_words
from brumel.services.readings.standing import seen_at, spots_of, standing, what_was_read
from brumel.services.said import stored_findings
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Instrument, Probe, Site
from brumel.store.models.visit import Visit, VisitEntryKind, VisitPhoto
from brumel.store.queries import reference as queries
from brumel.store.queries import visit as visit_queries

_LATELY = timedelta(days=120)
"""So long back is looked for what a quantity was read with (rule of this product)."""
SAID_ONCE = (METER_UNKNOWN, INSTRUMENT_UNKNOWN)
"""Findings that are said once for all that one meter or instrument read."""
CONDITIONS = ("air-temperature", "depth")


@dataclass(frozen=True)
class ReadWith:
    """Something that a quantity can be read with here."""

    key: str
    words: str
    probe_id: uuid.UUID | None = None
    on_line: bool = False
    """Whether the probe is read by a device."""


@dataclass(frozen=True)
class VisitRow:
    """One quantity of a visit: what was read of it, and with what it can be read."""

    about: Quantity
    readings: tuple[Reading, ...]
    choices: tuple[ReadWith, ...]
    limit: Limit | None
    expected: tuple[float, float] | None
    skipped: str = ""
    """Why it is not read; empty where nobody said so."""
    agreements: tuple[Agreement, ...] = ()

    @property
    def usual(self) -> str:
        """What it was read with last, else the first choice."""
        return self.choices[0].key if self.choices else ""


@dataclass(frozen=True)
class Unknown:
    """That nothing is known of how exact something is: said once for all that it read on a visit."""

    label: str
    quantities: tuple[str, ...]
    meter_id: uuid.UUID | None = None
    instrument_id: uuid.UUID | None = None


@dataclass(frozen=True)
class VisitView:
    """A visit with all that stands beside it."""

    visit: Visit
    rows: tuple[VisitRow, ...]
    worked: tuple[Reading, ...]
    """What follows from several readings."""
    findings: tuple[Finding, ...]
    """What speaks against the readings beside each other."""
    missing: tuple[Missing, ...]
    pressure: Reading | None
    amended: tuple[Reading, ...]
    weather: str = ""
    note: str = ""
    finished: str = ""
    """What was said when it was finished; empty while it is open."""
    layers: bool = False
    photos: tuple[VisitPhoto, ...] = ()

    @property
    def left(self) -> list[Quantity]:
        """What the water asks for and nobody has read, nor said why not."""
        return [row.about for row in self.rows if not row.readings and not row.skipped and not row.about.condition]

    @property
    def on_line(self) -> set[uuid.UUID | None]:
        """Probes that a device reads and that what the water asks for can be read with."""
        return {c.probe_id for row in self.rows for c in row.choices if c.on_line}

    @property
    def asks_pressure(self) -> bool:
        """Whether a pressure is wanted and nobody gave it: oxygen leans on it."""
        oxygen = any(row.about.key.startswith("oxygen") for row in self.rows)
        return oxygen and self.pressure is None

    @property
    def readings(self) -> list[Reading]:
        """All readings that stand."""
        found = [r for row in self.rows for r in row.readings] + list(self.worked)
        return [*found, *([self.pressure] if self.pressure else [])]

    def correction_of(self, reading: Reading) -> str:
        """What was shown of a reading, and what the correction made of it, in words; empty where both are the same."""
        return correction_words(reading)

    @property
    def unknown(self) -> list[Unknown]:
        """Meters and instruments of which nothing is known, each once, with what it read."""
        found: dict[tuple[str, uuid.UUID | None, uuid.UUID | None], list[str]] = {}
        for r in self.readings:
            if not any(f.code in SAID_ONCE for f in r.findings):
                continue
            meter = r.probe.meter if r.probe else None
            label = meter.label if meter else r.read_with
            key = label, meter.id if meter else None, r.instrument_id
            found.setdefault(key, []).append(quantity(r.quantity).name)
        return [Unknown(key[0], tuple(dict.fromkeys(names)), *key[1:]) for key, names in found.items()]

    def findings_of(self, reading: Reading) -> list[Finding]:
        """What is to be said of one of its readings alone: not that it is as a meter of known exactness shows it."""
        return stored_findings(f for f in reading.findings if f.code not in (*SAID_ONCE, METERS_OWN))

    @property
    def level(self) -> Level:
        """How far its readings can be trusted, at worst."""
        levels = [Level(r.level) for r in self.readings] + [f.level for f in self.findings]
        return worst_of(levels)

    @property
    def keeps(self) -> Keeps | None:
        """How its water stands to its limits, at worst; None where no limit was asked."""
        return worst([Keeps(r.keeps) for r in self.readings if r.keeps])


def asked_of(site: Site | None) -> list[str]:
    """Return what a visit asks for: what its kind of water does, and what the site is expected to show."""
    kind = in_force().waters.get(site.water_kind) if site else None
    expected = [r.quantity for r in site.ranges] if site else []
    return list(dict.fromkeys([*(kind.reads if kind else ("temperature",)), *expected]))


@dataclass(frozen=True)
class AtHand:
    """What a visit may be read with and held against; nothing of it where only what was read is asked."""

    probes: Sequence[Probe] = ()
    instruments: Sequence[Instrument] = ()
    before: Mapping[str, str] = field(default_factory=dict)
    """With what each quantity was read last."""
    limits: Mapping[str, Limit] = field(default_factory=dict)
    photos: Sequence[VisitPhoto] = ()

    @classmethod
    def read(cls, session: Session, visit: Visit, at: datetime) -> AtHand:
        """Read it for a visit."""
        site = visit.site
        return cls(
            [p for p in queries.probes(session) if what_it_is.kind_of(p).quantity],
            visit_queries.instruments(session),
            visit_queries.read_with_last(session, site.id, at - _LATELY) if site else {},
            limits_at(session, site),
            visit_queries.photos_of_visit(session, visit.id),
        )


def view_of(session: Session, visit: Visit, at: datetime) -> VisitView:
    """Return a visit with what was read, what is left and what speaks against it."""
    everything = visit_queries.readings_of_visit(session, visit.id)
    return seen_of(visit, everything, AtHand.read(session, visit, at))


def seen_of(visit: Visit, everything: Sequence[Reading], hand: AtHand) -> VisitView:
    """Return a visit by all its readings, amended ones too."""
    rows = standing(everything)
    site, asked = visit.site, asked_of(visit.site)
    probes, instruments, before = hand.probes, hand.instruments, hand.before
    read = [r.quantity for r in rows if r.source != Source.DERIVED]
    skipped = {e.quantity: e.words for e in visit.entries if e.kind == VisitEntryKind.SKIPPED}
    limits = limits_seen(hand.limits, rows)
    # What a method gives in the place of what the water asks for is read in its place.
    given = {key: next((k for k in _instead(key) if k in read), key) for key in asked if key not in read}
    asked = [given.get(key, key) for key in asked]
    keys = [k for k in dict.fromkeys([*asked, *read, *CONDITIONS]) if k != "station-pressure"]

    def row(key: str) -> VisitRow:
        about = quantity(key)
        own = tuple(r for r in rows if r.quantity == key and r.source != Source.DERIVED)
        choices = [*_thermometers(probes, key), *(c for p in probes if (c := _probe_choice(p, key)))]
        choices += [ReadWith(f"instrument:{i.id}", i.label) for i in instruments if method_for(i.measures, key)]
        last = next((before[k] for k in (key, *_instead(key)) if k in before), None)
        choices.sort(key=lambda c: c.key != last)
        expected = site.expected(key) if site else None
        return VisitRow(about, own, tuple(choices), limits.get(key), expected, skipped.get(key, ""), tuple(_agree(own)))

    findings: list[Finding] = []
    asks = asked_by([*asked, *read])
    spots = [seen_at(rows, spot) for spot in spots_of(rows) or [Spot()]]
    for seen in spots:
        found = judge_together(seen, water_of(site, visit.begun_at), in_force(), asks_hocl="hypochlorous-share" in asks)
        findings += [f for f in found if f not in findings]
    finished, weather, note = (
        visit.newest(k) for k in (VisitEntryKind.FINISHED, VisitEntryKind.WEATHER, VisitEntryKind.NOTE)
    )
    kind = in_force().waters.get(site.water_kind) if site else None
    return VisitView(
        visit,
        tuple(row(key) for key in keys),
        tuple(r for r in rows if r.source == Source.DERIVED),
        tuple(findings),
        tuple(missing_everywhere(spots, sorted(asks))),
        next((r for r in reversed(rows) if r.quantity == "station-pressure"), None),
        tuple(r for r in everything if r not in rows),
        weather.words if weather else "",
        note.words if note else "",
        finished.words if finished else "",
        bool(kind and kind.layers),
        tuple(hand.photos),
    )


def _instead(key: str) -> list[str]:
    """Return what methods without a probe may give in the place of a quantity."""
    return list(dict.fromkeys(g.quantity for g in quantity(key).gives if g.quantity != key))


def _agree(readings: Sequence[Reading]) -> list[Agreement]:
    """Say whether what was read twice at one spot agrees: two instruments, two methods, replicates."""
    return [
        agreement(what_was_read(first)[first.quantity], what_was_read(second)[second.quantity])
        for n, first in enumerate(readings)
        for second in readings[n + 1 :]
        if (first.depth_m, first.layer) == (second.depth_m, second.layer)
    ]


def _probe_choice(probe: Probe, key: str) -> ReadWith | None:
    """Return a probe as a choice for a quantity that it, or its meter with it, shows."""
    kind, own = what_it_is.kind_of(probe), what_it_is.senses(probe)
    if key != kind.quantity and (own is None or own.shown_so(key) is None):
        return None
    return ReadWith(f"probe:{probe.id}", probe.label, probe.id, on_line=probe.device_id is not None)


def _thermometers(probes: Sequence[Probe], key: str) -> list[ReadWith]:
    """Return the thermometers in probes, one a meter: what it shows beside everything else."""
    if key != "temperature":
        return []
    by_meter = {p.meter.label: p for p in reversed(probes) if p.meter and what_it_is.kind_of(p).quantity != key}
    return [ReadWith(f"probe:{p.id}", label) for label, p in sorted(by_meter.items())]
