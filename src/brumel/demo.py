"""Hallow Reach: the demonstration's people, probes, lots, sites and a year of work, made from a seed.

Everything here is invented. Dates are relative to the clock's now. Lines, verdicts, corrections and
findings of the history are computed by the same functions as a technician's own work.
"""

from __future__ import annotations

import math
import random
import uuid
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import insert

from brumel.core.findings import Finding, Level
from brumel.core.methods.model import Role, method, methods
from brumel.core.ph_run import PreviousRun
from brumel.core.quantities.ph import millivolts_from_ph
from brumel.services.calibration_rows import (
    Begin,
    judge_points,
    point_row,
    run_row,
    signature_row,
    trace_row,
)
from brumel.services.clock import Clock
from brumel.services.lines import age_days, basis_from, buffer_of, finding_rows, judged_point, line_of
from brumel.services.people import People
from brumel.services.readings import Measured, NewReading, correct, reading_row
from brumel.services.signal import Signal
from brumel.store.database import Database
from brumel.store.models import (
    Base,
    CalibrationFinding,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    CalibrationTrace,
    Device,
    Lot,
    Person,
    Probe,
    Reading,
    ReadingFinding,
    Site,
    Source,
)

PASSWORD = "hallow-reach"
_SEED = 20411
_DAYS = 365
_THREE, _SIDE = methods()
_IN_ORDER: tuple[type[Base], ...] = (
    CalibrationRun,
    CalibrationPoint,
    CalibrationTrace,
    CalibrationSignature,
    CalibrationFinding,
    Reading,
    ReadingFinding,
)


@dataclass(frozen=True)
class _Water:
    code: str
    name: str
    kind: str
    low: float
    high: float
    every_days: int
    probe: str
    ph: float
    swing: float
    mean_c: float
    season_c: float


_WATERS = (
    _Water("SPRING", "Upland spring intake", "soft upland water", 5.8, 7.2, 7, "A-pH", 6.5, 0.15, 8.5, 2.0),
    _Water("REED", "Reed-bed outfall", "reed-bed outfall", 6.5, 8.0, 2, "A-pH", 7.1, 0.2, 13.0, 6.0),
    _Water("TANK", "Greenhouse nutrient reservoir", "nutrient reservoir", 5.3, 6.7, 1, "A-pH", 5.9, 0.2, 20.0, 2.0),
    _Water("POOL", "Training pool", "chlorinated pool", 7.0, 7.8, 1, "A-pH", 7.4, 0.12, 27.0, 0.5),
    _Water("SHRIMP", "Shrimp pond", "shrimp pond", 7.4, 8.6, 1, "B-pH", 8.0, 0.25, 27.5, 2.5),
    _Water("OYSTER", "Oyster nursery", "sea water", 7.7, 8.4, 2, "B-pH", 8.1, 0.08, 14.0, 5.0),
    _Water("LIDO", "Seawater lido", "sea water pool", 7.0, 8.2, 2, "B-pH", 7.7, 0.15, 19.0, 4.0),
)


@dataclass(frozen=True)
class BenchPorts:
    """Where the simulated bench of this start listens."""

    line: int
    control: int
    speed: float


def load(database: Database, now: datetime, clock: Clock, progress: Callable[[str], None] = lambda _: None) -> None:
    """Fill an empty database with Hallow Reach.

    Parameters
    ----------
    now
        The moment that all dates are relative to.
    clock
        Gives the time zone.
    progress
        Told in words how far the work is.
    """
    _Maker(database, now, clock, progress).make()


def loaded(database: Database) -> bool:
    """Whether somebody can sign in already."""
    with database.session() as session:
        return session.query(Person).first() is not None


def plug_in(database: Database, ports: BenchPorts) -> None:
    """Point the demonstration's devices to the bench as it listens now."""
    with database.session() as session:
        for device in session.query(Device):
            device.url = f"socket://127.0.0.1:{ports.line}"
            device.control = f"127.0.0.1:{ports.control}"
            device.clock_rate = ports.speed
            device.period_s = 0.2 if ports.speed == 1 else 0.04
            device.wanted_until = None


