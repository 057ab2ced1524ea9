"""A calibration as the bench and the ledger show it: its steps, its response and its findings so far."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime

from sqlalchemy.orm import Session

from brumel.core.calibrating.comparing import level_of_point
from brumel.core.calibrating.judging import principle_of
from brumel.core.calibrating.procedure import Step, StepKind, steps_of
from brumel.core.findings import Finding, Level, verdict
from brumel.core.kit.shelf import out_of_date
from brumel.core.numbers.series import Series
from brumel.core.place.conditions import Conditions
from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.place.water import Compensation
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.principles import derived_from
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import Came, PreviousRun, Use
from brumel.core.standards.buffers import COMBINED, LABEL_TEMPERATURE_C
from brumel.core.uncertainty import Budget
from brumel.core.wording import signed
from brumel.core.words.catalogue import word
from brumel.services.calibrating import judged_run, run_responses
from brumel.services.calibrating.as_found import AsFound, as_found_of
from brumel.services.calibrating.rows import (
    judge_points,
)
from brumel.services.calibrating.superseded import Superseded, superseded_points
from brumel.services.errors import NotFound
from brumel.services.live.channels import signal_positions_of
from brumel.services.probes import run_facts, what_it_is
from brumel.services.said import stored_findings
from brumel.services.shelf import lot_words
from brumel.store.models.calibration import (
    AmendmentKind,
    CalibrationCoefficient,
    CalibrationPoint,
    CalibrationRun,
    CalibrationStep,
    KeptBy,
    RunEntryKind,
)
from brumel.store.models.reference import Lot, Person
from brumel.store.queries import shelf as shelf_queries
from brumel.store.series_blocks import series_of


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
    off: float | None = None
    """How far its point is off its target by the response so far, in the quantity's unit."""

    @property
    def trace(self) -> Series:
        """The samples that its point was taken from; none where it was typed, or where they were not loaded."""
        return series_of(self.point.blocks if self.point else ())

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
    superseded: tuple[Superseded, ...] = ()
    """Points that were repeated or dropped, with what spoke against them."""
    as_found: AsFound | None = None
    """What it found before anything was adjusted; None before it is signed."""

    @property
    def cups(self) -> list[judged_run.Cup]:
        """The standards of its steps."""
        return _cups(self.steps)

    @property
    def kept_by_meter(self) -> bool:
        """Whether a meter keeps it."""
        return self.run.kept_by == KeptBy.METER

    @property
    def adjusts(self) -> bool:
        """Whether it adjusts its probe, or only checks it."""
        return run_facts.adjusts(self.run)

    @property
    def compares(self) -> bool:
        """Whether its points are taken beside an instrument."""
        return any(s.step.kind is StepKind.COMPARE for s in self.steps)

    @property
    def coefficients(self) -> list[CalibrationCoefficient]:
        """What it adjusted, as it was signed and as people want to hear it; none of a check."""
        known = {c.key: c for c in self.run.coefficients} if self.adjusts else {}
        return [known[c.key] for c in self.principle.ordered if c.key in known] if known else []

    @property
    def principle(self) -> Principle:
        """How the probe senses."""
        return principle_of(self.run.method)

    @property
    def quantity(self) -> Quantity:
        """What it senses."""
        return quantity(self.principle.quantity)

    @property
    def waters(self) -> Quantity:
        """What its waters are told by."""
        return quantity(what_it_is.kind_of(self.run.probe).quantity)

    @property
    def waters_reach(self) -> tuple[float, float] | None:
        """The range of its waters."""
        return run_facts.waters_of(self.run)

    @property
    def place(self) -> Surroundings:
        """What is known of the place where it is made."""
        return run_facts.place_of(self.run)

    @property
    def conditions(self) -> Conditions:
        """At the mean temperature of its points."""
        points = [s.point for s in self.steps if s.point]
        mean = sum(p.temperature_c for p in points) / len(points) if points else LABEL_TEMPERATURE_C
        return run_facts.where(self.run, mean)

    @property
    def pressure(self) -> Pressure | None:
        """The pressure that was given for the place."""
        return self.place.pressure

    @property
    def pressure_at_first(self) -> Pressure | None:
        """The pressure that was said at its beginning, where it was put right since."""
        first = Surroundings.of(self.run.method.get("conditions")).pressure
        return None if first == self.pressure else first

    def target_words(self, target: float | None, temperature_c: float) -> str:
        """What a target is at a temperature in the quantities that people read; empty where nothing but itself."""
        if not target or self.pressure is None:
            return ""
        at = run_facts.where(self.run, temperature_c)
        derived = derived_from(self.principle, target, Budget(()), at, Compensation())
        words = ", ".join(f"{d.value:.2f} {d.unit} {quantity(d.quantity).note}".rstrip() for d in derived)
        here = f"{target:.2f} {self.quantity.unit} of saturation at {self.pressure.hpa:.1f} hPa"
        return f"At {signed(temperature_c)} °C, S 0: {here}, {words}."

    @property
    def checks(self) -> list[tuple[str, str]]:
        """How far each check was off, and off what."""
        within = run_facts.tolerances_of(self.run).residual
        return [
            (
                str(word(within.off(s.off, s.point.target, self.quantity))),
                f"off the {self.quantity.words(s.point.target)} of {s.label}",
            )
            for s in self.steps
            if s.step.use is Use.CHECK
            and s.step.came is not Came.AS_IT_CAME
            and s.off is not None
            and s.point is not None
        ]

    @property
    def combined(self) -> bool:
        """Whether it was made in a solution that has another value too."""
        return any(s.lot is not None and s.lot.family == COMBINED for s in self.steps)

    @property
    def on_line(self) -> bool:
        """Whether a device gives the probe's signal."""
        return signal_positions_of(self.run.probe) is not None

    @property
    def open(self) -> bool:
        """Neither signed nor given up."""
        return self.run.signature is None and self.run.abandonment is None

    @property
    def complete(self) -> bool:
        """Every step is done."""
        return all(step.done for step in self.steps)

    @property
    def holder(self) -> Holder:
        """Who is at the probe, since when."""
        return holder_of(self.run)

    @property
    def current(self) -> StepView | None:
        """The first step that is not done."""
        return next((step for step in self.steps if not step.done), None)

    def step(self, key: str) -> StepView:
        """Return the step of this key."""
        for step in self.steps:
            if step.key == key:
                return step
        raise NotFound(f"This run has no step {key!r}.")


