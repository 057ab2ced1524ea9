"""Site readings of pH: correct, judge, record, amend."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from dataclasses import asdict, dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from brumel.core.calibration import ASSUMED_U_SLOPE_PERCENT, LEFT_OVER, U_JUNCTION_PH, ElectrodeFit
from brumel.core.findings import Acceptance, Finding, Level, verdict
from brumel.core.kit.accuracy import Accuracy
from brumel.core.kit.kinds import METER_LOSES
from brumel.core.kit.readiness import ended
from brumel.core.ph_reading_verdict import Basis, MetersOwn, PhReading, judge_ph_reading
from brumel.core.quantities.ph import MILLIVOLT_RANGE, TEMPERATURE_RANGE_C, ph_from_millivolts, ph_recompensated
from brumel.core.quantities.ph_working import ph_working, recompensation_working
from brumel.core.settling.rules import READING_PH
from brumel.core.uncertainty import Budget, Contribution
from brumel.services import lines, upkeep
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound, check_number
from brumel.services.people import may_record
from brumel.services.signal import signal_since
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models.base import Source
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reading import Reading, ReadingFinding, ReadingTrace
from brumel.store.models.reference import Person, Probe, Site

IDEAL = ElectrodeFit(100.0, 0.0, ASSUMED_U_SLOPE_PERCENT, 10.0, 0.0, (), None)
"""What stands in for a missing calibration: the ideal electrode, wide in its offset (rule of this product)."""
_PH_RANGE = (-2.0, 16.0)
_UNKNOWN_METER_U_PH = 0.1
"""Standard uncertainty of a pH from a meter of which nothing is known: U ±0.2 (rule of this product)."""
_REMEMBERED = timedelta(days=7)
"""So long back is looked whether a meter lost its calibration (rule of this product)."""
_FUTURE = timedelta(minutes=5)


@dataclass(frozen=True)
class NewReading:
    """What a technician enters for a reading; which fields count depends on ``source``."""

    reading_id: uuid.UUID
    site_id: uuid.UUID | None
    probe_id: uuid.UUID | None
    source: str
    after_seq: int | None = None
    mv: float | None = None
    temperature_c: float | None = None
    shown_ph: float | None = None
    meter_setting_c: float | None = None
    taken_at: datetime | None = None
    unsettled_reason: str = ""
    note: str = ""
    amends_id: uuid.UUID | None = None
    amend_reason: str = ""


@dataclass(frozen=True)
class Corrected:
    """A corrected reading with all that stands beside it."""

    ph: float
    budget: Budget
    working: list[str]
    findings: list[Finding]
    level: Level


@dataclass(frozen=True)
class ReadingView:
    """A reading as the ledger shows it, with what amends it and what it amends."""

    reading: Reading
    run: CalibrationRun | None
    amends: Reading | None
    amended_by: Reading | None
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class Measured:
    """What was measured, from whichever source."""

    temperature_c: float
    mv: float | None = None
    shown_ph: float | None = None
    meter_setting_c: float | None = None
    acceptance: Acceptance = Acceptance.BY_EYE
    settling_words: str = ""
    settling_s: float | None = None
    left_over_ph: float = 0.0
    """How far the pH may lie from the end of its approach."""
    trace: dict[str, list[float]] | None = None


@dataclass(frozen=True)
class Readings:
    """Use cases around site readings."""

    database: Database
    clock: Clock

    def record(self, new: NewReading, person: Person) -> uuid.UUID:
        """Record a reading with its correction, uncertainty and findings; the same id twice records once.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            if session.get(Reading, new.reading_id) is not None:
                return new.reading_id
            site, probe, taken_at = self._checked(session, new)
            measured = _measure(session, new, probe, taken_at)
            run, basis = lines.basis_of(session, probe.id, taken_at)
            if measured.mv is None:
                run = basis = None
            corrected = correct(measured, basis, site, _shown_by(session, probe, taken_at, self.clock))
            row = reading_row(new, site, probe, person, measured, corrected, run, taken_at=taken_at)
            added = queries.add_once(session, Reading, row | {"recorded_at": self.clock.now()})
            if added:
                for row in lines.finding_rows(corrected.findings):
                    queries.add_once(session, ReadingFinding, {"reading_id": new.reading_id, **row})
                if measured.trace:
                    queries.add_once(session, ReadingTrace, {"reading_id": new.reading_id, **measured.trace})
        return new.reading_id

    def view(self, reading_id: uuid.UUID) -> ReadingView:
        """A reading in full."""
        with self.database.session() as session:
            reading = queries.reading_in_full(session, reading_id)
            if reading is None:
                raise NotFound("There is no such reading.")
            run_id = reading.calibration_run_id
            return ReadingView(
                reading=reading,
                run=queries.run_in_full(session, run_id) if run_id else None,
                amends=session.get(Reading, reading.amends_id) if reading.amends_id else None,
                amended_by=queries.amendment_of(session, reading.id),
                findings=tuple(lines.stored_findings(reading.findings)),
            )

    def basis(self, probe_id: uuid.UUID) -> tuple[CalibrationRun | None, Basis | None]:
        """The calibration that a reading with this probe would rest on now."""
        with self.database.session() as session:
            return lines.basis_of(session, probe_id, self.clock.now())

    def _checked(self, session: Session, new: NewReading) -> tuple[Site, Probe, datetime]:
        wrong: dict[str, str] = {}
        site = session.get(Site, new.site_id) if new.site_id else None
        probe = session.get(Probe, new.probe_id) if new.probe_id else None
        if site is None:
            wrong["site"] = "Choose the site."
        if probe is None:
            wrong["probe"] = "Choose the probe."
        if new.source not in set(Source):
            wrong["source"] = "Choose how the reading comes in."
        taken_at = new.taken_at or self.clock.now()
        if taken_at.tzinfo is None:
            raise ValueError("taken_at needs an offset from UTC")
        if taken_at > self.clock.now() + _FUTURE:
            wrong["taken_at"] = "A reading can't be taken in the future: check date and time."
        if new.amends_id and not new.amend_reason.strip():
            wrong["amend_reason"] = "An amendment needs its reason in words."
        if new.source == Source.TYPED_MV:
            check_number(wrong, "mv", new.mv, MILLIVOLT_RANGE, "mV")
        if new.source == Source.TYPED_PH:
            check_number(wrong, "shown_ph", new.shown_ph, _PH_RANGE, "pH")
            if new.meter_setting_c is not None:
                check_number(wrong, "meter_setting_c", new.meter_setting_c, TEMPERATURE_RANGE_C, "°C")
        if new.source in {Source.TYPED_MV, Source.TYPED_PH}:
            check_number(wrong, "temperature_c", new.temperature_c, TEMPERATURE_RANGE_C, "°C")
        if wrong or site is None or probe is None:
            raise InvalidInput(wrong)
        return site, probe, taken_at


