"""Calibrating a pH probe: begin, put into the buffers, take points, sign; and what may be added later."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.calibration import ElectrodeFit
from brumel.core.findings import Acceptance, Finding, Level, verdict
from brumel.core.methods.model import Role, Use, method, rinses
from brumel.core.ph_run import BufferLook, look_at_signal
from brumel.core.quantities.ph import MILLIVOLT_RANGE, TEMPERATURE_RANGE_C
from brumel.core.settling.rules import CALIBRATION_PH
from brumel.core.standards.buffers import value_or_none
from brumel.services import lines, upkeep
from brumel.services.calibration_rows import (
    Begin,
    judge_points,
    point_row,
    run_row,
    signature_row,
    trace_row,
    waters_of,
)
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound, check_number
from brumel.services.people import may_record, may_withdraw
from brumel.services.signal import Lens, Signal, signal_since
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models.base import Source
from brumel.store.models.calibration import (
    AmendmentKind,
    CalibrationAbandonment,
    CalibrationAmendment,
    CalibrationFinding,
    CalibrationImmersion,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    CalibrationTrace,
)
from brumel.store.models.reference import Lot, Person, Probe, Site


@dataclass(frozen=True)
class StepView:
    """One step of a run as the bench shows it."""

    key: str
    role: Role
    use: Use
    lot: Lot
    point: CalibrationPoint | None
    immersion: CalibrationImmersion | None
    value_ph: float | None
    """Value of the buffer at the point's temperature, or at 25 °C before there is one."""
    repeats: int


@dataclass(frozen=True)
class RunView:
    """A run as the bench and the ledger show it."""

    run: CalibrationRun
    steps: tuple[StepView, ...]
    fit: ElectrodeFit | None
    findings: tuple[Finding, ...]
    level: Level | None
    previous: ElectrodeFit | None
    withdrawn: bool

    @property
    def open(self) -> bool:
        """Neither signed nor given up."""
        return self.run.signature is None and self.run.abandonment is None

    @property
    def complete(self) -> bool:
        """Every step has its point."""
        return all(step.point for step in self.steps)

    @property
    def current(self) -> StepView | None:
        """The first step without a point."""
        return next((step for step in self.steps if step.point is None), None)

    def step(self, key: str) -> StepView:
        """The step of this key."""
        for step in self.steps:
            if step.key == key:
                return step
        raise NotFound(f"This run has no step {key!r}.")


@dataclass(frozen=True)
class TakePoint:
    """A point to be accepted: from the device, or typed."""

    point_id: uuid.UUID
    step: str
    typed_mv: float | None = None
    typed_temperature_c: float | None = None
    device: bool = True
    unsettled_reason: str = ""
    deviations: Sequence[str] = field(default_factory=tuple)


