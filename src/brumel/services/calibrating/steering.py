"""Probes that steer something: it is paused before they leave the water, and handed back after a passed check only."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import date, datetime

from sqlalchemy.orm import Session

from brumel.core.calibrating.procedure import StepKind, steps_of
from brumel.core.findings import Level
from brumel.core.kit.care import Care
from brumel.core.kit.kinds import ProbeKind
from brumel.core.sensing.run import Came, Use
from brumel.services.calibrating.shown import begun_last, run_view
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput
from brumel.services.probes import what_it_is
from brumel.services.probes.care_log import NewCare, care_row
from brumel.store.add_fact import add_once
from brumel.store.models.calibration import CalibrationRun, CalibrationStep, KeptBy
from brumel.store.models.care import CareRecord
from brumel.store.models.reference import Person, Probe
from brumel.store.queries import care as care_queries
from brumel.store.queries import run as run_queries

_OF_STEERING = (Care.PAUSED, Care.HANDED_BACK)
NOT_BACK = "Hand back only after a check has passed: take it, and mend what it finds."


def open_pauses(session: Session, probe_id: uuid.UUID | None = None) -> Sequence[CareRecord]:
    """Return what is paused and not handed back, of all probes or one: the entries of the care log that say so."""
    return [r for r in care_queries.newest_of(session, _OF_STEERING, probe_id) if r.care == Care.PAUSED]


def pause_of(session: Session, probe_id: uuid.UUID) -> CareRecord | None:
    """Return the open pause of what a probe steers; None where nothing is paused."""
    return next(iter(open_pauses(session, probe_id)), None)


def passed_since(session: Session, probe_id: uuid.UUID, since: datetime, today: date) -> bool:
    """Say whether a check of the probe has passed since a moment, after its last adjustment, and nothing is unfit."""
    runs = (run_queries.run_in_full(session, key) for key in run_queries.runs_with_points(session, probe_id, since))
    newest = next((r for r in runs if r is not None and r.abandonment is None), None)
    return newest is not None and _passed(session, newest, since, today)


def _passed(session: Session, run: CalibrationRun, since: datetime, today: date) -> bool:
    view = run_view(session, run, today)
    if run.kept_by == KeptBy.METER:
        return view.level is Level.SOUND
    taken = [(s, s.point) for s in view.steps if s.point]
    adjusted = max((p.ordinal for s, p in taken if s.step.use is Use.ADJUST), default=-1)
    checks = [
        s
        for s, p in taken
        if s.step.use is Use.CHECK and s.step.came is not Came.AS_IT_CAME  # what it brought along is no check of it
        and p.ordinal > adjusted and p.taken_at >= since
    ]  # fmt: skip
    return bool(checks) and all(s.level is Level.SOUND for s in checks) and view.level is not Level.UNFIT


def check_log(session: Session, probe_id: uuid.UUID, kind: ProbeKind, new: NewCare, clock: Clock) -> None:
    """Refuse an entry of the log by which something would be paused twice, or handed back too early."""
    if new.care not in _OF_STEERING:
        return
    pause = pause_of(session, probe_id)
    if new.care == Care.PAUSED and pause is not None:
        since = clock.said(pause.at)
        raise InvalidInput({"care": f"It is paused already, since {since} by {pause.person.name}."})
    if new.care == Care.HANDED_BACK:
        if pause is None:
            raise InvalidInput({"care": f"Nothing is paused: {kind.steers} needs no handing back."})
        if not passed_since(session, probe_id, pause.at, clock.today()):
            raise InvalidInput({"care": NOT_BACK})


def check_step(session: Session, run: CalibrationRun, kind: StepKind, today: date) -> None:
    """Refuse a step before what the probe steers is paused, and handing it back before a check has passed."""
    if kind is StepKind.HAND_BACK:
        pause = pause_of(session, run.probe_id)
        if not passed_since(session, run.probe_id, pause.at if pause else run.started_at, today):
            raise InvalidInput({"step": NOT_BACK})
    elif kind is not StepKind.PAUSE and (words := _not_paused(run)):
        raise InvalidInput({"device": words})


def _not_paused(run: CalibrationRun) -> str:
    pauses = (s for s in steps_of(run.method) if s.kind is StepKind.PAUSE)
    waiting = next((s for s in pauses if begun_last(run, s.key) is None), None)
    return f"{waiting.words} Say that it is done, then go on." if waiting else ""


def paused_already(session: Session, probe: Probe, person: Person, now: datetime) -> None:
    """Say in a probe's open run that pausing is done, where the probe's log says so: it was paused by hand."""
    if not what_it_is.kind_of(probe).steers or pause_of(session, probe.id) is None:
        return
    for run in run_queries.open_runs(session, probe.id):
        for step in steps_of(run.method):
            if step.kind is StepKind.PAUSE and begun_last(run, step.key) is None:
                row = {"id": uuid.uuid5(run.id, step.key), "run_id": run.id, "person_id": person.id, "step": step.key,
                       "at": now, "after_seq": 0}  # fmt: skip
                add_once(session, CalibrationStep, row, told=("run_id", "step"))


def log_step(
    session: Session, run: CalibrationRun, kind: StepKind, person: Person, *, key: uuid.UUID, now: datetime, note: str
) -> None:
    """Log with the probe that what it steers was paused, or handed back, at a step of a run."""
    care = {StepKind.PAUSE: Care.PAUSED, StepKind.HAND_BACK: Care.HANDED_BACK}.get(kind)
    about, paused = what_it_is.kind_of(run.probe), pause_of(session, run.probe_id) is not None
    if care is None or not about.steers or paused is (care == Care.PAUSED):
        return
    new = NewCare(uuid.uuid5(key, str(care)), str(care), detail=about.steers, note=note)
    add_once(session, CareRecord, care_row(new, about, run.probe_id, person, at=now))
