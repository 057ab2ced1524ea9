"""Hallow Reach: the demonstration's people, probes, lots, sites and a year of work, made from a seed.

Everything here is invented. Dates are relative to the clock's now. Lines, verdicts, corrections and
findings of the history are computed by the same functions as a technician's own work.
"""

from __future__ import annotations

import math
import random
import uuid
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import insert

from brumel.core.calibrating.methods import method, rinses, roles, steps_of
from brumel.core.calibrating.run import PreviousRun
from brumel.core.calibrating.tolerances import Tolerances, shipped_tolerances
from brumel.core.findings import Acceptance, Finding, Level
from brumel.core.kit.care import Care, MeterEvent
from brumel.core.sensing.principle import Conditions
from brumel.core.sensing.response import Response
from brumel.core.standards.targets import target
from brumel.demo import places
from brumel.demo.places import WATERS, Water
from brumel.services.calibrating import stored
from brumel.services.calibrating.kept import NewKept, TypedPoint, kept_point, kept_rows
from brumel.services.calibrating.rows import (
    Begin,
    coefficient_rows,
    judge_points,
    point_row,
    run_row,
    signature_row,
    trace_row,
)
from brumel.services.calibrating.stored import age_days, basis_from, finding_rows
from brumel.services.clock import Clock
from brumel.services.kit.care_log import NewCare, care_row
from brumel.services.kit.upkeep import holding_of, kind_of
from brumel.services.live.channels import MICROSIEMENS, MILLIVOLTS, TEMPERATURE
from brumel.services.live.signal import Signal
from brumel.services.people import People
from brumel.services.visiting.correcting import Measured, correct, principle_of
from brumel.services.visiting.readings import NewReading, reading_row
from brumel.store.database import Database
from brumel.store.models.base import Base, Source
from brumel.store.models.calibration import (
    CalibrationCoefficient,
    CalibrationFinding,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    CalibrationTrace,
)
from brumel.store.models.care import CareRecord, Inspection, MeterRecord
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import Device, Lot, Person, PlannedRound, Probe, Site, SiteRange