@dataclass(frozen=True)
class Calibrations:
    """Use cases around calibrations of pH probes."""

    database: Database
    clock: Clock

    def begin(self, begin: Begin, person: Person) -> uuid.UUID:
        """Begin a run; the same id twice begins it once.

        Raises
        ------
        InvalidInput
            With every choice that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            wrong: dict[str, str] = {}
            probe = session.get(Probe, begin.probe_id) if begin.probe_id else None
            if probe is None:
                wrong["probe"] = "Choose the probe to calibrate."
            if begin.rinse not in rinses():
                wrong["rinse"] = "Choose how you rinse between solutions."
            waters = _waters(session, begin.site_ids)
            side_alkaline = waters is None or (waters[0] + waters[1]) / 2 >= 7.0
            school = method(begin.method_code)
            if waters is None and any(s.role is Role.WATER_SIDE for s in school.steps):
                wrong["sites"] = "This school calibrates on the water's side: choose the sites of the day."
            steps = school.steps_for(water_is_alkaline=side_alkaline)
            chosen = _chosen_lots(session, begin.lots, {s.role for s in steps}, wrong)
            if begin.new_electrode and sum(s.use is Use.ADJUST for s in steps) < 3:
                wrong["method"] = "A new electrode's first run needs three adjusted points: choose that school."
            if wrong or probe is None:
                raise InvalidInput(wrong)
            frozen = school.frozen(
                water_is_alkaline=side_alkaline, rinse=rinses()[begin.rinse], holds_days=upkeep.holding_of(probe)
            )
            row = run_row(begin, probe, frozen, chosen, waters, person, at=self.clock.now())
            queries.add_once(session, CalibrationRun, row)
        return begin.run_id

    def open_runs(self) -> Sequence[CalibrationRun]:
        """Runs begun and neither signed nor given up."""
        with self.database.session() as session:
            return queries.open_runs(session)

    def view(self, run_id: uuid.UUID, *, traces: bool = False) -> RunView:
        """The run with its progress, line and findings so far; as signed once it is."""
        with self.database.session() as session:
            return self._view(session, _run(session, run_id, traces=traces))

    def lens(self, run_id: uuid.UUID, step: str) -> Lens:
        """The raw signal, compared with what the step's buffer must give by the probe's last line."""
        view = self.view(run_id)
        chosen = view.step(step)
        buffers = {s.key: lines.buffer_of(s.lot) for s in view.steps}
        names = {s.key: f"the {s.role} buffer, {s.lot.buffer_ph:.2f}" for s in view.steps}

        def look(mv: float, temperature_c: float) -> BufferLook:
            values = {k: value_or_none(b, temperature_c) or b.nominal_ph for k, b in buffers.items()}
            others = [(names[k], v) for k, v in values.items() if k != chosen.key]
            return look_at_signal(mv, temperature_c, values[chosen.key], view.previous, others)

        return Lens(look=look)

    def immerse(self, run_id: uuid.UUID, immersion_id: uuid.UUID, step: str, person: Person) -> None:
        """Say that the probe is in the buffer of a step: the trace of its point begins now."""
        may_record(person)
        with self.database.session() as session:
            run = _run(session, run_id)
            _step_of(run, step)
            device = run.probe.device
            queries.add_once(
                session,
                CalibrationImmersion,
                {
                    "id": immersion_id,
                    "run_id": run_id,
                    "step": step,
                    "at": self.clock.now(),
                    "after_seq": queries.last_sample_seq(session, device.id) if device else 0,
                },
            )

    def take(self, run_id: uuid.UUID, take: TakePoint, person: Person) -> None:
        """Accept a point of a step; a point that stands already is superseded, not changed.

        Raises
        ------
        InvalidInput
            Where the signal has not settled and no reason is given, or a typed value can't be.
        """
        may_record(person)
        with self.database.session() as session:
            run = _run(session, run_id)
            if session.get(CalibrationPoint, take.point_id) is not None:
                return
            step = _step_of(run, take.step)
            lot = session.get_one(Lot, uuid.UUID(run.lots[take.step]))
            signal = _device_signal(session, run, take) if take.device else _typed_signal(take)
            row = point_row(
                take.point_id, run_id, person, step, lot, signal, at=self.clock.now(), today=self.clock.today()
            )
            row |= {"source": Source.DEVICE if take.device else Source.TYPED_MV, "deviations": _deviations(take)}
            added = queries.add_once(session, CalibrationPoint, row)
            if added and signal.times_s:
                queries.add_once(session, CalibrationTrace, trace_row(take.point_id, signal))

    def sign(self, run_id: uuid.UUID, person: Person, note: str = "") -> None:
        """Finish a run: its line and its findings are kept as they are now."""
        may_record(person)
        with self.database.session() as session:
            run = _run(session, run_id)
            if run.signature is not None:
                return
            view = self._view(session, run)
            points = [lines.judged_point(p) for p in lines.standing_points(run)]
            if view.fit is None:
                raise InvalidInput({"sign": "Take at least one point that the line is adjusted to, then sign."})
            row = signature_row(run_id, person, view.fit, view.findings, points, at=self.clock.now(), note=note)
            queries.add_once(session, CalibrationSignature, row)
            for row in lines.finding_rows(view.findings):
                queries.add_once(session, CalibrationFinding, {"run_id": run_id, **row})

    def abandon(self, run_id: uuid.UUID, person: Person, reason: str) -> None:
        """Give a run up; what was taken stays on record."""
        may_record(person)
        if not reason.strip():
            raise InvalidInput({"reason": "Say in a few words why the run is given up; the points stay on record."})
        with self.database.session() as session:
            run = _run(session, run_id)
            if run.abandonment is None:
                queries.add_once(
                    session,
                    CalibrationAbandonment,
                    {"run_id": run_id, "person_id": person.id, "at": self.clock.now(), "reason": reason.strip()},
                )

    def amend(self, run_id: uuid.UUID, amendment_id: uuid.UUID, person: Person, reason: str, *, withdraw: bool) -> None:
        """Add a note to a signed run, or withdraw it as a basis for readings."""
        may_record(person)
        if withdraw:
            may_withdraw(person)
        if not reason.strip():
            raise InvalidInput({"reason": "An amendment needs its reason in words."})
        with self.database.session() as session:
            run = _run(session, run_id)
            if run.signature is None:
                raise InvalidInput({"reason": "Only a signed calibration is amended; this one is still open."})
            queries.add_once(
                session,
                CalibrationAmendment,
                {
                    "id": amendment_id,
                    "run_id": run_id,
                    "person_id": person.id,
                    "at": self.clock.now(),
                    "kind": AmendmentKind.WITHDRAWAL if withdraw else AmendmentKind.NOTE,
                    "reason": reason.strip(),
                },
            )

    def _view(self, session: Session, run: CalibrationRun) -> RunView:
        lots = {lot.id: lot for lot in queries.lots(session)}
        points = lines.standing_points(run)
        by_step = {p.step: p for p in points}
        steps = tuple(
            _step_view(run, data, lots[uuid.UUID(run.lots[data["key"]])], by_step.get(data["key"]))
            for data in run.method["steps"]
        )
        previous = lines.previous_full_run(session, run.probe_id, run.started_at)
        fit, findings = judge_points(run.method, points, previous, waters_of(run))
        level = verdict(findings) if findings else None
        if run.signature is not None:
            findings, level = lines.stored_findings(run.findings), Level(run.signature.level)
        return RunView(
            run=run,
            steps=steps,
            fit=fit,
            findings=tuple(findings),
            level=level,
            previous=previous.fit if previous else None,
            withdrawn=any(a.kind == AmendmentKind.WITHDRAWAL for a in run.amendments),
        )


def _run(session: Session, run_id: uuid.UUID, *, traces: bool = False) -> CalibrationRun:
    run = queries.run_in_full(session, run_id, traces=traces)
    if run is None:
        raise NotFound("There is no such calibration.")
    return run


def _step_of(run: CalibrationRun, key: str) -> dict[str, Any]:
    for step in run.method["steps"]:
        if step["key"] == key:
            return dict(step)
    raise NotFound(f"This run has no step {key!r}.")


def _step_view(run: CalibrationRun, data: dict[str, Any], lot: Lot, point: CalibrationPoint | None) -> StepView:
    immersions = [i for i in run.immersions if i.step == data["key"]]
    return StepView(
        key=data["key"],
        role=Role(data["role"]),
        use=Use(data["use"]),
        lot=lot,
        point=point,
        immersion=immersions[-1] if immersions else None,
        value_ph=point.buffer_ph if point else value_or_none(lines.buffer_of(lot), 25.0),
        repeats=sum(p.step == data["key"] for p in run.points) - 1,
    )


def _waters(session: Session, site_ids: Sequence[uuid.UUID]) -> tuple[float, float] | None:
    sites = [site for site_id in site_ids if (site := session.get(Site, site_id))]
    reaches = [reach for site in sites if (reach := site.expected("pH"))]
    return (min(low for low, _ in reaches), max(high for _, high in reaches)) if reaches else None


def _chosen_lots(
    session: Session, wanted: Mapping[str, uuid.UUID | None], roles: set[Role], wrong: dict[str, str]
) -> dict[Role, Lot]:
    chosen: dict[Role, Lot] = {}
    for role in sorted(roles):
        lot_id = wanted.get(role)
        lot = session.get(Lot, lot_id) if lot_id else None
        if lot is None:
            wrong[f"lot_{role}"] = f"Choose the lot of the {role} buffer."
        elif not role.admits(lot.buffer_ph):
            wrong[f"lot_{role}"] = f"A buffer of pH {lot.buffer_ph:.2f} can't be the {role} one: choose another lot."
        else:
            chosen[role] = lot
    return chosen


def _device_signal(session: Session, run: CalibrationRun, take: TakePoint) -> Signal:
    immersions = [i for i in run.immersions if i.step == take.step]
    if run.probe.device is None or not immersions:
        raise InvalidInput({"device": "Put the probe into the buffer first, then take the point."})
    signal = signal_since(session, run.probe.device.id, immersions[-1].after_seq, CALIBRATION_PH)
    if signal.acceptance is Acceptance.UNSETTLED and not take.unsettled_reason.strip():
        raise InvalidInput(
            {"device": f"Not stable yet. {signal.words} Wait, or take it with a reason; the reason stays on record."}
        )
    return signal


def _typed_signal(take: TakePoint) -> Signal:
    wrong: dict[str, str] = {}
    mv, temperature_c = take.typed_mv, take.typed_temperature_c
    check_number(wrong, "mv", mv, MILLIVOLT_RANGE, "mV")
    check_number(wrong, "temperature_c", temperature_c, TEMPERATURE_RANGE_C, "°C")
    if wrong or mv is None or temperature_c is None:
        raise InvalidInput(wrong)
    return Signal(mv, temperature_c, Acceptance.BY_EYE, "Typed by hand; settling was judged by eye.")


def _deviations(take: TakePoint) -> list[str]:
    found = [d.strip() for d in take.deviations if d.strip()]
    if take.unsettled_reason.strip():
        found.append(f"taken before it settled: {take.unsettled_reason.strip()}")
    return found
