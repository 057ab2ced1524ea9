"""Calibrating a probe: begin, put into the standards, take points, sign; and what may be added later."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.calibrating.procedure import StepKind
from brumel.core.plan.order import HouseOrder
from brumel.core.said import says
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import CupLook
from brumel.core.words.catalogue import word
from brumel.services.acts import act
from brumel.services.cached.remembered import cached
from brumel.services.calibrating import beginning, judged_run, steering
from brumel.services.calibrating.beginning import (
    Choices,
    Hints,
    PutRight,
    choices_for,
    hints_for,
    new_run_row,
    put_right_row,
    refuse_unchanged,
)
from brumel.services.calibrating.rows import (
    Begin,
    coefficient_rows,
    signature_row,
)
from brumel.services.calibrating.shown import RunView, holder_of, run_view
from brumel.services.calibrating.taking import TakePoint, step_of, taken, told
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.live.channels import signal_positions_of
from brumel.services.live.signal import Lens
from brumel.services.people import may_record, may_withdraw
from brumel.services.probes import run_facts
from brumel.services.probes.what_it_is import stored_probe
from brumel.services.said import finding_rows
from brumel.services.shelf import lot_words
from brumel.store.add_fact import add_new, add_once, refuse_other, stands
from brumel.store.database import Database, hold
from brumel.store.models.calibration import (
    AmendmentKind,
    CalibrationAbandonment,
    CalibrationAmendment,
    CalibrationCoefficient,
    CalibrationEntry,
    CalibrationFinding,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    CalibrationStep,
    RunEntryKind,
)
from brumel.store.models.reference import Person, Probe
from brumel.store.models.series import SeriesBlock
from brumel.store.queries import device as device_queries
from brumel.store.queries import run as run_queries
from brumel.store.series_blocks import block_rows


@dataclass(frozen=True)
class Calibrations:
    """Use cases around calibrations of probes of every kind."""

    database: Database
    clock: Clock
    order: HouseOrder

    @act(probe="begin.probe_id", run="begin.run_id")
    def begin(self, begin: Begin, person: Person) -> uuid.UUID:
        """Begin a run; the same id twice begins it once.

        Raises
        ------
        InvalidInput
            With every choice that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            if not stands(session, CalibrationRun, {"id": begin.run_id}, {}):
                _refuse_second(session, begin.probe_id, self.clock)
            row = new_run_row(session, begin, person, self.clock, self.order)
            add_once(session, CalibrationRun, row, told=("probe_id", "method_code", "rinse", "lots"))
            steering.paused_already(session, session.get_one(Probe, row["probe_id"]), person, self.clock.now())
        return begin.run_id

    @cached
    def choices(self, probe_id: uuid.UUID) -> Choices:
        """Return what a run with a probe can go on with, lots in date first."""
        with self.database.session() as session:
            return choices_for(session, stored_probe(session, probe_id), self.clock.now(), self.clock.today())

    @cached
    def before(self, probe_id: uuid.UUID, site_ids: tuple[uuid.UUID, ...] = ()) -> tuple[Choices, Hints]:
        """Return what a run with a probe can begin with, for the waters of these sites, and what is told before."""
        with self.database.session() as session:
            probe = stored_probe(session, probe_id)
            choices = choices_for(session, probe, self.clock.now(), self.clock.today(), site_ids)
            return choices, hints_for(session, probe, self.clock, self.order)

    @cached
    def same_pour(self, run_id: uuid.UUID) -> Sequence[Probe]:
        """Return probes of the kit that the bottle of a run serves too: a combined solution has two values."""
        with self.database.session() as session:
            return beginning.same_pour(session, _run(session, run_id))

    @cached
    def open_runs(self) -> Sequence[CalibrationRun]:
        """Return runs begun and neither signed nor given up."""
        with self.database.session() as session:
            return run_queries.open_runs(session)

    @cached
    def view(self, run_id: uuid.UUID, *, traces: bool = False) -> RunView:
        """Return the run with its progress, line and findings so far; as signed once it is."""
        with self.database.session() as session:
            return run_view(session, _run(session, run_id, traces=traces), self.clock.today())

    def lens(self, run_id: uuid.UUID, step: str) -> Lens:
        """Return the raw signal, compared with what the step's standard must give by the probe's last response."""
        view = self.view(run_id)
        chosen = view.step(step)
        others = [cup for cup in view.cups if cup.step.key != step]
        response = view.previous or Response.usual(view.principle)

        @cache
        def words_at(target: float, temperature_c: float) -> str:
            return view.target_words(target, temperature_c)

        def look(signal: float, temperature_c: float) -> CupLook:
            at = run_facts.where(view.run, temperature_c)
            aim = lot_words.aim_of(chosen.step, chosen.lot, at)
            found = judged_run.cup_look(view.run, signal, at, aim.value, response, others)
            besides = words_at(aim.value, round(temperature_c, 1))
            return replace(found, says=says("cup.besides", look=found.says, besides=besides) if besides else found.says)

        positions = signal_positions_of(view.run.probe)
        if positions is None:
            raise NotFound("This probe is not read by a device.")
        # What a bath is, only the instrument in it can tell.
        lots = tuple((s.key, s.lot.id) for s in view.steps if s.lot is not None)
        of = (run_id, step, lots, repr(run_facts.where(view.run, 25.0)), repr(view.run.probe.settings))
        return Lens(positions, look=None if chosen.step.kind is StepKind.COMPARE else look, of=of)

    @act(run="run_id")
    def begin_step(self, run_id: uuid.UUID, begun_id: uuid.UUID, step: str, person: Person, note: str = "") -> None:
        """Say that the probe is in the standard of a step, or that a step without a point is done.

        Raises
        ------
        InvalidInput
            Before what the probe steers is paused; for handing it back before a check has passed.
        """
        may_record(person)
        with self.database.session() as session:
            run = _run(session, run_id)
            _must_be_at_it(run, person, self.clock)
            chosen, now = step_of(run, step), self.clock.now()
            hold(session, run.probe_id)  # what it steers is paused once, whichever run says so
            steering.check_step(session, run, chosen.kind, self.clock.today())
            steering.log_step(session, run, chosen.kind, person, key=begun_id, now=now, note=note)
            device = run.probe.device
            add_once(
                session,
                CalibrationStep,
                {
                    "id": begun_id,
                    "run_id": run_id,
                    "person_id": person.id,
                    "step": step,
                    "at": now,
                    "after_seq": device_queries.last_sample_seq(session, device.id) if device else 0,
                },
                told=("run_id", "step"),
            )

    @act(run="run_id")
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
            if stands(session, CalibrationPoint, {"id": take.point_id}, told(run, take)):
                return
            _must_be_at_it(run, person, self.clock)
            step = step_of(run, take.step)
            steering.check_step(session, run, step.kind, self.clock.today())
            row, signal = taken(session, run, step, take, person, self.clock)
            added = add_once(session, CalibrationPoint, row)
            if added and signal.trace:
                blocks = block_rows(signal.trace, row["taken_at"], row["signal_unit"], point_id=take.point_id)
                add_new(session, SeriesBlock, blocks)

    @act(run="run_id")
    def take_typed(self, run_id: uuid.UUID, takes: Sequence[TakePoint], person: Person) -> dict[str, str]:
        """Take what was typed of several steps at once: what can be taken is, the rest is told by ``step-field``."""
        wrong: dict[str, str] = {}
        for take in takes:
            try:
                self.take(run_id, take, person)
            except InvalidInput as refused:
                wrong |= {f"{take.step}-{field}": words for field, words in refused.fields.items()}
        return wrong

    @act(run="run_id")
    def drop(self, run_id: uuid.UUID, entry_id: uuid.UUID, step: str, person: Person, reason: str) -> None:
        """Drop the point of a step: it stays on record and stands no more; the step is open again.

        Raises
        ------
        InvalidInput
            Without a reason, or a point that stands.
        """
        may_record(person)
        if not reason.strip():
            raise InvalidInput({"drop": "Say in a few words why the point is dropped; it stays on record."})
        with self.database.session() as session:
            run = _run(session, run_id)
            row = {"kind": RunEntryKind.DROPPED, "reason": reason.strip()}
            if stands(session, CalibrationEntry, {"id": entry_id}, {"run_id": run_id, **row}):
                return
            _must_be_at_it(run, person, self.clock)
            point = next((p for p in run_facts.standing_points(run) if p.step == step), None)
            if point is None:
                raise InvalidInput({"drop": "No point of this step stands: it was dropped already, or never taken."})
            add_once(
                session, CalibrationEntry, _entry_row(run, entry_id, person, self.clock) | row | {"point_id": point.id}
            )

    @act(run="run_id")
    def put_right(self, run_id: uuid.UUID, right: PutRight, person: Person) -> None:
        """Put a condition of an open run right: what was said at its beginning stays, its points are judged anew.

        Raises
        ------
        InvalidInput
            Without a reason, with a pressure that can't be, or where nothing differs.
        """
        may_record(person)
        with self.database.session() as session:
            run = _run(session, run_id)
            row = {"kind": RunEntryKind.PUT_RIGHT, "reason": right.reason.strip(), **put_right_row(session, run, right)}
            if stands(session, CalibrationEntry, {"id": right.entry_id}, {"run_id": run_id, **row}):
                return
            _must_be_at_it(run, person, self.clock)
            refuse_unchanged(run, row["conditions"])
            add_once(session, CalibrationEntry, _entry_row(run, right.entry_id, person, self.clock) | row)

    @act(run="run_id")
    def take_over(self, run_id: uuid.UUID, entry_id: uuid.UUID, person: Person, note: str) -> None:
        """Go on with a run that somebody else is at; who, when and why stays with it."""
        may_record(person)
        if not note.strip():
            raise InvalidInput({"take_over": "Say in a few words why you take over; it stays with the run."})
        with self.database.session() as session:
            run = _run(session, run_id)
            if holder_of(run).person_id == person.id:
                return
            row = {"kind": RunEntryKind.TAKEN_OVER, "reason": note.strip(), "point_id": None}
            add_once(session, CalibrationEntry, _entry_row(run, entry_id, person, self.clock) | row)

    @act(run="run_id")
    def sign(self, run_id: uuid.UUID, person: Person, note: str = "") -> None:
        """Finish a run: its response and its findings are kept as they are now, with the points that they rest on."""
        may_record(person)
        with self.database.session() as session:
            run = _run(session, run_id)
            if run.signature is not None:
                if run.signature.person_id != person.id:
                    raise InvalidInput({"sign": f"{run.signature.person.name} has signed it already."})
                refuse_other({"note": run.signature.note}, {"note": note.strip()})
                return
            _must_be_at_it(run, person, self.clock)
            view = run_view(session, run, self.clock.today())
            points = run_facts.standing_points(run)
            if view.response is None:
                raise InvalidInput({"sign": _why_none(view)})
            row = signature_row(
                run_id, person, view.response, view.findings, judged_run.judged_points(run, points),
                [p.id for p in points], at=self.clock.now(), note=note,
            )  # fmt: skip
            add_once(session, CalibrationSignature, row)
            for row in coefficient_rows(run_id, view.response):
                add_once(session, CalibrationCoefficient, row)
            for row in finding_rows(view.findings):
                add_once(session, CalibrationFinding, {"run_id": run_id, **row})

    @act(run="run_id")
    def abandon(self, run_id: uuid.UUID, person: Person, reason: str) -> None:
        """Give a run up; what was taken stays on record."""
        may_record(person)
        if not reason.strip():
            raise InvalidInput({"reason": "Say in a few words why the run is given up; the points stay on record."})
        with self.database.session() as session:
            _run(session, run_id)
            if stands(session, CalibrationAbandonment, {"run_id": run_id}, {"reason": reason.strip()}):
                return
            row = {"run_id": run_id, "person_id": person.id, "at": self.clock.now(), "reason": reason.strip()}
            add_once(session, CalibrationAbandonment, row)

    @act(run="run_id")
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
                told=("run_id", "kind", "reason"),
            )


