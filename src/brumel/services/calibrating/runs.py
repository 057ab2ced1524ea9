"""Calibrating a probe: begin, put into the standards, take points, sign; and what may be added later."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.calibrating.methods import Method, Step, StepKind, method, methods_of, rinses, roles, steps_of
from brumel.core.calibrating.run import CupLook, PreviousRun, level_of_point, look_at_signal
from brumel.core.findings import Acceptance, Finding, Level, verdict
from brumel.core.kit.shelf import out_of_date, standards
from brumel.core.quantities.ph import TEMPERATURE_RANGE_C
from brumel.core.quantities.quantity import Quantity, quantity, rule_of
from brumel.core.sensing.principle import Conditions, Principle
from brumel.core.sensing.principles import principle
from brumel.core.sensing.response import Response
from brumel.core.standards.buffers import LABEL_TEMPERATURE_C
from brumel.core.standards.targets import target
from brumel.core.wording import lower_first
from brumel.services.calibrating import stored
from brumel.services.calibrating.rows import (
    Begin,
    coefficient_rows,
    judge_points,
    point_row,
    run_row,
    signature_row,
    trace_row,
)
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound, check_number
from brumel.services.kit import upkeep
from brumel.services.kit.probes import stored_probe
from brumel.services.live.channels import positions_of
from brumel.services.live.signal import Lens, Signal, signal_since
from brumel.services.people import may_record, may_withdraw
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models.base import Source
from brumel.store.models.calibration import (
    AmendmentKind,
    CalibrationAbandonment,
    CalibrationAmendment,
    CalibrationCoefficient,
    CalibrationFinding,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    CalibrationStep,
    CalibrationTrace,
    KeptBy,
)
from brumel.store.models.reference import Lot, Person, Probe, Site
from brumel.store.once import add_once, stands


@dataclass(frozen=True)
class StepView:
    """One step of a run as the bench shows it."""

    step: Step
    lot: Lot | None
    """Of its point, else the one chosen for it; None where the step needs none."""
    label: str
    """What its standard is called."""
    point: CalibrationPoint | None
    begun: CalibrationStep | None
    """When it was begun last, and no point of it was taken since."""
    target: float | None
    """Value of the standard at the point's temperature, or at 25 °C before there is one."""
    cautions: tuple[Finding, ...]
    """What speaks against its lot."""
    repeats: int
    level: Level = Level.SOUND
    """The mark beside its point."""

    @property
    def key(self) -> str:
        """Its key within the run."""
        return self.step.key

    @property
    def done(self) -> bool:
        """Whether its point stands, or somebody said that it is done."""
        return self.point is not None if self.step.kind.has_point else self.begun is not None


@dataclass(frozen=True)
class RunView:
    """A run as the bench and the ledger show it."""

    run: CalibrationRun
    steps: tuple[StepView, ...]
    response: Response | None
    findings: tuple[Finding, ...]
    level: Level | None
    previous: Response | None
    withdrawn: bool

    @property
    def kept_by_meter(self) -> bool:
        """Whether a meter keeps it."""
        return self.run.kept_by == KeptBy.METER

    @property
    def adjusts(self) -> bool:
        """Whether it adjusts its probe, or only checks it."""
        return stored.adjusts(self.run)

    @property
    def principle(self) -> Principle:
        """How the probe senses."""
        return stored.principle_of(self.run.method)

    @property
    def quantity(self) -> Quantity:
        """What it senses."""
        return quantity(self.principle.quantity)

    @property
    def conditions(self) -> Conditions:
        """At the mean temperature of its points."""
        points = [s.point for s in self.steps if s.point]
        mean = sum(p.temperature_c for p in points) / len(points) if points else LABEL_TEMPERATURE_C
        return Conditions(mean, self.run.reference)

    @property
    def open(self) -> bool:
        """Neither signed nor given up."""
        return self.run.signature is None and self.run.abandonment is None

    @property
    def complete(self) -> bool:
        """Every step is done."""
        return all(step.done for step in self.steps)

    @property
    def current(self) -> StepView | None:
        """The first step that is not done."""
        return next((step for step in self.steps if not step.done), None)

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
    typed_signal: float | None = None
    typed_temperature_c: float | None = None
    device: bool = True
    unsettled_reason: str = ""
    deviations: Sequence[str] = field(default_factory=tuple)
    lot_id: uuid.UUID | None = None
    """Another lot than the one chosen at the beginning; None where that one was used."""


