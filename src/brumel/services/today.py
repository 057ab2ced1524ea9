"""The technician's day: the ribbon of time, and what to do next."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from sqlalchemy.orm import Session

from brumel.core.findings import Level
from brumel.services.catalog import ProbeState, holds, probe_state
from brumel.services.clock import Clock
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models import CalibrationRun, Probe, Reading, Site

_BEFORE, _AFTER = timedelta(hours=10), timedelta(hours=14)
_CALIBRATE_MINUTES = 12
_VISIT_MINUTES = 5


@dataclass(frozen=True)
class Span:
    """A stretch of a lane over which a calibration holds."""

    begin: datetime
    end: datetime
    level: Level
    run_id: uuid.UUID


@dataclass(frozen=True)
class Mark:
    """A reading or a calibration on a lane."""

    at: datetime
    level: Level
    kind: str
    record_id: uuid.UUID
    words: str


@dataclass(frozen=True)
class Lane:
    """One probe's strip of the ribbon."""

    state: ProbeState
    spans: tuple[Span, ...]
    marks: tuple[Mark, ...]


@dataclass(frozen=True)
class Ribbon:
    """The day as one strip of time."""

    begin: datetime
    now: datetime
    end: datetime
    lanes: tuple[Lane, ...]


class Action(StrEnum):
    """What a next step leads to."""

    RESUME = "resume"
    CALIBRATE = "calibrate"
    VISIT = "visit"


@dataclass(frozen=True)
class NextStep:
    """Something to do, why, and how long it takes."""

    action: Action
    target: uuid.UUID
    title: str
    why: str
    level: Level
    minutes: int


@dataclass(frozen=True)
class Day:
    """Today as its page shows it."""

    states: tuple[ProbeState, ...]
    steps: tuple[NextStep, ...]
    latest: tuple[tuple[Site, Reading | None], ...]


@dataclass(frozen=True)
class Today:
    """Use cases around the day."""

    database: Database
    clock: Clock

    def ribbon(self) -> Ribbon:
        """The strip of time from ten hours ago to fourteen hours ahead, computed from what is stored."""
        now = self.clock.now()
        begin, end = now - _BEFORE, now + _AFTER
        with self.database.session() as session:
            lanes = tuple(_lane(session, p, now, begin, end) for p in queries.probes(session))
        return Ribbon(begin, now, end, lanes)

    def day(self) -> Day:
        """What the probes are worth, what to do next, and the newest reading of every site."""
        now = self.clock.now()
        with self.database.session() as session:
            states = tuple(probe_state(session, p, now) for p in queries.probes(session))
            open_runs = queries.open_runs(session)
            newest = queries.last_reading_of_sites(session)
            sites = queries.sites(session)
        latest = tuple((site, newest.get(site.id)) for site in sites)
        steps = (*_resume(open_runs), *_calibrate(states, open_runs), *self._visits(latest, now))
        return Day(states, steps, latest)

    def _visits(self, latest: Sequence[tuple[Site, Reading | None]], now: datetime) -> list[NextStep]:
        due = []
        for site, reading in latest:
            today = self.clock.local(now).date()
            days = (today - self.clock.local(reading.taken_at).date()).days if reading else None
            if days is not None and days < site.visit_every_days:
                continue
            late = 0 if days is None else days - site.visit_every_days
            why = "No reading yet." if days is None else "Due today." if late == 0 else f"Due {late} days ago."
            if days is not None:
                why += f" Last read {days} days ago." if days != 1 else " Last read yesterday."
            level = Level.SOUND if late == 0 else Level.DOUBTFUL
            due.append((late, NextStep(Action.VISIT, site.id, f"Read {site.name}", why, level, _VISIT_MINUTES)))
        return [step for _, step in sorted(due, key=lambda d: -d[0])]


def _lane(session: Session, probe: Probe, now: datetime, begin: datetime, end: datetime) -> Lane:
    state = probe_state(session, probe, now)
    runs = queries.signed_since(session, probe.id, begin - timedelta(days=8), end)
    spans = []
    for index, run in enumerate(runs):
        until = runs[index + 1].signature.signed_at if index + 1 < len(runs) else end  # type: ignore[union-attr]
        spans += [
            Span(max(a, begin), min(b, until, end), level, run.id)
            for a, b, level in holds(run)
            if a < min(until, end) and min(b, until) > begin
        ]
    marks = [
        Mark(r.signature.signed_at, Level(r.signature.level), "calibration", r.id, f"Calibrated, {r.signature.level}")
        for r in runs
        if r.signature is not None and begin <= r.signature.signed_at <= end
    ]
    marks += [
        Mark(r.taken_at, Level(r.level), "reading", r.id, f"{r.site.name}: pH {r.ph:.2f}")
        for r in queries.readings(session, queries.Criteria(probe_id=probe.id, since=begin, until=end), findings=False)
    ]
    return Lane(state, tuple(spans), tuple(marks))


def _resume(runs: Sequence[CalibrationRun]) -> list[NextStep]:
    return [
        NextStep(
            Action.RESUME,
            run.id,
            f"Finish calibrating {run.probe.label}",
            f"Begun by {run.person.name}; {len({p.step for p in run.points})} of {len(run.method['steps'])} points.",
            Level.DOUBTFUL,
            _CALIBRATE_MINUTES,
        )
        for run in runs
    ]


def _calibrate(states: Sequence[ProbeState], open_runs: Sequence[CalibrationRun]) -> list[NextStep]:
    begun = {run.probe_id for run in open_runs}
    return [
        NextStep(Action.CALIBRATE, s.probe.id, f"Calibrate {s.probe.label}", s.why, s.level, _CALIBRATE_MINUTES)
        for s in sorted(states, key=lambda s: (not s.in_use, s.level != Level.UNFIT))
        if s.level is not Level.SOUND and s.probe.id not in begun
    ]
