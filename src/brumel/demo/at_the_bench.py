"""What was done with the probes of Hallow Reach at the bench: calibrated, signed, withdrawn, tended."""

from __future__ import annotations

import math
import random
import uuid
from dataclasses import replace
from datetime import date, datetime, timedelta
from typing import Any

import numpy as np

from brumel.core.calibrating.procedure import Step, StepKind, steps_of
from brumel.core.findings import Acceptance, Finding, Level
from brumel.core.kit.care import Care
from brumel.core.numbers.series import Series
from brumel.core.place.conditions import Conditions
from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.pressure import at_altitude_hpa
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import PreviousRun
from brumel.core.settling.judgement import said_of
from brumel.core.settling.troubles import Settling
from brumel.core.standards.targets import Target
from brumel.demo.places import WATERS
from brumel.demo.stays import Stays
from brumel.demo.truths import Truths
from brumel.services.calibrating import judged_run
from brumel.services.calibrating.meter_runs import NewKept, TypedPoint, kept_point, kept_rows
from brumel.services.calibrating.rows import (
    Begin,
    Beside,
    coefficient_rows,
    judge_points,
    point_row,
    run_row,
    signature_row,
)
from brumel.services.clock import Clock
from brumel.services.house.rules import in_force
from brumel.services.live.signal import Signal
from brumel.services.live.simulation import FIELD_C
from brumel.services.probes.care_log import NewCare, care_row
from brumel.services.probes.run_facts import age_days
from brumel.services.probes.what_it_is import holding_of, kind_of
from brumel.services.readings.correct import principle_of
from brumel.services.said import finding_rows
from brumel.services.shelf import lot_words
from brumel.store.models.base import Base
from brumel.store.models.calibration import (
    AmendmentKind,
    CalibrationAmendment,
    CalibrationCoefficient,
    CalibrationFinding,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
)
from brumel.store.models.care import CareRecord, Inspection, MeterRecord
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import Lot, Person, Probe
from brumel.store.models.series import SeriesBlock
from brumel.store.models.visit import Acknowledgement, ReadingBasis, Visit, VisitEntry
from brumel.store.series_blocks import block_rows

_SEED = 20411
THREE, ONE = "ph-neutral-acid-alkaline", "conductivity-one"
_BESIDE = "chlorine-beside"
_STANDARD_OF = {
    ("A-EC", "standard"): "C14-0902", ("B-EC", "standard"): "S35-0114",
    ("G-EC", "standard"): "C14-0902",
}  # fmt: skip
"""The lots that a probe's meter is checked in."""
IN_ORDER: tuple[type[Base], ...] = (
    CalibrationRun,
    CalibrationPoint,
    SeriesBlock,
    CalibrationCoefficient,
    CalibrationSignature,
    CalibrationFinding,
    CalibrationAmendment,
    Visit,
    VisitEntry,
    Reading,
    ReadingFinding,
    ReadingBasis,
    Acknowledgement,
    CareRecord,
    Inspection,
    MeterRecord,
)


