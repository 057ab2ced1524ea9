"""The year of Hallow Reach, day by day: what was read, what was tended, what is going on today."""

from __future__ import annotations

import math
import uuid
from collections.abc import Callable
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import insert

from brumel.core.calibrating.tolerances_of_kinds import tolerances_for
from brumel.core.findings import Acceptance, Level
from brumel.core.kit.care import Care, MeterEvent
from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.conductivity import natural_water_factor
from brumel.core.quantities.ions import activity_coefficient
from brumel.core.quantities.oxygen import saturation_mg_l
from brumel.core.quantities.salinity import practical_salinity
from brumel.core.reading.limits import limits_of
from brumel.core.sensing.principles import principle
from brumel.core.sensing.tolerances import Tolerances
from brumel.core.settling.judgement import said_of
from brumel.core.settling.troubles import Settling
from brumel.demo import places
from brumel.demo.at_the_bench import IN_ORDER, ONE, AtTheBench
from brumel.demo.places import WATERS, Water
from brumel.demo.stays import ACCESS, Stays, instruments
from brumel.demo.truths import DAYS, Truths
from brumel.services.calibrating.run_responses import basis_from
from brumel.services.clock import Clock
from brumel.services.house.rules import in_force
from brumel.services.live.channels import TEMPERATURE, signal_channel
from brumel.services.people import INVENTED, INVENTED_PASSWORD, People
from brumel.services.probes.what_it_is import holding_of, kind_of
from brumel.services.readings.correct import Measured, correct, principle_of
from brumel.services.readings.draft import NewReading
from brumel.services.readings.following import follow_visits
from brumel.services.readings.history import kept_limits
from brumel.services.readings.meter_settings import Resetting, WrongSetting
from brumel.services.readings.record import record_within
from brumel.services.readings.row import reading_row
from brumel.services.said import BY_EYE, finding_rows
from brumel.store.database import Acting, Database, acting
from brumel.store.models.base import Base, Source
from brumel.store.models.calibration import (
    CalibrationRun,
)
from brumel.store.models.care import Inspection, MeterRecord
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import Device, PlannedRound, Site, SiteRange
from brumel.store.models.tables import STANDING
from brumel.store.models.visit import Visit

PASSWORD = INVENTED_PASSWORD
_SIDE, _CHECK = "ph-neutral-side-check", "orp-check"
_AIR, _ZERO_AIR, _CAP = "membrane-air", "membrane-zero-air", "luminescence-air"
_EVERY_ORP, _EVERY_AIR = 14, 3
_ON_THE_LINE = (
    "glass",
    "glass",
    "metal",
    "conductivity",
    "membrane",
    "luminescence",
    "thermometer",
    "conductivity",
    "membrane",
    "ammonium-tip",
    "chlorine-tip",
    "glass",
)
"""Principles of the bench's probes, by address."""


@dataclass(frozen=True)
class ShownByMeter:
    """What B-meter showed of a salt water while it compensated by itself, µS/cm, as it was typed."""

    site: str
    at: datetime
    visit_id: uuid.UUID
    value: float
    temperature_c: float


def _said(model: type[Base], row: dict[str, Any]) -> dict[str, Any]:
    """Return a row with who recorded it, and when, as only the owner may say it: on the spot."""
    if model not in STANDING:
        return row
    return row | {"recorded_by": row["person_id"], "recorded_at": next(row[name] for name in _MOMENTS if name in row)}


_MOMENTS = ("signed_at", "started_at", "taken_at", "begun_at", "at")