@dataclass(frozen=True)
class LotChoice:
    """A lot to choose, with what speaks against it."""

    lot: Lot
    label: str
    caution: str


@dataclass(frozen=True)
class Choices:
    """What there is to choose from to begin a run with a probe.

    ``lots`` by role; ``last`` is the method, rinse and lot of each role that it was calibrated with last.
    """

    methods: Sequence[Method]
    lots: Mapping[str, Sequence[LotChoice]]
    last: Mapping[str, str]
    why_not: str
    """Why it can't be calibrated here; empty where it can."""


@dataclass(frozen=True)
class Calibrations:
    """Use cases around calibrations of probes of every kind."""

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
            school = method(begin.method_code)
            if probe is None:
                wrong["probe"] = "Choose the probe to calibrate."
            else:
                wrong |= _unfitting(probe, school)
            not_ready = upkeep.why_not_ready(session, probe, self.clock.now()) if probe else ""
            if not_ready and not begin.despite.strip():
                wrong["despite"] = f"{not_ready} Or say why you calibrate it as it is; the reason stays on record."
            if begin.rinse not in rinses():
                wrong["rinse"] = "Choose how you rinse between solutions."
            waters = _waters(session, begin.site_ids, principle(school.principle).quantity)
            if waters is None and school.needs_waters:
                wrong["sites"] = "This school calibrates on the water's side: choose the sites of the day."
            chosen = _chosen_lots(session, begin.lots, school.steps_for(waters), wrong)
            if begin.new_sensor and school.adjusted < (most := _fullest(school.principle)):
                points = _NUMBERS.get(most, "all")
                wrong["method"] = f"A new electrode's first run needs {points} adjusted points: choose that school."
            if wrong or probe is None:
                raise InvalidInput(wrong)
            frozen = school.frozen(
                waters=waters, rinse=rinses()[begin.rinse], kind=probe.kind, holds_days=upkeep.holding_of(probe)
            )
            row = run_row(begin, probe, frozen, chosen, waters, person, at=self.clock.now(), not_ready=not_ready)
            add_once(session, CalibrationRun, row, told=("probe_id", "method_code", "rinse", "lots"))
        return begin.run_id

    def choices(self, probe_id: uuid.UUID) -> Choices:
        """What a run with a probe can begin with, lots in date first."""
        with self.database.session() as session:
            probe = stored_probe(session, probe_id)
            kind = upkeep.kind_of(probe)
            found = methods_of(kind.principle) if kind.principle else []
            wanted = {s.role for m in found for s in m.steps if s.role}
            wanted = {r for key in wanted for r in (roles()[key].lower, roles()[key].higher, key) if r in roles()}
            wanted = {key for key in roles() if key in wanted and roles()[key].middle is None}
            last = queries.newest_run(session, probe_id, self.clock.now())
            return Choices(found, self._lots(session, wanted), _last(last), "" if found else _why_not(kind.name))

    def _lots(self, session: Session, wanted: Collection[str]) -> dict[str, list[LotChoice]]:
        today = self.clock.today()
        found: dict[str, list[LotChoice]] = {}
        for key in (k for k in roles() if k in wanted):
            role = roles()[key]
            lots = [x for x in queries.lots(session, role.standard) if role.admits(x.standard, x.nominal)]
            choices = [LotChoice(x, stored.label_value(x), _caution(x, today)) for x in lots]
            choices.sort(key=lambda c: (bool(c.caution), c.lot.opened_on is None, c.lot.expires_on))
            found[key] = choices
        return found

    def open_runs(self) -> Sequence[CalibrationRun]:
        """Runs begun and neither signed nor given up."""
        with self.database.session() as session:
            return queries.open_runs(session)

    def view(self, run_id: uuid.UUID, *, traces: bool = False) -> RunView:
        """The run with its progress, line and findings so far; as signed once it is."""
        with self.database.session() as session:
            return self._view(session, _run(session, run_id, traces=traces))

    def lens(self, run_id: uuid.UUID, step: str) -> Lens:
        """The raw signal, compared with what the step's standard must give by the probe's last response."""
        view = self.view(run_id)
        chosen = view.step(step)
        others = [s for s in view.steps if s.lot is not None and s.key != step]
        tolerances = stored.tolerances_of(view.run)
        response = view.previous or Response.usual(view.principle)

        def look(signal: float, temperature_c: float) -> CupLook:
            at = Conditions(temperature_c, view.run.reference)
            values = [
                (f"the {s.step.role} {tolerances.standard}, {s.label}", _target(s.lot, at)) for s in others if s.lot
            ]
            assert chosen.lot is not None
            return look_at_signal(signal, at, _target(chosen.lot, at), response, tolerances, values)

        positions = positions_of(view.run.probe)
        if positions is None:
            raise NotFound("This probe is not read by a device.")
        return Lens(positions, look=look if chosen.lot else None)

    def begin_step(self, run_id: uuid.UUID, begun_id: uuid.UUID, step: str, person: Person) -> None:
        """Say that the probe is in the standard of a step, or that a step without a point is done.

        Raises
        ------
        InvalidInput
            For handing back what the probe steers before a check has passed.
        """
        may_record(person)
        with self.database.session() as session:
            run = _run(session, run_id)
            chosen = _step_of(run, step)
            if chosen.kind is StepKind.HAND_BACK and self._view(session, run).level is not Level.SOUND:
                raise InvalidInput(
                    {"step": "Hand back only after a check has passed: take it, and mend what it finds."}
                )
            device = run.probe.device
            add_once(
                session,
                CalibrationStep,
                {
                    "id": begun_id,
                    "run_id": run_id,
                    "person_id": person.id,
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
            if stands(session, CalibrationPoint, {"id": take.point_id}, _told(run_id, take)):
                return
            step = _step_of(run, take.step)
            lot = _lot_of(session, run, step, take)
            signal = _device_signal(session, run, take) if take.device else _typed_signal(run, take)
            row = point_row(
                take.point_id, run, person, step, lot, signal, at=self.clock.now(), today=self.clock.today()
            )
            begun = _begun(run, step.key)
            row |= {
                "source": Source.DEVICE if take.device else Source.TYPED_SIGNAL,
                "deviations": _deviations(take),
                "begun_id": begun.id if begun else None,
            }
            added = add_once(session, CalibrationPoint, row)
            if added and signal.times_s:
                add_once(session, CalibrationTrace, trace_row(take.point_id, signal))

    def sign(self, run_id: uuid.UUID, person: Person, note: str = "") -> None:
        """Finish a run: its response and its findings are kept as they are now, with the points that they rest on."""
        may_record(person)
        with self.database.session() as session:
            queries.lock_run(session, run_id)
            run = _run(session, run_id)
            if run.signature is not None:
                return
            view = self._view(session, run)
            points = stored.standing_points(run)
            if view.response is None:
                raise InvalidInput({"sign": "Take at least one point that the line is adjusted to, then sign."})
            for row in coefficient_rows(run_id, view.response):
                add_once(session, CalibrationCoefficient, row)
            row = signature_row(
                run_id, person, view.response, view.findings, stored.judged_points(run, points), [p.id for p in points],
                at=self.clock.now(), note=note,
            )  # fmt: skip
            add_once(session, CalibrationSignature, row)
            for row in stored.finding_rows(view.findings):
                add_once(session, CalibrationFinding, {"run_id": run_id, **row})

    def abandon(self, run_id: uuid.UUID, person: Person, reason: str) -> None:
        """Give a run up; what was taken stays on record."""
        may_record(person)
        if not reason.strip():
            raise InvalidInput({"reason": "Say in a few words why the run is given up; the points stay on record."})
        with self.database.session() as session:
            run = _run(session, run_id)
            if run.abandonment is None:
                add_once(
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
            add_once(
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
        withdrawn = any(a.kind == AmendmentKind.WITHDRAWAL for a in run.amendments)
        if run.kept_by == KeptBy.METER:
            level = Level(run.signature.level) if run.signature else None
            return RunView(run, (), None, tuple(stored.stored_findings(run.findings)), level, None, withdrawn)
        lots = {lot.id: lot for lot in queries.lots(session)}
        points = stored.standing_points(run)
        by_step = {p.step: p for p in points}
        today = self.clock.today()
        steps = tuple(_step_view(run, step, lots, by_step.get(step.key), today) for step in steps_of(run.method))
        previous: PreviousRun | None = stored.previous_full_run(session, run.probe_id, run.started_at)
        if run.signature is None:
            response, findings = judge_points(run, points, previous)
            level = verdict(findings) if findings else None
        else:
            response, level = stored.signed_response(run), Level(run.signature.level)
            findings = stored.stored_findings(run.findings)
        if previous is None:
            expected = Response.usual(stored.principle_of(run.method))
        else:
            expected = previous.response
        tolerances = stored.tolerances_of(run)
        marks = {
            p.step: level_of_point(judged, tolerances, expected, response)
            for p, judged in zip(points, stored.judged_points(run, points), strict=True)
        }
        return RunView(
            run=run,
            steps=tuple(replace(s, level=marks.get(s.key, Level.SOUND)) for s in steps),
            response=response,
            findings=tuple(findings),
            level=level,
            previous=previous.response if previous else None,
            withdrawn=withdrawn,
        )


def _run(session: Session, run_id: uuid.UUID, *, traces: bool = False) -> CalibrationRun:
    run = queries.run_in_full(session, run_id, traces=traces)
    if run is None:
        raise NotFound("There is no such calibration.")
    return run


def _unfitting(probe: Probe, school: Method) -> dict[str, str]:
    """Why a probe can't be calibrated by a method, by field."""
    kind = upkeep.kind_of(probe)
    if kind.holds_days is None:
        return {"probe": "This kind of probe is not calibrated: choose another."}
    if not kind.principle:
        return {"probe": _why_not(kind.name)}
    if school.principle != kind.principle:
        return {"method": f"This procedure is not for a {kind.name} probe: choose another."}
    if kind.own_reference and not probe.reference:
        return {"probe": f"Say on the page of {probe.label} which reference electrode it has, then calibrate."}
    return {}


def _step_of(run: CalibrationRun, key: str) -> Step:
    for step in steps_of(run.method):
        if step.key == key:
            return step
    raise NotFound(f"This run has no step {key!r}.")


def _step_view(
    run: CalibrationRun, step: Step, lots: Mapping[uuid.UUID, Lot], point: CalibrationPoint | None, today: date
) -> StepView:
    begun = _begun(run, step.key)
    taken_from = {p.begun_id for p in run.points}
    lot = point.lot if point else lots.get(uuid.UUID(run.lots[step.key])) if step.key in run.lots else None
    aim = None
    if point is not None:
        aim = point.target
    elif lot is not None:
        aim = _target(lot, Conditions(LABEL_TEMPERATURE_C, run.reference))
    return StepView(
        step=step,
        lot=lot,
        label=stored.label_value(lot) if lot else "",
        point=point,
        begun=begun if begun and begun.id not in taken_from else None,
        target=aim,
        cautions=tuple(_lot_findings(lot, today)) if lot else (),
        repeats=sum(p.step == step.key for p in run.points) - 1,
    )


def _begun(run: CalibrationRun, step: str) -> CalibrationStep | None:
    """When a step was begun last."""
    return next((b for b in reversed(run.begun) if b.step == step), None)


def _target(lot: Lot, at: Conditions) -> float:
    return target(stored.bottle(lot), at).value


def _waters(session: Session, site_ids: Sequence[uuid.UUID], key: str) -> tuple[float, float] | None:
    sites = [site for site_id in site_ids if (site := session.get(Site, site_id))]
    reaches = [reach for site in sites if (reach := site.expected(key))]
    return (min(low for low, _ in reaches), max(high for _, high in reaches)) if reaches else None


def _chosen_lots(
    session: Session, wanted: Mapping[str, uuid.UUID | None], steps: Sequence[Step], wrong: dict[str, str]
) -> dict[str, Lot]:
    chosen: dict[str, Lot] = {}
    for key in sorted({s.role for s in steps if s.role}):
        lot_id, role = wanted.get(key), roles()[key]
        lot = session.get(Lot, lot_id) if lot_id else None
        short = standards()[role.standard].short
        if lot is None:
            wrong[f"lot_{key}"] = f"Choose the lot of the {key} {short}."
        elif not role.admits(lot.standard, lot.nominal):
            wrong[f"lot_{key}"] = f"A {short} of {stored.label_words(lot)} can't be the {key} one: choose another lot."
        elif lot.discarded_on is not None:
            wrong[f"lot_{key}"] = f"This lot was discarded on {lot.discarded_on}: choose another."
        else:
            chosen[key] = lot
    return chosen


def _lot_of(session: Session, run: CalibrationRun, step: Step, take: TakePoint) -> Lot:
    """The lot that a point is taken from: the one named with it, else the one chosen for its step."""
    lot = session.get(Lot, take.lot_id or uuid.UUID(run.lots[step.key]))
    if lot is None or not roles()[step.role].admits(lot.standard, lot.nominal) or lot.discarded_on is not None:
        raise InvalidInput({"lot": f"This lot can't serve as the {step.role} standard: choose another."})
    return lot


def _lot_findings(lot: Lot, today: date) -> list[Finding]:
    facts = stored.lot_facts(lot)
    return out_of_date(facts.days_expired(today), facts.days_over_open(today))


def _caution(lot: Lot, today: date) -> str:
    return " ".join(f"{f.level}: {lower_first(f.sentence)}" for f in _lot_findings(lot, today))


def _fullest(principle: str) -> int:
    """So many points the fullest method of a principle adjusts to."""
    return max(m.adjusted for m in methods_of(principle))


_NUMBERS = {1: "one", 2: "two", 3: "three", 4: "four"}


def _why_not(kind: str) -> str:
    return f"A {kind} probe is not calibrated here yet: let its meter adjust itself, and enter what it reports."


def _last(run: CalibrationRun | None) -> dict[str, str]:
    """What the probe was calibrated with last: method, rinse, and the lot of each role."""
    if run is None:
        return {}
    lots = {f"lot_{s['role']}": run.lots[s["key"]] for s in run.method["steps"] if s["key"] in run.lots}
    return {"method": run.method_code, "rinse": run.rinse, **lots}


def _device_signal(session: Session, run: CalibrationRun, take: TakePoint) -> Signal:
    begun = _begun(run, take.step)
    positions = positions_of(run.probe)
    if run.probe.device is None or positions is None or begun is None:
        raise InvalidInput({"device": "Put the probe into the buffer first, then take the point."})
    rule = rule_of(stored.principle_of(run.method).quantity, calibrating=True)
    signal = signal_since(session, run.probe.device.id, begun.after_seq, rule, positions)
    if signal.acceptance is Acceptance.UNSETTLED and not take.unsettled_reason.strip():
        raise InvalidInput(
            {"device": f"Not stable yet. {signal.words} Wait, or take it with a reason; the reason stays on record."}
        )
    return signal


def _typed_signal(run: CalibrationRun, take: TakePoint) -> Signal:
    wrong: dict[str, str] = {}
    own = stored.principle_of(run.method)
    signal, temperature_c = take.typed_signal, take.typed_temperature_c
    check_number(wrong, "signal", signal, own.signal_range, own.signal_unit)
    check_number(wrong, "temperature_c", temperature_c, TEMPERATURE_RANGE_C, "°C")
    if wrong or signal is None or temperature_c is None:
        raise InvalidInput(wrong)
    return Signal(signal, temperature_c, Acceptance.BY_EYE, "Typed by hand; settling was judged by eye.")


def _told(run_id: uuid.UUID, take: TakePoint) -> dict[str, Any]:
    """What the form of a point itself says."""
    told: dict[str, Any] = {"run_id": run_id, "step": take.step, "deviations": _deviations(take)}
    if not take.device:
        told |= {"signal": take.typed_signal, "temperature_c": take.typed_temperature_c}
    return told


def _deviations(take: TakePoint) -> list[str]:
    found = [d.strip() for d in take.deviations if d.strip()]
    if take.unsettled_reason.strip():
        found.append(f"taken before it settled: {take.unsettled_reason.strip()}")
    return found