def _run(session: Session, run_id: uuid.UUID, *, traces: bool = False) -> CalibrationRun:
    run = run_queries.run_in_full(session, run_id, traces=traces)
    if run is None:
        raise NotFound("There is no such calibration.")
    return run


def _refuse_second(session: Session, probe_id: uuid.UUID | None, clock: Clock) -> None:
    """Refuse a run of a probe that has one: it can stand in one cup."""
    for run in run_queries.open_runs(session, probe_id) if probe_id else ():
        at = holder_of(run)
        words = (
            f"{at.person.name} is at {run.probe.label} since {clock.said(at.since)}: go on with that run, or cancel it."
        )
        raise InvalidInput({"probe": words})


def _must_be_at_it(run: CalibrationRun, person: Person, clock: Clock) -> None:
    """Refuse what somebody does who is not at the probe; a closed run refuses by itself."""
    at = holder_of(run)
    if at.person_id != person.id and run.signature is None and run.abandonment is None:
        words = f"{at.person.name} is at {run.probe.label} since {clock.said(at.since)}: take over first."
        raise InvalidInput({"take_over": words})


def _entry_row(run: CalibrationRun, key: uuid.UUID, person: Person, clock: Clock) -> dict[str, Any]:
    return {"id": key, "run_id": run.id, "person_id": person.id, "at": clock.now(), "point_id": None}


def _why_none(view: RunView) -> str:
    """Say why a run has no response that could be signed, and what to do."""
    if view.findings:
        return f"{word(view.findings[0].says)} Take the points again, or cancel the calibration and say why."
    if view.run.checks_back:
        return "Clean the probe and read at least one standard once more, then sign."
    return "Take at least one point that the line is adjusted to, then sign."