PASSWORD = "hallow-reach"
_SEED = 20411
_DAYS = 365
_THREE, _SIDE, _CHECK = "ph-neutral-acid-alkaline", "ph-neutral-side-check", "orp-check"
_ONE = "conductivity-one"
_EVERY_ORP = 14
_CLEANED, _WRONG_CONSTANT = 129, 65
"""So many days ago a coated cell was found and cleaned, and a constant that was set wrong."""
_STANDARD_OF = {
    ("A-EC", "standard"): "C14-0902", ("B-EC", "standard"): "S35-0114", ("B-NH4", "low"): "N5-03",
    ("B-NH4", "high"): "N46-03",
}  # fmt: skip
"""The lots that a probe's meter is checked in."""
_IN_ORDER: tuple[type[Base], ...] = (
    CalibrationRun,
    CalibrationPoint,
    CalibrationTrace,
    CalibrationCoefficient,
    CalibrationSignature,
    CalibrationFinding,
    Reading,
    ReadingFinding,
    CareRecord,
    Inspection,
    MeterRecord,
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
        self.meters: dict[str, uuid.UUID] = {}
        self.sites: dict[str, Site] = {}
        self.lots: list[Lot] = []
        self.rows: dict[type[Base], list[dict[str, Any]]] = {model: [] for model in _IN_ORDER}
        self.signed: dict[str, list[tuple[CalibrationSignature, Response, list[Finding]]]] = {}

    def make(self) -> None:
        self._reference()
        days = [self.now - timedelta(days=n) for n in range(_DAYS, 0, -1)]
        for number, day in enumerate(days):
            if number % 60 == 0:
                self.progress(f"a year of work at Hallow Reach: day {number} of {_DAYS}")
            if day.weekday() < 5:
                self._day(day)
        self._today()
        self._upkeep()
        with self.database.session() as session:
            session.add(self._next_round())
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
                channels=[TEMPERATURE.plain, signal.plain], period_s=0.2, clock_rate=1.0,
            )
            for address, signal in (("0", MILLIVOLTS), ("1", MILLIVOLTS), ("2", MILLIVOLTS), ("3", MICROSIEMENS))
        ]  # fmt: skip
        probes = places.probes(self.now.date(), devices)
        meters = list(places.meters(self.now.date(), self._id))
        for probe in probes:
            probe.id = self._id()
            probe.meter_id = next((m.id for m in meters if m.kit == probe.kit and probe.kind in m.takes), None)
        sites = [
            Site(id=self._id(), code=w.code, name=w.name, water_kind=w.kind, visit_every_days=w.every_days,
                 compensation=asdict(w.compensation),
                 ranges=[SiteRange(quantity=p, low=low, high=high) for p, (low, high) in w.expected.items()])
            for w in WATERS
        ]  # fmt: skip
        self.lots = list(places.lots(self.now.date(), _DAYS, self._id))
        with self.database.session() as session:
            session.add_all([*devices, *meters])
            session.flush()
            session.add_all([*probes, *sites, *self.lots])
        self.probes = {p.label: p for p in probes}
        self.meters = {m.label: m.id for m in meters}
        self.sites = {s.code: s for s in sites}

    def _lot(self, role: str, at: datetime, label: str = "") -> Lot:
        """The lot in use at a time: the one of its probe, else the newest that was open, else the first there was."""
        if own := next((x for x in self.lots if x.lot_number == _STANDARD_OF.get((label, "standard"))), None):
            return own
        fitting = [
            lot
            for lot in self.lots
            if roles()[role].admits(lot.standard, lot.nominal)
            and lot.family in ("technical", "zobell", "kcl")
            and lot.lot_number != "T4-2480"
        ]
        opened = [lot for lot in fitting if lot.opened_on is not None and lot.opened_on <= at.date()]
        return max(opened, key=lambda lot: lot.opened_on or at.date()) if opened else fitting[0]

    def _next_round(self) -> PlannedRound:
        """Tomorrow's round with Kit B."""
        leaves = (self.now + timedelta(days=1)).astimezone(self.zone).replace(hour=8, minute=0, second=0, microsecond=0)
        sites = [self.sites[code].id for code in ("SHRIMP", "OYSTER", "LIDO")]
        return PlannedRound(
            id=self._id(), person_id=self.people["mira"].id, planned_at=self.now, departure=leaves, kit="Kit B",
            rinse="distilled-once", site_ids=sites, probe_ids=[], without=[], done={},
        )  # fmt: skip

    def _truth(self, label: str, at: datetime) -> Response:
        """How a probe really responds at a time: B ages, the others hardly do; references creep."""
        passed = max(1.0 - (self.now - at).total_seconds() / (_DAYS * 86400.0), 0.0)
        own = principle_of(self.probes[label])
        values = {
            "A-pH": (2.4 + 0.8 * passed, 98.9 - 0.3 * passed),
            "B-pH": (-4.0 - 12.5 * passed, 98.8 - 6.4 * passed**1.6),
            "C-pH": (1.1, 99.4),
            "B-ORP": (3.0 + 6.0 * passed, 1.0),
            "A-EC": (0.1, (1.0 - self._coating(at)) / (1.004 + 0.012 * passed)),
            "B-EC": (0.1, (10.0 if self._set_wrong(at) else 1.0) / (10.02 + 0.4 * passed)),
        }[label]
        return replace(Response.usual(own), values=values)

    def _coating(self, at: datetime) -> float:
        """What A-EC has lost to a coating that grew in the nutrient reservoir until it was found and cleaned off."""
        days = (self.now - at).total_seconds() / 86400.0
        return max(0.0, 0.095 * (1.0 - (days - _CLEANED) / 60.0)) if _CLEANED < days < _CLEANED + 60 else 0.0

    def _set_wrong(self, at: datetime) -> bool:
        """Whether B-EC was read with the constant of another cell set in its meter."""
        days = (self.now - at).total_seconds() / 86400.0
        return 0.0 <= days - _WRONG_CONSTANT < 0.5

    def _day(self, day: datetime) -> None:
        number = (self.now - day).days
        morning = day.astimezone(self.zone).replace(hour=7, minute=20, second=0, microsecond=0)
        morning += timedelta(minutes=self.random.randint(0, 25))
        if number == 40:
            self._calibrate("A-pH", morning, swap=True)
            morning += timedelta(minutes=25)
        self._calibrate("A-pH", morning)
        if number % _EVERY_ORP in (5, 6) and (number % _EVERY_ORP == 5 or day.weekday() == 4):
            self._calibrate("B-ORP", morning + timedelta(minutes=33), school=_CHECK)
        if day.weekday() == 0 or number == _CLEANED:
            self._calibrate("A-EC", morning + timedelta(minutes=48), school=_ONE)
        if number == _WRONG_CONSTANT:
            self._calibrate("B-EC", morning + timedelta(minutes=30), school=_ONE)
            self._calibrate("B-EC", morning + timedelta(hours=7), school=_ONE)
        elif day.weekday() == 1:
            self._calibrate("B-EC", morning + timedelta(minutes=30), school=_ONE)
        if number == 12 or (number in {11, 13} and (self.now - timedelta(days=12)).weekday() >= 5):
            self._calibrate("B-pH", morning + timedelta(minutes=18), school=_SIDE, stale_alkaline=True)
        elif number > 2 and number % 2 == 0:
            self._calibrate("B-pH", morning + timedelta(minutes=18))
        if number in {21, 22} and (number == 21 or (self.now - timedelta(days=21)).weekday() >= 5):
            self._calibrate("C-pH", morning + timedelta(minutes=40))
        at = morning + timedelta(minutes=70)
        for water in WATERS:
            if number % water.every_days == 0:
                at += timedelta(minutes=self.random.randint(18, 40))
                self._read(water, "ph", water.probe, at)
                if water.salts is not None:
                    self._read(water, "conductivity", water.cell, at + timedelta(minutes=6))
                if water.orp is not None:
                    self._read(water, "orp", "B-ORP", at + timedelta(minutes=4))

    def _today(self) -> None:
        """This day's work so far: B and A calibrated, some sites read; the rest is waiting."""
        self._calibrate("B-pH", self.now - timedelta(days=2, hours=3))
        self._calibrate("A-pH", self.now - timedelta(hours=4, minutes=5))
        for water, minutes in ((WATERS[2], 150), (WATERS[3], 95)):
            self._read(water, "ph", water.probe, self.now - timedelta(minutes=minutes))

    def _upkeep(self) -> None:
        """Care and inspections: weekly cleaning, a refilled reference, and what is going on with the rest today."""
        day, hour = timedelta(days=1), timedelta(hours=1)
        evening = self.now.astimezone(self.zone).replace(hour=17, minute=10, second=0, microsecond=0)
        for number in range(_DAYS, 0, -1):
            at = evening - number * day
            if at.weekday() == 4:
                for label in ("A-pH", "B-pH"):
                    self._care(label, Care.CLEANED, at, "cleaning solution", 15.0)
                    self._care(label, Care.STORED, at + timedelta(minutes=25), "storage solution")
            if at.weekday() < 5 and number <= 14:
                self._inspect("A-pH", at - 10 * hour)
        self._care("B-pH", Care("reference-refilled"), evening - 213 * day, "3 mol/L KCl")
        self._care("A-EC", Care.CLEANED, self.now - 5 * day, "mild detergent", 10.0)
        self._care("A-EC", Care.CLEANED, evening - _CLEANED * day, "mild detergent, soft brush", 20.0)
        self._care("B-ORP", Care.STORED, self.now - 2 * day, "clean tap water")
        self._care("C-pH", Care.DROPPED, self.now - 3 * day - hour, note="On the slipway.")
        self._care("B-NH4", Care("tip-changed"), self.now - 9 * hour)
        self._care("A-DO", Care("membrane-changed"), self.now - timedelta(minutes=40))
        cap = self.now.date() + 140 * day
        self._care("B-DO", Care("cap-changed"), self.now - 225 * day, good_until=cap)
        self._inspect("A-DO", self.now - timedelta(minutes=36))
        self._reports()
        rows = self.rows[MeterRecord]
        for meter, event, ago in (
            ("A-meter", MeterEvent.BATTERIES_CHANGED, 21 * day),
            ("B-meter", MeterEvent.BATTERIES_CHANGED, 63 * day),
            ("B-meter", MeterEvent.SWITCHED_OFF, 26 * hour),
        ):
            rows.append({"id": self._id(), "meter_id": self.meters[meter], "person_id": self.people["mira"].id,
                         "at": self.now - ago, "event": str(event), "note": ""})  # fmt: skip

    def _reports(self) -> None:
        """What the meters reported of their own calibrations through the year; one cell drifts, one cap ages."""
        every = {"B-EC": 28, "A-DO": 3, "B-DO": 7, "B-NH4": 4}
        membrane, noise = 75.0, self.random.gauss
        for label, days in every.items():
            for number in range(_DAYS - _DAYS % days, 0, -days):
                passed = 1.0 - number / _DAYS
                if label == "A-DO" and number % 75 < days:
                    self._care(label, Care("membrane-changed"), self.now - timedelta(days=number, hours=20))
                reported = {
                    "B-EC": {"cell-constant": 10.02 + 0.95 * passed**2 + noise(0, 0.05)},
                    "A-DO": {"gain": 100 + 14 * (1 - number % 75 / membrane) + noise(0, 1.0)},
                    "B-DO": {"gain": 100 - 9 * passed + noise(0, 0.7)},
                    "B-NH4": {"gap": 57.5 - 7.0 * (1 - number % 90 / 90.0) + noise(0, 0.5)},
                }[label]  # fmt: skip
                off = {"B-EC": noise(-0.4, 0.7), "A-DO": noise(0, 0.6), "B-DO": noise(0, 0.5),
                       "B-NH4": noise(0, 3.0)}[label]  # fmt: skip
                zero = {"A-DO": 0.04 + noise(0, 0.02), "B-DO": 0.02 + noise(0, 0.01)}.get(label)
                at = self.now - timedelta(days=number - 1, hours=4, minutes=self.random.randint(0, 40))
                self._kept(label, at, {k: round(v, 3) for k, v in reported.items()}, off, zero)

    def _kept(
        self, label: str, at: datetime, reported: dict[str, float], off_percent: float, zero: float | None
    ) -> None:
        """A calibration that a meter keeps: looked at before adjusting, in the standard or in air."""
        probe, person = self.probes[label], self.people["mira"]
        kind = kind_of(probe)
        taken = []
        for check in kind.checks:
            fitting = [x for x in self.lots if x.standard == check.standard]
            lot = next((x for x in fitting if x.lot_number == _STANDARD_OF.get((label, check.key))), None)
            lot = lot or (fitting[0] if fitting else None)
            aim = check.target if check.target is not None else lot.nominal if lot else None
            shown = zero if check.key == "zero" else (aim or 0.0) * (1 + off_percent / 100.0)
            if shown is not None:
                digits = 2 if check.quantity.startswith("oxygen") or (aim or 0) < 100 else 0
                typed = TypedPoint(lot.id if lot else None, None, 24.6, round(shown, digits), None)
                taken.append(kept_point(check, typed, lot, probe, at))
        rows = kept_rows(NewKept(self._id(), probe.id, reported=reported), probe, kind, taken, person, at=at)
        self.rows[CalibrationRun].append(rows.run)
        for model, some in rows.rest():
            self.rows[model] += some

    def _care(
        self, label: str, care: Care, at: datetime, detail: str = "", minutes: float | None = None, note: str = "",
        good_until: date | None = None,
    ) -> None:  # fmt: skip
        new = NewCare(self._id(), str(care), at, detail, minutes, note, good_until)
        probe, mira = self.probes[label], self.people["mira"]
        self.rows[CareRecord].append(care_row(new, kind_of(probe), probe.id, mira, at=at, recorded_at=at))

    def _inspect(self, label: str, at: datetime) -> None:
        probe = self.probes[label]
        self.rows[Inspection].append(
            {
                "id": self._id(), "probe_id": probe.id, "person_id": self.people["mira"].id, "at": at,
                "answers": {q.key: True for q in kind_of(probe).inspection}, "failed": [], "note": "",
            }
        )  # fmt: skip

    def _calibrate(
        self, label: str, at: datetime, *, school: str = _THREE, swap: bool = False, stale_alkaline: bool = False
    ) -> None:
        person = self.people["mira" if self.random.random() < 0.8 else "oskar"]
        probe, chosen = self.probes[label], method(school)
        key = kind_of(probe).quantity
        reaches = [w.expected[key] for w in WATERS if key in w.expected and label in (w.probe, w.cell, "B-ORP")]
        reach = (min(low for low, _ in reaches), max(high for _, high in reaches)) if reaches else None
        frozen = chosen.frozen(
            waters=reach, rinse=rinses()["distilled-once"], kind=probe.kind, holds_days=holding_of(probe)
        )
        steps = steps_of(frozen)
        lots = {s.role: self._lot(s.role, at, label) for s in steps}
        begin = Begin(self._id(), probe.id, school, "distilled-once", {})
        row = run_row(begin, probe, frozen, lots, reach, person, at=at)
        self.rows[CalibrationRun].append(row)
        run = CalibrationRun(**row)
        in_cups = [lots[s.role] for s in steps]
        if swap:
            in_cups = [in_cups[1], in_cups[0], *in_cups[2:]]
        room = 20.5 + 2.0 * math.sin(2 * math.pi * at.timetuple().tm_yday / 365.0 - 1.9)
        before, points = 40.0, []
        for step, cup in zip(steps, in_cups, strict=True):
            at += timedelta(seconds=self.random.randint(80, 150))
            stale = -0.10 if stale_alkaline and step.role == "alkaline" else 0.0
            signal = self._signal(label, cup, at, room + self.random.gauss(0, 0.2), before, stale)
            before = signal.value
            row = point_row(self._id(), run, person, step, lots[step.role], signal, at=at, today=at.date())
            self.rows[CalibrationPoint].append(row)
            self.rows[CalibrationTrace].append(trace_row(row["id"], signal))
            points.append(CalibrationPoint(**row, lot=lots[step.role]))
        note = "Neutral and acid cups mixed up; done again." if swap else ""
        self._sign(label, run, person, points, at + timedelta(minutes=1), note)

    def _sign(
        self,
        label: str,
        run: CalibrationRun,
        person: Person,
        points: list[CalibrationPoint],
        at: datetime,
        note: str,
    ) -> None:
        before = [(s, r) for s, r, _ in self.signed.get(label, []) if s.level != Level.UNFIT and r.full]
        cleaned = self.now - timedelta(days=_CLEANED) - timedelta(hours=3)
        tended = "cleaned" if label == "A-EC" and before and before[-1][0].signed_at < cleaned < at else ""
        previous = PreviousRun(before[-1][1], age_days(before[-1][0], at), tended) if before else None
        response, findings = judge_points(run, points, previous)
        if response is None:
            raise ValueError("a method of the demonstration adjusts to no point")
        judged, ids = stored.judged_points(run, points), [p.id for p in points]
        row = signature_row(run.id, person, response, findings, judged, ids, at=at, note=note)
        self.rows[CalibrationSignature].append(row)
        self.rows[CalibrationCoefficient] += coefficient_rows(run.id, response)
        self.rows[CalibrationFinding] += [{"run_id": run.id, **f} for f in finding_rows(findings)]
        self.signed.setdefault(label, []).append((CalibrationSignature(**row), response, findings))

    def _signal(self, label: str, lot: Lot, at: datetime, temperature_c: float, before: float, stale: float) -> Signal:
        """A settled trace of this probe in a lot's standard, which is off by its certificate."""
        truth, where = self._truth(label, at), Conditions(temperature_c, self.probes[label].reference or "")
        aim = target(stored.bottle(lot), where)
        off = random.Random(lot.lot_number).gauss(0.0, aim.u) + self.random.gauss(0, aim.u / 4)
        end = float(truth.signal(aim.value + off + stale, where))
        tau = 7.0 if label.startswith("B") else 4.0
        times = [float(t) for t in range(0, 76, 2)]
        trace = [end + (before - end) * math.exp(-t / tau) + self.random.gauss(0, 0.04) for t in times]
        return Signal(
            value=round(end, 2), temperature_c=round(temperature_c, 2), acceptance=Acceptance.SETTLED,
            words="Stable.", elapsed_s=74.0, times_s=times, trace=[round(v, 2) for v in trace],
            temperature_trace=[round(temperature_c, 2)] * len(times),
        )  # fmt: skip

    def _read(self, water: Water, key: str, label: str, at: datetime) -> None:
        season = math.sin(2 * math.pi * (at.timetuple().tm_yday - 110) / 365.0)
        temperature_c = water.mean_c + water.season_c * season + self.random.gauss(0, 0.4)
        if key == "ph":
            value = water.ph + water.swing * 0.5 * season + self.random.gauss(0, water.swing * 0.5)
        elif key == "conductivity":
            salts = (water.salts or 0.0) * (1.0 + 0.05 * season + self.random.gauss(0, 0.015))
            value = salts * (1.0 + 0.0205 * (temperature_c - 25.0))
        else:
            value = (water.orp or 0.0) + 25.0 * season + self.random.gauss(0, 12.0)
        site, probe = self.sites[water.code], self.probes[label]
        on_line = probe.device_id is not None
        signal = float(self._truth(label, at).signal(value, Conditions(temperature_c, probe.reference or "")))
        measured = Measured(
            round(temperature_c, 1),
            round(signal, 1),
            acceptance=Acceptance.SETTLED if on_line else Acceptance.BY_EYE,
            settling_words="Stable." if on_line else "Typed by hand; settling was judged by eye.",
            settling_s={"ph": 55.0, "conductivity": 38.0}.get(key, 240.0) if on_line else None,
        )
        usable = [c for c in self.signed.get(label, []) if c[0].level != Level.UNFIT and c[0].signed_at <= at]
        basis = run = None
        if usable:
            signature, response, findings = usable[-1]
            worst = next((f.sentence for f in findings if f.level is not Level.SOUND), "")
            held = Tolerances.of(
                shipped_tolerances(response.principle.key, probe.kind) | {"holds_days": holding_of(probe)}
            )
            basis, run = basis_from(response, signature, held, worst, at), CalibrationRun(id=signature.run_id)
        corrected = correct(measured, probe, basis, site)
        new = NewReading(self._id(), site.id, probe.id, Source.DEVICE if on_line else Source.TYPED_SIGNAL)
        row = reading_row(new, site, probe, self.people["mira"], measured, corrected, run, taken_at=at)
        self.rows[Reading].append(row)
        self.rows[ReadingFinding] += [{"reading_id": new.reading_id, **f} for f in finding_rows(corrected.findings)]