class Maker(AtTheBench):
    """Makes the rows of a year and puts them into an empty database."""

    def __init__(self, database: Database, now: datetime, clock: Clock, progress: Callable[[str], None]) -> None:
        super().__init__(now, clock)
        self.database, self.progress = database, progress
        self.meters: dict[str, uuid.UUID] = {}
        self.sites: dict[str, Site] = {}
        self.shown: list[ShownByMeter] = []

    def make(self, back: int) -> None:
        """Make kit and shelf, and the work of so many days back."""
        self._reference()
        days = [self.now - timedelta(days=n) for n in range(back, 0, -1)]
        for number, day in enumerate(days):
            if number % 60 == 0:
                self.progress(f"{back} days of work at Hallow Reach: day {number}")
            if day.weekday() < 5:
                self._day(day)
        self._today()
        self._upkeep(back)
        with self.database.session() as session:
            session.add(self._next_round())
            for model in IN_ORDER:
                if self.rows[model]:
                    rows = [_said(model, row) for row in self.rows[model]]
                    session.execute(insert(model), rows, execution_options={"render_nulls": True})
        self._compensated_twice()

    def _reference(self) -> None:
        people = People(self.database)
        for role, (login, name) in INVENTED.items():
            self.people[login] = people.add(login, name, role, PASSWORD)
        devices = [
            Device(
                id=self._id(), label=f"Bench probe {address}", url="", address=address,
                channels=[TEMPERATURE.plain, signal.plain], period_s=0.2, clock_rate=1.0,
            )
            for address, key in zip("0123456789ab", _ON_THE_LINE, strict=True)
            for signal in [signal_channel(principle(key))]
        ]  # fmt: skip
        probes = places.probes(self.now.date(), devices)
        meters = list(places.meters(self.now.date(), self._id))
        for probe in probes:
            probe.id = self._id()
            probe.meter = next((m for m in meters if m.kit == probe.kit and probe.kind in m.takes), None)
        sites = [
            Site(id=self._id(), code=w.code, name=w.name, water_kind=w.kind, visit_every_days=w.every_days,
                 altitude_m=w.altitude_m, access=ACCESS.get(w.code, ""),
                 compensation=asdict(w.compensation),
                 ranges=[SiteRange(quantity=p, low=low, high=high) for p, (low, high) in w.expected.items()])
            for w in WATERS
        ]  # fmt: skip
        self.lots = list(places.lots(self.now.date(), DAYS, self._id))
        with self.database.session() as session:
            session.add_all([*devices, *meters])
            session.flush()
            ph, salts = places.combined(self.now.date())
            session.add_all([*probes, *sites, *self.lots, ph])
            session.flush()
            session.add(salts)
        self.probes = {p.label: p for p in probes}
        own = {label: principle_of(p) for label, p in self.probes.items() if kind_of(p).principle}
        noon = self.now.astimezone(self.zone).replace(hour=12, minute=0, second=0, microsecond=0)
        self.truths = Truths(noon, own)
        self.meters = {m.label: m.id for m in meters}
        self.sites = {s.code: s for s in sites}
        self.stays = Stays(self.now, self.people, self.sites, self.probes, self.rows)
        found = instruments(self.stays.new_id)
        with self.database.session() as session:
            session.add_all(found)
        self.stays.instruments = {i.label: i for i in found}

    def _next_round(self) -> PlannedRound:
        """Tomorrow's round with Kit B."""
        leaves = (self.now + timedelta(days=1)).astimezone(self.zone).replace(hour=8, minute=0, second=0, microsecond=0)
        sites = [self.sites[code].id for code in ("SHRIMP", "OYSTER", "LIDO")]
        return PlannedRound(
            id=self._id(), person_id=self.people["mira"].id, planned_at=self.now, departure=leaves, kit="Kit B",
            rinse="distilled-once", site_ids=sites, probe_ids=[], without=[], done={},
        )  # fmt: skip

    def _day(self, day: datetime) -> None:
        number = (self.now - day).days
        morning = day.astimezone(self.zone).replace(hour=7, minute=20, second=0, microsecond=0)
        morning += timedelta(minutes=self.random.randint(0, 25))
        self._beside_and_steering(day, number)
        if number == 40:
            self._calibrate("A-pH", morning, swap=True)
            morning += timedelta(minutes=25)
        self._calibrate("A-pH", morning)
        if number % _EVERY_ORP in (5, 6) and (number % _EVERY_ORP == 5 or day.weekday() == 4):
            self._calibrate("B-ORP", morning + timedelta(minutes=33), procedure=_CHECK)
        if day.weekday() == 0 or number == self.truths.cleaned:
            self._calibrate("A-EC", morning + timedelta(minutes=48), procedure=ONE)
        if number == self.truths.set_wrong:
            self._calibrate("B-EC", morning + timedelta(minutes=30), procedure=ONE)
            self._calibrate("B-EC", morning + timedelta(hours=7), procedure=ONE)
        elif day.weekday() == 1:
            self._calibrate("B-EC", morning + timedelta(minutes=30), procedure=ONE)
        if number == 12 or (number in {11, 13} and (self.now - timedelta(days=12)).weekday() >= 5):
            self._calibrate("B-pH", morning + timedelta(minutes=18), procedure=_SIDE, stale_alkaline=True)
        elif number > 2 and number % 2 == 0:
            self._calibrate("B-pH", morning + timedelta(minutes=18))
        if number in {21, 22} and (number == 21 or (self.now - timedelta(days=21)).weekday() >= 5):
            self._calibrate("C-pH", morning + timedelta(minutes=40))
        self._oxygen(number, day, morning + timedelta(minutes=55))
        at = morning + timedelta(minutes=70)
        for water in WATERS:
            if day.toordinal() % water.every_days == 3 % water.every_days:  # once a week: on Wednesdays
                at += timedelta(minutes=self.random.randint(18, 40))
                visit = self.stays.begin(water, at)
                read = [self._read(water, "ph", water.probe, at, visit)]
                if water.salts is not None:
                    salty = self._read(water, "conductivity", water.cell, at + timedelta(minutes=6), visit)
                    read += [salty] if salty else []
                if water.oxygen is not None:
                    read.append(self._read(water, "oxygen", water.oxygen_probe, at + timedelta(minutes=9), visit))
                if water.orp is not None:
                    read.append(self._read(water, "orp", "B-ORP", at + timedelta(minutes=4), visit))
                if water.ammonium is not None:
                    procedure = "ammonium-three" if day.weekday() in (0, 1) else "ammonium-two"
                    self._calibrate("B-NH4", at - timedelta(minutes=40), procedure=procedure)
                    read.append(self._read(water, "ammonium", "B-NH4", at + timedelta(minutes=14), visit))
                if water.code == "LIDO":
                    read.append(self._read(water, "total-chlorine", "B-Cl", at + timedelta(minutes=6), visit))
                if water.code == "POOL" and number == self.truths.compared:
                    self.stays.compare(visit, water, at + timedelta(minutes=8))
                self.stays.end(visit, water, at + timedelta(minutes=10), read)
        if number == self.truths.dawn:
            self.stays.dawn(WATERS[4], morning - timedelta(hours=1, minutes=40))

    def _oxygen(self, number: int, day: datetime, at: datetime) -> None:
        """The membrane every third day, with its zero on Mondays; the cap once a week."""
        truths, monday = self.truths, day.weekday() == 0
        if number == truths.torn:
            self._calibrate("A-DO", at, procedure=_ZERO_AIR)
            self._calibrate("A-DO", truths.before(number) + timedelta(hours=2, minutes=20), procedure=_ZERO_AIR)
        elif number == truths.at_sea_level:
            self._calibrate(
                "A-DO", at, procedure=_AIR, pressure=Pressure(round(self._sea_level(at), 1)), altitude_m=630.0
            )
            self._withdraw("A-DO", at + timedelta(hours=26), "The weather report's 1 000 and some hPa are those of the "
                           "sea: the spring lies at 630 m. Readings there looked again.")  # fmt: skip
            self._calibrate("A-DO", at + timedelta(hours=27), procedure=_AIR)
        elif monday or number % _EVERY_AIR == 0:
            self._calibrate("A-DO", at, procedure=_ZERO_AIR if monday else _AIR)
        if day.weekday() == 1:
            self._calibrate("B-DO", at + timedelta(minutes=8), procedure=_CAP)

    def _compensated_twice(self) -> None:
        """What B-meter had compensated was typed as if it had not, and compensated again: found, and amended."""
        mira, oskar, meter_id = self.people["mira"], self.people["oskar"], self.meters["B-meter"]
        for s in self.shown:
            new = NewReading(
                self._id(), self.sites[s.site].id, self.probes["B-EC"].id, Source.TYPED_VALUE, visit_id=s.visit_id,
                shown=s.value, temperature_c=s.temperature_c, meter_did={"method": "none", "reference_c": 25.0},
            )  # fmt: skip
            with acting(Acting(at=s.at)), self.database.session() as session:
                record_within(session, Clock(self.zone, s.at), new, mira)
                follow_visits(session, [session.get_one(Visit, s.visit_id)], mira, Clock(self.zone, s.at))
        if self.shown:
            found = self.truths.before(self.truths.compensating[0] - 1) + timedelta(hours=3)
            really = {"method": "natural-water", "reference_c": 25.0}
            wrong = WrongSetting(meter_id, "specific-conductance", self.shown[0].at, found, really)
            reason = "B-meter had compensated to 25 °C since its batteries were changed; it was said to be off."
            with acting(Acting(at=found)):
                Resetting(self.database, Clock(self.zone, found)).apply(wrong, reason, oskar)

    def _today(self) -> None:
        """This day's work so far: B and A calibrated, some sites read; the rest is waiting."""
        self._calibrate("B-pH", self.now - timedelta(days=2, hours=3))
        self._calibrate("A-pH", self.now - timedelta(hours=4, minutes=5))
        for water, minutes in ((WATERS[2], 150), (WATERS[3], 95)):
            at = self.now - timedelta(minutes=minutes)
            visit = self.stays.begin(water, at)
            self.stays.end(visit, water, at, [self._read(water, "ph", water.probe, at, visit)])

    def _upkeep(self, back: int) -> None:
        """Care and inspections: weekly cleaning, a refilled reference, and what is going on with the rest today."""
        day, hour = timedelta(days=1), timedelta(hours=1)
        evening = self.now.astimezone(self.zone).replace(hour=17, minute=10, second=0, microsecond=0)
        for number in range(DAYS, 0, -1):
            at = evening - number * day
            if at.weekday() == 4:
                for label in ("A-pH", "B-pH"):
                    self._care(label, Care.CLEANED, at, "cleaning solution", 15.0)
                    self._care(label, Care.STORED, at + timedelta(minutes=25), "storage solution")
            if at.weekday() < 5 and number <= 14:
                self._inspect("A-pH", at - 10 * hour)
        self._care("B-pH", Care("reference-refilled"), evening - 213 * day, "3 mol/L KCl")
        self._care("A-EC", Care.CLEANED, self.now - 5 * day, "mild detergent", 10.0)
        self._care("A-EC", Care.CLEANED, self.truths.before(self.truths.cleaned), "mild detergent, soft brush", 20.0)
        for label, part in (("A-DO", "membrane-changed"), ("B-DO", "cap-changed")):
            for renewed in self.truths.renewed[label]:
                until = self.now.date() + 140 * day if (label, renewed) == ("B-DO", 225) else None
                self._care(label, Care(part), self.truths.before(renewed), good_until=until)
        self._care("B-ORP", Care.STORED, self.now - 2 * day, "clean tap water")
        self._care("C-pH", Care.DROPPED, self.now - 3 * day - hour, note="On the slipway.")
        for renewed in self.truths.renewed["B-NH4"]:
            self._care("B-NH4", Care("tip-changed"), self.truths.before(renewed))
        self._care("B-NH4", Care("tip-changed"), self.now - 9 * hour)
        self._care("A-DO", Care("membrane-changed"), self.now - timedelta(minutes=40))
        self._inspect("A-DO", self.now - timedelta(minutes=36))
        self._calibrate("A-T", self.now - min(back - 1, 200) * day, procedure="thermometer-three")
        self._inspect("A-T", self.now - min(back - 1, 200) * day)
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
        """What the meters reported of their own calibrations through the year; a cell drifts."""
        days, noise = 28, self.random.gauss
        for number in range(DAYS - DAYS % days, 0, -days):
            constant = 10.02 + 0.95 * (1.0 - number / DAYS) ** 2 + noise(0, 0.05)
            at = self.now - timedelta(days=number - 1, hours=4, minutes=self.random.randint(0, 40))
            self._kept("B-EC", at, {"cell-constant": round(constant, 3)}, noise(-0.4, 0.7))

    def _inspect(self, label: str, at: datetime) -> None:
        probe = self.probes[label]
        self.rows[Inspection].append(
            {
                "id": self._id(), "probe_id": probe.id, "person_id": self.people["mira"].id, "at": at,
                "answers": {q.key: True for q in kind_of(probe).inspection}, "failed": [], "note": "",
            }
        )  # fmt: skip

    def _place(self, water: Water, at: datetime) -> Surroundings:
        """What is known of a water when its oxygen is read: pressure by a barometer, salinity by its conductivity."""
        salinity = float(practical_salinity((water.salts or 0.0) / 1000.0, 25.0)) if water.compensation.salt else 0.0
        words = f"from the conductivity read at {at - timedelta(minutes=3):%H:%M} UTC" if salinity else "typed"
        pressure = self._pressure(at, water.altitude_m)
        if water.code == "SPRING" and (at.date() - self.truths.before(self.truths.at_sea_level).date()).days == 0:
            pressure = Pressure(round(self._sea_level(at), 1), altitude_m=water.altitude_m)
        return Surroundings(pressure, round(salinity, 2), 0.1 if salinity else 0.0, words)

    def _read(self, water: Water, key: str, label: str, at: datetime, visit: Visit) -> dict[str, Any]:
        season = math.sin(2 * math.pi * (at.timetuple().tm_yday - 110) / 365.0)
        temperature_c = water.mean_c + water.season_c * season + self.random.gauss(0, 0.4)
        place = Surroundings()
        if key == "ph":
            value = water.ph + water.swing * 0.5 * season + self.random.gauss(0, water.swing * 0.5)
        elif key == "conductivity":
            salts = (water.salts or 0.0) * (1.0 + 0.05 * season + self.random.gauss(0, 0.015))
            value = salts * (1.0 + 0.0205 * (temperature_c - 25.0))
            if label == "B-EC" and (self.truths.noon - at).days in self.truths.compensating:
                t = round(temperature_c, 1)
                self.shown.append(
                    ShownByMeter(water.code, at, visit.id, round(value * float(natural_water_factor(t)), -1), t)
                )
                return {}
        elif key == "oxygen":
            place = self._place(water, at)
            full = saturation_mg_l(temperature_c, place.at(temperature_c).pressure_hpa, place.salinity or 0.0)
            mg_l = (water.oxygen or 0.0) * (1.0 - 0.08 * season + self.random.gauss(0, 0.06))
            value = 100.0 * mg_l / float(full)
        elif key == "ammonium":
            salts = round(780.0 * (1.0 + 0.06 * season + self.random.gauss(0, 0.02)), 0)
            place = Surroundings(conductivity=salts, u_conductivity=0.02 * salts, conductivity_from="typed")
            mg_l = (water.ammonium or 0.0) * (1.0 - 0.25 * season + self.random.gauss(0, 0.12))
            value = mg_l * float(activity_coefficient(salts, 1))
        elif key == "total-chlorine":
            value = 2.6 + self.stays.random.gauss(0.0, 0.12)
        else:
            value = (water.orp or 0.0) + 25.0 * season + self.random.gauss(0, 12.0)
        site, probe = self.sites[water.code], self.probes[label]
        on_line = probe.device_id is not None
        where = place.at(temperature_c, probe.reference or "")
        signal = float(self.truths.response(label, at).signal(value, where))
        measured = Measured(
            round(temperature_c, 1),
            round(signal, principle_of(probe).signal_decimals),
            place=place,
            acceptance=Acceptance.SETTLED if on_line else Acceptance.BY_EYE,
            settling=said_of(Settling.STABLE) if on_line else BY_EYE,
            settling_s={"ph": 55.0, "conductivity": 38.0, "total-chlorine": 14.0}.get(key, 240.0) if on_line else None,
        )
        usable = [c for c in self.signed.get(label, []) if c[0].level != Level.UNFIT and c[0].signed_at <= at]
        basis = run = None
        if usable:
            signature, response, findings = usable[-1]
            worst = next((f.says for f in findings if f.level is not Level.SOUND), "")
            held = Tolerances.of(
                tolerances_for(in_force(), response.principle.key, probe.kind) | {"holds_days": holding_of(probe)}
            )
            basis, run = basis_from(response, signature, held, worst, at), CalibrationRun(id=signature.run_id)
        corrected = correct(measured, probe, basis, site, water.compensation)
        source = Source.DEVICE if on_line else Source.TYPED_SIGNAL
        new = NewReading(self._id(), site.id, probe.id, source, visit_id=visit.id)
        row = reading_row(new, site, probe, self.people["mira"], corrected, run, taken_at=at)
        row |= kept_limits(limits_of(in_force(), water.kind), corrected)
        self.rows[Reading].append(row)
        self.rows[ReadingFinding] += [{"reading_id": new.reading_id, **f} for f in finding_rows(corrected.findings)]
        return row