def run_view(session: Session, run: CalibrationRun, today: date) -> RunView:
    """Return a run as it is now, judged anew until it is signed."""
    withdrawn = any(a.kind == AmendmentKind.WITHDRAWAL for a in run.amendments)
    found = as_found_of(session, [run]).get(run.id)
    if run.kept_by == KeptBy.METER:
        level = Level(run.signature.level) if run.signature else None
        return RunView(run, (), None, tuple(stored_findings(run.findings)), level, None, withdrawn, as_found=found)
    lots = {lot.id: lot for lot in shelf_queries.lots(session)}
    points = run_facts.standing_points(run)
    by_step = {p.step: p for p in points}
    steps = tuple(_step_view(run, step, lots, by_step.get(step.key), today) for step in steps_of(run.method))
    previous: PreviousRun | None = run_responses.previous_run(session, run)
    if run.signature is None:
        response, findings = judge_points(run, points, previous)
        level = verdict(findings) if findings else None
    else:
        response, level = run_responses.signed_response(run), Level(run.signature.level)
        findings = stored_findings(run.findings)
    if previous is None:
        expected = Response.usual(principle_of(run.method))
    else:
        expected = previous.response
    tolerances = run_facts.tolerances_of(run)
    judged = {p.step: j for p, j in zip(points, judged_run.judged_points(run, points), strict=True)}
    marks = {key: level_of_point(j, tolerances, expected, response) for key, j in judged.items()}
    off = {
        key: response.value(j.point.signal, j.point.at) - j.point.value if response else None
        for key, j in judged.items()
    }
    return RunView(
        run=run,
        steps=tuple(replace(s, level=marks.get(s.key, Level.SOUND), off=off.get(s.key)) for s in steps),
        response=response,
        findings=tuple(findings),
        level=level,
        previous=previous.response if previous else None,
        withdrawn=withdrawn,
        superseded=tuple(superseded_points(run, previous, expected, findings, _cups(steps))),
        as_found=found,
    )


def _cups(steps: Iterable[StepView]) -> list[judged_run.Cup]:
    return [judged_run.Cup(s.step, s.lot, s.label) for s in steps if s.lot is not None]


def _step_view(
    run: CalibrationRun, step: Step, lots: Mapping[uuid.UUID, Lot], point: CalibrationPoint | None, today: date
) -> StepView:
    begun = begun_last(run, step.key)
    taken_from = {p.begun_id for p in run.points}
    lot = point.lot if point else lots.get(uuid.UUID(run.lots[step.key])) if step.key in run.lots else None
    aim = None
    if point is not None:
        aim = point.target
    elif lot is not None or step.target is not None:
        aim = lot_words.aim_of(step, lot, run_facts.where(run, LABEL_TEMPERATURE_C)).value
    return StepView(
        step=step,
        lot=lot,
        label=step.label or (lot_words.label_value(lot) if lot else ""),
        point=point,
        begun=begun if begun and begun.id not in taken_from else None,
        target=aim,
        cautions=tuple(lot_findings(lot, today)) if lot else (),
        repeats=sum(p.step == step.key for p in run.points) - 1,
    )


@dataclass(frozen=True)
class Holder:
    """Who is at the probe of an open run, and since when; ``note`` says why, where it was taken over."""

    person: Person
    since: datetime
    note: str = ""

    @property
    def person_id(self) -> uuid.UUID:
        """Their key."""
        return self.person.id


def holder_of(run: CalibrationRun) -> Holder:
    """Say who began a run, or took it over last."""
    over = next((e for e in reversed(run.entries) if e.kind == RunEntryKind.TAKEN_OVER), None)
    return Holder(over.person, over.at, over.reason) if over else Holder(run.person, run.started_at)


def begun_last(run: CalibrationRun, step: str) -> CalibrationStep | None:
    """Say when a step was begun last."""
    return next((b for b in reversed(run.begun) if b.step == step), None)


def lot_findings(lot: Lot, today: date) -> list[Finding]:
    """Return what speaks against a lot today."""
    facts = lot_words.lot_facts(lot)
    return out_of_date(facts.days_expired(today), facts.days_over_open(today))