def reading_row(
    new: NewReading,
    site: Site,
    probe: Probe,
    person: Person,
    measured: Measured,
    corrected: Corrected,
    run: CalibrationRun | None,
    *,
    taken_at: datetime,
) -> dict[str, Any]:
    """A reading as it is stored."""
    return {
        "id": new.reading_id,
        "site_id": site.id,
        "probe_id": probe.id,
        "person_id": person.id,
        "recorded_at": taken_at,
        "taken_at": taken_at,
        "calibration_run_id": run.id if run else None,
        "source": new.source,
        "mv": measured.mv,
        "temperature_c": measured.temperature_c,
        "shown_ph": measured.shown_ph,
        "meter_setting_c": measured.meter_setting_c,
        "ph": corrected.ph,
        "u_ph": corrected.budget.u,
        "level": str(corrected.level),
        "budget": [asdict(c) for c in corrected.budget.contributions],
        "working": corrected.working,
        "acceptance": str(measured.acceptance),
        "settling_words": measured.settling_words,
        "settling_s": measured.settling_s,
        "note": _note(new),
        "amends_id": new.amends_id,
        "amend_reason": new.amend_reason.strip() if new.amends_id else None,
    }


@dataclass(frozen=True)
class ShownBy:
    """What is known of the meter that a shown pH comes from."""

    accuracy: Accuracy = field(default_factory=Accuracy)
    own: MetersOwn = field(default_factory=MetersOwn)


def correct(measured: Measured, basis: Basis | None, site: Site, meter: ShownBy | None = None) -> Corrected:
    """Correct a measurement with the line behind it, or take it as the meter shows it; and judge it."""
    meter = meter or ShownBy()
    if measured.mv is None:
        ph, budget, working = _from_shown(measured, meter.accuracy)
    else:
        line = basis.fit if basis else IDEAL
        ph, budget, working = _from_mv(measured, line, basis.age_days if basis else 0.0)
    working.append(f"U = 2 × {budget.u:.3f} = {budget.expanded:.2f} pH (k = 2)")
    findings = judge_ph_reading(
        PhReading(
            ph=ph,
            temperature_c=measured.temperature_c,
            basis=basis,
            acceptance=measured.acceptance,
            settling_words=measured.settling_words,
            expected_ph=site.expected("pH"),
            meter=meter.own if measured.mv is None else None,
        )
    )
    return Corrected(ph, budget, working, findings, verdict(findings))


def _from_mv(measured: Measured, line: ElectrodeFit, age_days: float) -> tuple[float, Budget, list[str]]:
    assert measured.mv is not None
    mv, temperature_c = measured.mv, measured.temperature_c
    ph = line.ph(mv, temperature_c)
    working = ph_working(mv, temperature_c, line.slope_percent, line.offset_mv, ph)
    budget = line.ph_budget(mv, temperature_c, age_days=age_days, left_over_ph=measured.left_over_ph)
    return ph, budget, working