class _Maker:
    def __init__(self, database: Database, now: datetime, clock: Clock, progress: Callable[[str], None]) -> None:
        self.database, self.now, self.zone, self.progress = database, now, clock.timezone, progress
        self.random = random.Random(_SEED)
        self.people: dict[str, Person] = {}
        self.probes: dict[str, Probe] = {}
        self.sites: dict[str, Site] = {}
        self.lots: list[Lot] = []
        self.rows: dict[type[Base], list[dict[str, Any]]] = {model: [] for model in _IN_ORDER}
        self.signed: dict[str, list[tuple[CalibrationSignature, list[Finding]]]] = {}

    def make(self) -> None:
        self._reference()
        days = [self.now - timedelta(days=n) for n in range(_DAYS, 0, -1)]
        for number, day in enumerate(days):
            if number % 60 == 0:
                self.progress(f"a year of work at Hallow Reach: day {number} of {_DAYS}")
            if day.weekday() < 5:
                self._day(day)
        self._today()
        with self.database.session() as session:
            for model in _IN_ORDER:
                if self.rows[model]:
                    session.execute(insert(model), self.rows[model])

    def _id(self) -> uuid.UUID:
        return uuid.UUID(int=self.random.getrandbits(128), version=4)

    def _reference(self) -> None:
        people = People(self.database)
        for login, name, role in (
            ("mira", "Mira Tolland", "technician"),
            ("oskar", "Oskar Weir", "supervisor"),
            ("jun", "Jun Sallow", "reader"),
        ):
            self.people[login] = people.add(login, name, role, PASSWORD)
        devices = [
            Device(
                id=self._id(), label=f"Bench probe {address}", url="", address=address,
                value_order=["temperature_c", "mv"], period_s=0.2, clock_rate=1.0,
            )
            for address in "01"
        ]  # fmt: skip
        served = self.now.date()
        probes = [
            Probe(label="A-pH", serial="HR-A-1041", kind="pH glass, combination", kit="Kit A",
                  in_service_on=served - timedelta(days=410), device_id=devices[0].id),
            Probe(label="B-pH", serial="HR-B-0877", kind="pH glass, refillable", kit="Kit B",
                  in_service_on=served - timedelta(days=760), device_id=devices[1].id),
            Probe(label="C-pH", serial="HR-C-1203", kind="pH glass, combination", kit="Store",
                  in_service_on=served - timedelta(days=24)),
        ]  # fmt: skip
        for probe in probes:
            probe.id = self._id()
        sites = [
            Site(id=self._id(), code=w.code, name=w.name, water_kind=w.kind, expected_ph_low=w.low,
                 expected_ph_high=w.high, visit_every_days=w.every_days)
            for w in _WATERS
        ]  # fmt: skip
        self.lots = list(self._make_lots())
        with self.database.session() as session:
            session.add_all(devices)
            session.flush()
            session.add_all([*probes, *sites, *self.lots])
        self.probes = {p.label: p for p in probes}
        self.sites = {s.code: s for s in sites}

    def _make_lots(self) -> Iterator[Lot]:
        """A fresh set of technical buffers every 60 days, a primary set, and two bottles past their time."""
        today = self.now.date()
        for number, received in enumerate(range(_DAYS + 30, 0, -60)):
            for nominal in (4.01, 7.00, 10.01):
                yield Lot(
                    id=self._id(), lot_number=f"T{nominal:.0f}-{2600 + number:04d}", family="technical",
                    nominal_ph=nominal, received_on=today - timedelta(days=received),
                    expires_on=today - timedelta(days=received - 540),
                    opened_on=today - timedelta(days=received - 5),
                    open_life_days=60 if nominal > 8 else 90,
                )  # fmt: skip
        for nominal in (4.005, 6.865, 9.180):
            yield Lot(
                id=self._id(), lot_number=f"P{nominal:.0f}-0311", family="primary", nominal_ph=nominal,
                received_on=today - timedelta(days=90), expires_on=today + timedelta(days=270),
                open_life_days=30, certificate_u_ph=0.005,
            )  # fmt: skip
        yield Lot(
            id=self._id(), lot_number="T4-2480", family="technical", nominal_ph=4.01,
            received_on=today - timedelta(days=700), expires_on=today - timedelta(days=19),
            opened_on=today - timedelta(days=60), open_life_days=90,
        )  # fmt: skip

    def _lot(self, role: Role, at: datetime) -> Lot:
        """The technical lot in use at a time: the newest that was open."""
        fitting = [
            lot
            for lot in self.lots
            if lot.family == "technical"
            and role.admits(lot.nominal_ph)
            and lot.opened_on is not None
            and lot.opened_on <= at.date()
            and lot.lot_number != "T4-2480"
        ]
        return max(fitting, key=lambda lot: lot.opened_on or at.date())

    def _electrode(self, label: str, at: datetime) -> tuple[float, float]:
        """True slope, %, and offset, mV, of an electrode at a time: B ages, the others hardly do."""
        passed = 1.0 - (self.now - at).total_seconds() / (_DAYS * 86400.0)
        if label == "B-pH":
            return 98.8 - 6.4 * passed**1.6, -4.0 - 12.5 * passed
        if label == "C-pH":
            return 99.4, 1.1
        return 98.9 - 0.3 * passed, 2.4 + 0.8 * passed

    def _day(self, day: datetime) -> None:
        number = (self.now - day).days
        morning = day.astimezone(self.zone).replace(hour=7, minute=20, second=0, microsecond=0)
        morning += timedelta(minutes=self.random.randint(0, 25))
        if number == 40:
            self._calibrate("A-pH", morning, swap=True)
            morning += timedelta(minutes=25)
        self._calibrate("A-pH", morning)
        if number == 12 or (number in {11, 13} and (self.now - timedelta(days=12)).weekday() >= 5):
            self._calibrate("B-pH", morning + timedelta(minutes=18), school=_SIDE, stale_alkaline=True)
        elif number > 2 and number % 2 == 0:
            self._calibrate("B-pH", morning + timedelta(minutes=18))
        if number in {21, 22} and (number == 21 or (self.now - timedelta(days=21)).weekday() >= 5):
            self._calibrate("C-pH", morning + timedelta(minutes=40))
        at = morning + timedelta(minutes=70)
        for water in _WATERS:
            if number % water.every_days == 0:
                at += timedelta(minutes=self.random.randint(18, 40))
                self._read(water, at)

    def _today(self) -> None:
        """This day's work so far: B and A calibrated, some sites read; the rest is waiting."""
        self._calibrate("B-pH", self.now - timedelta(days=2, hours=3))
        self._calibrate("A-pH", self.now - timedelta(hours=4, minutes=5))
        for water, minutes in ((_WATERS[2], 150), (_WATERS[3], 95)):
            self._read(water, self.now - timedelta(minutes=minutes))

    def _calibrate(
        self, label: str, at: datetime, *, school: str = _THREE, swap: bool = False, stale_alkaline: bool = False
    ) -> None:
        person = self.people["mira" if self.random.random() < 0.8 else "oskar"]
        probe = self.probes[label]
        waters = [w for w in _WATERS if w.probe == label]
        reach = (min(w.low for w in waters), max(w.high for w in waters)) if waters else None
        frozen = method(school).frozen(water_is_alkaline=reach is not None and sum(reach) >= 14.0)
        lots = {role: self._lot(role, at) for role in (Role.NEUTRAL, Role.ACID, Role.ALKALINE)}
        begin = Begin(self._id(), probe.id, school, "distilled-once", {})
        self.rows[CalibrationRun].append(run_row(begin, probe, frozen, lots, reach, person, at=at))
        chosen = [lots[Role(step["role"])] for step in frozen["steps"]]
        stood_in = [chosen[1], chosen[0], *chosen[2:]] if swap else chosen
        room = 20.5 + 2.0 * math.sin(2 * math.pi * at.timetuple().tm_yday / 365.0 - 1.9)
        before, points = 40.0, []
        for step, lot, cup in zip(frozen["steps"], chosen, stood_in, strict=True):
            at += timedelta(seconds=self.random.randint(80, 150))
            stale = -0.10 if stale_alkaline and lot.nominal_ph > 8 else 0.0
            signal = self._signal(label, cup, at, room + self.random.gauss(0, 0.2), before, stale)
            before = signal.mv
            row = point_row(self._id(), begin.run_id, person, step, lot, signal, at=at, today=at.date())
            self.rows[CalibrationPoint].append(row)
            self.rows[CalibrationTrace].append(trace_row(row["id"], signal))
            points.append(CalibrationPoint(**row, lot=lot))
        note = "Neutral and acid cups mixed up; done again." if swap else ""
        self._sign(label, begin.run_id, person, frozen, points, reach, at + timedelta(minutes=1), note)

    def _sign(
        self,
        label: str,
        run_id: uuid.UUID,
        person: Person,
        frozen: dict[str, Any],
        points: list[CalibrationPoint],
        reach: tuple[float, float] | None,
        at: datetime,
        note: str,
    ) -> None:
        before = [s for s, _ in self.signed.get(label, []) if s.level != Level.UNFIT and s.slope_origin == "fitted"]
        previous = PreviousRun(line_of(before[-1]), age_days(before[-1], at)) if before else None
        fit, findings = judge_points(frozen, points, previous, reach)
        if fit is None:
            raise ValueError("a method of the demonstration adjusts to no point")
        judged = [judged_point(p) for p in points]
        row = signature_row(run_id, person, fit, findings, judged, at=at, note=note)
        self.rows[CalibrationSignature].append(row)
        self.rows[CalibrationFinding] += [{"run_id": run_id, **f} for f in finding_rows(findings)]
        self.signed.setdefault(label, []).append((CalibrationSignature(**row), findings))

    def _signal(self, label: str, lot: Lot, at: datetime, temperature_c: float, before: float, stale: float) -> Signal:
        """A settled trace of this electrode in a lot's buffer."""
        slope, offset = self._electrode(label, at)
        ph = float(buffer_of(lot).ph_at(temperature_c)) + stale + self.random.gauss(0, 0.004)
        target = float(millivolts_from_ph(ph, temperature_c, slope, offset))
        tau = 7.0 if label == "B-pH" else 4.0
        times = [float(t) for t in range(0, 76, 2)]
        trace = [target + (before - target) * math.exp(-t / tau) + self.random.gauss(0, 0.04) for t in times]
        return Signal(
            mv=round(target, 2), temperature_c=round(temperature_c, 2), settled=True, words="Stable.",
            elapsed_s=74.0, times_s=times, mv_trace=[round(v, 2) for v in trace],
            temperature_trace=[round(temperature_c, 2)] * len(times),
        )  # fmt: skip

    def _read(self, water: _Water, at: datetime) -> None:
        slope, offset = self._electrode(water.probe, at)
        season = math.sin(2 * math.pi * (at.timetuple().tm_yday - 110) / 365.0)
        temperature_c = water.mean_c + water.season_c * season + self.random.gauss(0, 0.4)
        ph = water.ph + water.swing * 0.5 * season + self.random.gauss(0, water.swing * 0.5)
        mv = float(millivolts_from_ph(ph, temperature_c, slope, offset))
        measured = Measured(
            round(temperature_c, 1), round(mv, 1), settled=True, settling_words="Stable.", settling_s=55.0
        )
        usable = [(s, f) for s, f in self.signed.get(water.probe, []) if s.level != Level.UNFIT and s.signed_at <= at]
        basis = run = None
        if usable:
            signature, findings = usable[-1]
            worst = next((f.sentence for f in findings if f.level is not Level.SOUND), "")
            basis, run = basis_from(signature, worst, at), CalibrationRun(id=signature.run_id)
        site, probe = self.sites[water.code], self.probes[water.probe]
        corrected = correct(measured, basis, site)
        new = NewReading(self._id(), site.id, probe.id, Source.DEVICE)
        row = reading_row(new, site, probe, self.people["mira"], measured, corrected, run, taken_at=at)
        self.rows[Reading].append(row)
        self.rows[ReadingFinding] += [{"reading_id": new.reading_id, **f} for f in finding_rows(corrected.findings)]