class AtTheBench:
    """The rows of that work, made from a seed and worked out as a technician's own."""

    def __init__(self, now: datetime, clock: Clock) -> None:
        self.now, self.zone = now, clock.timezone
        self.random, self.apart = random.Random(_SEED), random.Random(_SEED + 1)
        self.people: dict[str, Person] = {}
        self.probes: dict[str, Probe] = {}
        self.lots: list[Lot] = []
        self.rows: dict[type[Base], list[dict[str, Any]]] = {model: [] for model in IN_ORDER}
        self.signed: dict[str, list[tuple[CalibrationSignature, Response, list[Finding]]]] = {}
        self.truths: Truths
        self.stays: Stays

    def _id(self) -> uuid.UUID:
        return uuid.UUID(int=self.random.getrandbits(128), version=4)

    def _lot(self, role: str, at: datetime, label: str = "") -> Lot:
        """The lot in use at a time: the one of its probe, else the newest that was open, else the first there was."""
        if own := next((x for x in self.lots if x.lot_number == _STANDARD_OF.get((label, "standard"))), None):
            return own
        fitting = [
            lot
            for lot in self.lots
            if in_force().roles[role].admits(lot.standard, lot.nominal, lot.family)
            and lot.family not in ("primary", "sea-water")
            and lot.lot_number != "T4-2480"
        ]
        opened = [lot for lot in fitting if lot.opened_on is not None and lot.opened_on <= at.date()]
        return max(opened, key=lambda lot: lot.opened_on or at.date()) if opened else fitting[0]

    def _sea_level(self, at: datetime) -> float:
        """Pressure at sea level, hPa: the weather of Hallow Reach."""
        day = at.timestamp() / 86_400.0
        return 1013.0 + 9.0 * math.sin(day / 1.9) + 5.0 * math.sin(day / 0.83 + 1.0)

    def _pressure(self, at: datetime, altitude_m: float) -> Pressure:
        """As a barometer shows it at a place."""
        return Pressure(round(float(at_altitude_hpa(altitude_m, self._sea_level(at))), 1), altitude_m=altitude_m)

    def _withdraw(self, label: str, at: datetime, reason: str) -> None:
        """Withdraw a probe's newest calibration."""
        signature = self.signed[label].pop()[0]
        self.rows[CalibrationAmendment].append(
            {
                "id": self._id(), "run_id": signature.run_id, "person_id": self.people["oskar"].id, "at": at,
                "kind": AmendmentKind.WITHDRAWAL, "reason": reason,
            }
        )  # fmt: skip

    def _kept(self, label: str, at: datetime, reported: dict[str, float], off_percent: float) -> None:
        """A calibration that a meter keeps: looked at before adjusting, in the standard."""
        probe, person = self.probes[label], self.people["mira"]
        kind = kind_of(probe)
        taken = []
        for check in kind.checks:
            fitting = [x for x in self.lots if x.standard == check.standard]
            lot = next((x for x in fitting if x.lot_number == _STANDARD_OF.get((label, check.key))), None)
            lot = lot or (fitting[0] if fitting else None)
            aim = (lot.nominal if lot else None) or 0.0
            shown = round(aim * (1 + off_percent / 100.0), 2 if aim < 100 else 0)
            taken.append(
                kept_point(check, TypedPoint(lot.id if lot else None, None, 24.6, shown, None), lot, probe, at)
            )
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
        self.rows[CareRecord].append(care_row(new, kind_of(probe), probe.id, mira, at=at))

    def _calibrate(
        self, label: str, at: datetime, *, procedure: str = THREE, swap: bool = False, stale_alkaline: bool = False,
        pressure: Pressure | None = None, altitude_m: float = 3.0,
    ) -> None:  # fmt: skip
        person = self.people["mira" if self.random.random() < 0.8 else "oskar"]
        probe, chosen = self.probes[label], in_force().procedure(procedure)
        key = kind_of(probe).quantity
        reaches = [w.expected[key] for w in WATERS if key in w.expected and label in (w.probe, w.cell, "B-ORP")]
        reach = (min(low for low, _ in reaches), max(high for _, high in reaches)) if reaches else None
        true = self._pressure(at, altitude_m)
        place = Surroundings(pressure or true) if principle_of(probe).needs_pressure else Surroundings()
        frozen = chosen.frozen(
            in_force(), waters=reach, rinse=in_force().rinses["distilled-once"], kind=probe.kind,
            holds_days=holding_of(probe),
            first=self._first(label, at), conditions=place.plain, steers=kind_of(probe).steers,
        )  # fmt: skip
        steps = [s for s in steps_of(frozen) if s.kind.has_point]
        lots = {s.role: self._lot(s.role, at, label) for s in steps if s.role}
        begin = Begin(self._id(), probe.id, procedure, "distilled-once", {})
        row = run_row(begin, probe, frozen, lots, reach, person, at=at)
        self.rows[CalibrationRun].append(row)
        run = CalibrationRun(**row)
        in_cups = [lots.get(s.role) for s in steps]
        if swap:
            in_cups = [in_cups[1], in_cups[0], *in_cups[2:]]
        room = 20.5 + 2.0 * math.sin(2 * math.pi * at.timetuple().tm_yday / 365.0 - 1.9)
        before, points = 40.0, []
        for step, cup in zip(steps, in_cups, strict=True):
            at += timedelta(seconds=self.random.randint(80, 150))
            stale = -0.10 if stale_alkaline and step.role == "alkaline" else 0.0
            where = Surroundings(true).at(room + self.random.gauss(0, 0.2), probe.reference or "")
            beside = self._beside(step, quantity(principle_of(probe).quantity))
            if step.of_waters:
                where = replace(where, temperature_c=FIELD_C)
            if beside is not None:
                where = replace(where, temperature_c=beside.target.value)
            aim = beside.target if beside else lot_words.aim_of(step, cup, where)
            signal = self._signal(label, aim, cup, at, where, before, stale)
            before, today = signal.value, at.date()
            lot = lots.get(step.role)
            row = point_row(self._id(), run, person, step, lot, signal, taken_at=at, today=today, beside=beside)
            self.rows[CalibrationPoint].append(row)
            if signal.trace:
                self.rows[SeriesBlock] += block_rows(signal.trace, at, row["signal_unit"], point_id=row["id"])
            points.append(CalibrationPoint(**row, lot=lots.get(step.role)))
        note = "Neutral and acid cups mixed up; done again." if swap else ""
        self._sign(label, run, person, points, at + timedelta(minutes=1), note)

    def _beside(self, step: Step, about: Quantity) -> Beside | None:
        """Return what the instrument beside it showed; None where a step compares with none."""
        if step.kind is not StepKind.COMPARE:
            return None
        name, sd = {"temperature": ("Traceable thermometer", 0.1), "total-chlorine": ("P-1", 0.3)}[about.key]
        shown = round((step.target or 0.0) + abs(self.random.gauss(0.0, sd)), 2)
        return Beside.of(self.stays.instruments[name], about, shown)

    def _beside_and_steering(self, day: datetime, number: int) -> None:
        """A tip compared with the photometer once a week, in the water of either pool; an electrode that doses acid."""
        shared, self.random = self.random, self.apart  # what the others do stays as it is
        morning = day.astimezone(self.zone).replace(hour=7, minute=5, second=0, microsecond=0)
        if day.weekday() == 3 or number == self.truths.touched:
            self._calibrate("B-Cl", morning, procedure=_BESIDE)
        if number == self.truths.touched:
            self._calibrate("B-Cl", morning + timedelta(minutes=50), procedure=_BESIDE)
        if day.weekday() == 0:
            self._steering("G-pH", morning, dirty=number == self.truths.acid_stood)
            self._steering("G-EC", morning + timedelta(hours=4), procedure=ONE)
        self.random = shared

    def _steering(self, label: str, at: datetime, *, procedure: str = THREE, dirty: bool = False) -> None:
        """A dosing is off while its probe is calibrated; where the check failed it stayed off until one passed."""
        what, minutes = self.probes[label].steers, timedelta(minutes=1)
        self._care(label, Care.PAUSED, at - minutes, what, note="Oskar at the panel" if dirty else "")
        self._calibrate(label, at, procedure=procedure)
        if dirty:
            cleaned = self.truths.before(self.truths.acid_stood + 4 / 24)
            self._care(label, Care.CLEANED, cleaned, "cleaning solution", 15.0)
            at += timedelta(hours=3)
            self._calibrate(label, at, procedure=procedure)
        self._care(label, Care.HANDED_BACK, at + 20 * minutes, what)

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
        tended = self.truths.tended(label, before[-1][0].signed_at, at) if before else ""
        previous = PreviousRun(before[-1][1], age_days(before[-1][0], at), tended) if before else None
        response, findings = judge_points(run, points, previous)
        if response is None:
            raise ValueError("a method of the demonstration adjusts to no point")
        judged, ids = judged_run.judged_points(run, points), [p.id for p in points]
        row = signature_row(run.id, person, response, findings, judged, ids, at=at, note=note)
        self.rows[CalibrationSignature].append(row)
        self.rows[CalibrationCoefficient] += coefficient_rows(run.id, response)
        self.rows[CalibrationFinding] += [{"run_id": run.id, **f} for f in finding_rows(findings)]
        self.signed.setdefault(label, []).append((CalibrationSignature(**row), response, findings))

    def _first(self, label: str, at: datetime) -> dict[str, float]:
        """Return coefficients of the first run since a part of the probe was renewed last."""
        renewed = max((t for ago in self.truths.renewed.get(label, ()) if (t := self.truths.before(ago)) < at),
                      default=at)  # fmt: skip
        since = [
            r for s, r, _ in self.signed.get(label, []) if s.level != Level.UNFIT and r.full and s.signed_at > renewed
        ]
        return since[0].by_key if since else {}

    def _signal(
        self, label: str, aim: Target, lot: Lot | None, at: datetime, where: Conditions, before: float, stale: float
    ) -> Signal:
        """Return a settled trace of this probe in a standard, which is off by its certificate."""
        truth, temperature_c = self.truths.response(label, at), float(where.temperature_c)
        off = random.Random(lot.lot_number if lot else label).gauss(0.0, aim.u) + self.random.gauss(0, aim.u / 4)
        end = float(truth.signal(aim.value + off + stale, where))
        tau = 7.0 if label.startswith("B") else 4.0
        times = [float(t) for t in range(0, 76, 2)]
        trace = [end + (before - end) * math.exp(-t / tau) + self.random.gauss(0, 0.04) for t in times]
        return Signal(
            value=round(end, 2), temperature_c=round(temperature_c, 2), acceptance=Acceptance.SETTLED,
            says=said_of(Settling.STABLE), elapsed_s=74.0,
            trace=Series.of(times, np.round(trace, 2), temperature_c=[round(temperature_c, 2)] * len(times)),
        )  # fmt: skip