def _from_shown(measured: Measured, accuracy: Accuracy) -> tuple[float, Budget, list[str]]:
    """From a pH that the meter shows, its fixed temperature setting undone where it has one.

    No line of ours stands behind it: its uncertainty is what is known of the meter, else it is taken wide.
    """
    assert measured.shown_ph is not None
    shown, temperature_c, setting = measured.shown_ph, measured.temperature_c, measured.meter_setting_c
    if setting is None:
        ph = shown
        working = [f"pH {shown:.2f} as the meter shows it; it compensated at {temperature_c:.1f} °C itself"]
    else:
        ph = float(ph_recompensated(shown, setting, temperature_c))
        working = recompensation_working(shown, setting, temperature_c, ph)
    if not accuracy.states_accuracy:
        return (
            ph,
            Budget.of([Contribution("the meter, of which nothing is known", _UNKNOWN_METER_U_PH, "pH", 1.0)]),
            working,
        )
    junction = Contribution("junction in the sample", U_JUNCTION_PH, "pH", 1.0)
    return ph, Budget.of([*accuracy.contributions(ph, "pH"), junction]), working


def _shown_by(session: Session, probe: Probe, at: datetime, clock: Clock) -> ShownBy:
    """What is known of the meter that a probe is plugged into, at a moment."""
    if probe.meter is None:
        return ShownBy()
    accuracy = Accuracy.of(probe.meter.accuracy.get("pH"))
    lost = ended(upkeep.events_of_probe(session, probe), METER_LOSES, at - _REMEMBERED, at)
    when = f"on {clock.local(lost.at):%d %b, %H:%M}" if lost else ""
    return ShownBy(accuracy, MetersOwn(probe.meter.label, accuracy.states_accuracy, when))


def reading_transform(line: ElectrodeFit) -> Callable[[NDArray[np.float64], NDArray[np.float64]], NDArray[np.float64]]:
    """Reading, the corrected value is judged, not the raw signal."""

    def corrected(mv: NDArray[np.float64], temperature_c: NDArray[np.float64]) -> NDArray[np.float64]:
        low, high = TEMPERATURE_RANGE_C
        within = np.clip(temperature_c, low, high)
        ph = ph_from_millivolts(mv, within, line.slope_percent, line.offset_mv)
        return np.where(within == temperature_c, ph, np.nan)

    return corrected


def _measure(session: Session, new: NewReading, probe: Probe, taken_at: datetime) -> Measured:
    if new.source != Source.DEVICE:
        assert new.temperature_c is not None  # checked before
        typed = Measured(new.temperature_c, settling_words="Typed by hand; settling was judged by eye.")
        if new.source == Source.TYPED_MV:
            return replace(typed, mv=new.mv)
        return replace(typed, shown_ph=new.shown_ph, meter_setting_c=new.meter_setting_c)
    if new.amends_id:
        return _measured_before(session, new.amends_id)
    if probe.device is None or new.after_seq is None:
        raise InvalidInput({"device": "Put the probe into the water first, then record."})
    _, basis = lines.basis_of(session, probe.id, taken_at)
    transform = reading_transform(basis.fit if basis else IDEAL)
    signal = signal_since(session, probe.device.id, new.after_seq, READING_PH, transform)
    if signal.acceptance is Acceptance.UNSETTLED and not new.unsettled_reason.strip():
        raise InvalidInput(
            {"device": f"Not stable yet. {signal.words} Wait, or record it with a reason; the reason stays on record."}
        )
    return Measured(
        temperature_c=signal.temperature_c,
        mv=signal.mv,
        acceptance=signal.acceptance,
        left_over_ph=signal.left_over or 0.0,
        settling_words=signal.words,
        settling_s=signal.elapsed_s,
        trace={"times_s": signal.times_s, "mv": signal.mv_trace, "temperature_c": signal.temperature_trace},
    )


def _measured_before(session: Session, reading_id: uuid.UUID) -> Measured:
    """An amendment of a device reading keeps what the device gave; site, probe or note may change."""
    old = session.get(Reading, reading_id)
    if old is None:
        raise NotFound("There is no such reading to amend.")
    return Measured(
        temperature_c=old.temperature_c,
        mv=old.mv,
        acceptance=Acceptance(old.acceptance),
        left_over_ph=next((c["u"] for c in old.budget if c["name"] == LEFT_OVER), 0.0),
        settling_words=old.settling_words,
        settling_s=old.settling_s,
    )


def _note(new: NewReading) -> str:
    note = new.note.strip()
    if new.unsettled_reason.strip():
        note = f"{note} Recorded before it settled: {new.unsettled_reason.strip()}.".strip()
    return note
