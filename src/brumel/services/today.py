"""The technician's day: the ribbon of time, and what to do next."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from enum import StrEnum

from brumel.core.findings import Level
from brumel.core.kit.readiness import State
from brumel.core.quantities.quantity import quantity
from brumel.core.reading.limits import Keeps
from brumel.core.wording import counted, upper_first
from brumel.services.calibrating import steering, stored
from brumel.services.clock import Clock
from brumel.services.kit.states import Held, ProbeState, held_by_run
from brumel.services.remembered import Remembered
from brumel.services.visiting.rounds import of_last_stay
from brumel.store import queries, visit_queries
from brumel.store.database import Database
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.care import CareRecord
from brumel.store.models.reading import Reading
from brumel.store.models.reference import PlannedRound, Site
from brumel.store.models.visit import Visit

_BEFORE, _AFTER = timedelta(hours=10), timedelta(hours=14)
_CALIBRATE_MINUTES = 12
_REPORT_MINUTES = 6
_CHECK_MINUTES = 5
_VISIT_MINUTES = 5
_SEE_TO_MINUTES = 10
_LEFT_OPEN = timedelta(days=2)
"""So long a visit that was left is offered again (rule of this product)."""


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
    record_id: uuid.UUID | None
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
    departures: tuple[tuple[datetime, uuid.UUID], ...] = ()
    """Rounds planned: when they leave, and their key."""

    def of(self, probe_id: uuid.UUID | None) -> Ribbon:
        """The strip of one probe, where one is in hand; else all."""
        if probe_id is None:
            return self
        return replace(self, lanes=tuple(lane for lane in self.lanes if lane.state.probe.id == probe_id))


class Action(StrEnum):
    """What a next step leads to."""

    BEYOND = "beyond"
    RESUME = "resume"
    PAUSED = "paused"
    HAND_BACK = "hand-back"
    GO_ON = "go-on"
    CALIBRATE = "calibrate"
    REPORT = "report"
    LEAVE = "leave"
    VISIT = "visit"
    PREPARE = "prepare"


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
    latest: tuple[tuple[Site, list[Reading]], ...]
    """Every site with what was read there on the last day, in the order of the quantities."""


@dataclass(frozen=True)
class Today:
    """Use cases around the day."""

    database: Database
    clock: Clock
    _ribbon: Remembered[Ribbon] = field(default_factory=Remembered, repr=False, compare=False)

    def ribbon(self, states: Sequence[ProbeState]) -> Ribbon:
        """The strip of time from ten hours ago to fourteen hours ahead, computed from what is stored."""
        return self._ribbon.get(self.database, self.clock, lambda now: self._drawn(states, now))

    def _drawn(self, states: Sequence[ProbeState], now: datetime) -> Ribbon:
        begin, end = now - _BEFORE, now + _AFTER
        with self.database.session() as session:
            # A calibration holds until the next one: of those before, the newest of each probe is enough.
            before = queries.newest_of_probes(session, begin, usable=False).values()
            held = [h for run in (*before, *queries.signed_since(session, begin, end)) if (h := held_by_run(run))]
            rounds = queries.planned_rounds(session, begin)
            within = queries.Criteria(since=begin, until=end)
            readings = queries.readings(session, within, findings=False)
        lanes = tuple(
            _lane(
                state,
                [h for h in held if h.probe_id == state.probe.id],
                [r for r in readings if r.probe_id == state.probe.id and r.sensed],
                (begin, end),
            )
            for state in states
            if state.of_the_day
        )
        departures = tuple((r.departure, r.id) for r in rounds if r.departure < end)
        return Ribbon(begin, now, end, lanes, departures)

    def day(self, states: Sequence[ProbeState]) -> Day:
        """What the probes are worth, what to do next, and the newest reading of every site."""
        now = self.clock.now()
        with self.database.session() as session:
            open_runs = queries.open_runs(session)
            newest = queries.last_readings_of_sites(session)
            sites = queries.sites(session)
            rounds = queries.planned_rounds(session, now)
            beyond = visit_queries.beyond_unseen(session)
            visits = visit_queries.unfinished(session, now - _LEFT_OPEN)
            pauses = [
                (pause, steering.passed_since(session, pause.probe_id, pause.at, self.clock.today()))
                for pause in steering.open_pauses(session)
            ]
        latest = tuple((site, newest.get(site.id, [])) for site in sites)
        blocked = [s for s in states if s.readiness.state is State.BLOCKED]
        in_use, spare = [s for s in states if s.in_use], [s for s in states if not s.in_use]
        if not in_use:  # where none was used yet, the day may need them all
            in_use, spare = spare, []
        steps = (
            *self._paused(pauses, states, open_runs),
            *_beyond(beyond),
            *_resume(open_runs),
            *_unfinished(visits),
            *self._leave(rounds, now),
            *_prepare(s for s in blocked if s.in_use),
            *_calibrate(in_use, open_runs),
            *self._visits(latest, now),
            *_prepare(s for s in blocked if not s.in_use),
            *_calibrate(spare, open_runs),
        )
        return Day(tuple(states), steps, tuple((site, of_last_stay(newest)) for site, newest in latest))

    def _paused(
        self, pauses: Sequence[tuple[CareRecord, bool]], states: Sequence[ProbeState], runs: Sequence[CalibrationRun]
    ) -> list[NextStep]:
        """What probes steer and is paused: first of all, until it is handed back."""
        labels, begun = {s.probe.id: s.probe.label for s in states}, {run.probe_id: run.id for run in runs}
        found = []
        for pause, passed in pauses:
            label, by = labels[pause.probe_id], f"{pause.person.name}{', ' if pause.note else ''}{pause.note}"
            why = f"Paused since {self.clock.local(pause.at):%a %d %b, %H:%M} by {by}. " + (
                f"The check of {label} has passed." if passed else f"Only after a check of {label} has passed."
            )
            action, target = (Action.HAND_BACK if passed else Action.PAUSED), pause.probe_id
            if pause.probe_id in begun:
                action, target = Action.RESUME, begun[pause.probe_id]
            found.append(NextStep(action, target, f"Hand {pause.detail} back", why, Level.UNFIT, _CHECK_MINUTES))
        return found

    def _leave(self, rounds: Sequence[PlannedRound], now: datetime) -> list[NextStep]:
        """Rounds that leave within a day: their plan says what to do when."""
        return [
            NextStep(
                Action.LEAVE, r.id, f"Get ready for the round at {self.clock.local(r.departure):%H:%M}",
                f"{r.kit}, {counted(len(r.site_ids), 'site')}. "
                "Its plan says what to do when.",
                Level.SOUND, round((r.departure - now).total_seconds() / 60),
            )
            for r in rounds
            if r.departure - now <= _AFTER
        ]  # fmt: skip

    def _visits(self, latest: Sequence[tuple[Site, list[Reading]]], now: datetime) -> list[NextStep]:
        due = []
        for site, readings in latest:
            reading = readings[0] if readings else None
            today = self.clock.local(now).date()
            days = (today - self.clock.local(reading.taken_at).date()).days if reading else None
            if days is not None and days < site.visit_every_days:
                continue
            late = 0 if days is None else days - site.visit_every_days
            why = (
                "No reading yet." if days is None else "Due today." if late == 0 else f"Due {counted(late, 'day')} ago."
            )
            if days is not None:
                why += f" Last read {days} days ago." if days != 1 else " Last read yesterday."
            level = Level.SOUND if late == 0 else Level.DOUBTFUL
            due.append((late, NextStep(Action.VISIT, site.id, f"Read {site.name}", why, level, _VISIT_MINUTES)))
        return [step for _, step in sorted(due, key=lambda d: -d[0])]


def _lane(
    state: ProbeState, held: Sequence[Held], readings: Sequence[Reading], shown: tuple[datetime, datetime]
) -> Lane:
    begin, end = shown
    spans = []
    void = state.readiness.voided_at
    for index, calibration in enumerate(held):
        until = held[index + 1].at if index + 1 < len(held) else end
        if void is not None and calibration.at < void:
            until = min(until, void)
        spans += [
            Span(max(a, begin), min(b, until, end), level, calibration.run_id)
            for a, b, level in calibration.spans
            if a < min(until, end) and min(b, until) > begin
        ]
    marks = [
        Mark(h.at, h.level, "calibration", h.run_id, f"Calibrated, {h.level}") for h in held if begin <= h.at <= end
    ]
    marks += [
        Mark(
            r.taken_at,
            Level(r.level),
            "reading",
            r.id,
            f"{r.where}: {quantity(r.quantity).words(r.value, r.qualifier)}",
        )
        for r in readings
    ]
    return Lane(state, tuple(spans), tuple(marks))


def _beyond(readings: Sequence[Reading]) -> list[NextStep]:
    """Readings beyond a limit, until somebody has seen to them; what has to be done at once comes first."""
    found = []
    for r in readings:
        limit = next(one for one in r.limits if one["keeps"] == Keeps.BEYOND)
        title = f"{upper_first(quantity(limit['quantity']).name)} beyond its limit at {r.where}"
        why = f"{limit['sentence']} Limit: {limit['source']}."
        level = Level.UNFIT if limit["act"] else Level.DOUBTFUL
        found.append((not limit["act"], NextStep(Action.BEYOND, r.id, title, why, level, _SEE_TO_MINUTES)))
    return [step for _, step in sorted(found, key=lambda f: f[0])]


def _unfinished(visits: Sequence[Visit]) -> list[NextStep]:
    """Visits that were left open."""
    return [
        NextStep(
            Action.GO_ON, v.id, f"Go on at {v.name}", f"Begun by {v.person.name}; not finished yet.", Level.DOUBTFUL,
            _VISIT_MINUTES,
        )
        for v in visits
    ]  # fmt: skip


def _resume(runs: Sequence[CalibrationRun]) -> list[NextStep]:
    return [
        NextStep(
            Action.RESUME,
            run.id,
            f"Finish calibrating {run.probe.label}",
            f"Begun by {run.person.name}; {stored.points_words(run)}.",
            Level.DOUBTFUL,
            _CALIBRATE_MINUTES,
        )
        for run in runs
    ]


def _prepare(states: Iterable[ProbeState]) -> list[NextStep]:
    """Probes that something has to be done to before they can be ready."""
    return [
        NextStep(Action.PREPARE, s.probe.id, f"See to {s.probe.label}", f"{s.readiness.why} {s.readiness.do}",
                 Level.UNFIT, _SEE_TO_MINUTES)
        for s in states
    ]  # fmt: skip


def _calibrate(states: Sequence[ProbeState], open_runs: Sequence[CalibrationRun]) -> list[NextStep]:
    begun = {run.probe_id for run in open_runs}
    return [
        NextStep(Action.CALIBRATE if s.on_bench else Action.REPORT, s.probe.id, f"Calibrate {s.probe.label}", s.why,
                 s.level, _CALIBRATE_MINUTES if s.on_bench else _REPORT_MINUTES)
        for s in sorted(states, key=lambda s: s.level != Level.UNFIT)
        if s.level is not Level.SOUND and s.probe.id not in begun and s.keeps_calibration
        if s.readiness.state is State.READY
    ]  # fmt: skip
