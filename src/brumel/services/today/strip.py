"""The ribbon: what the day depends on as one strip of time."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from brumel.core.findings import Level
from brumel.services.probes.states import Held, ProbeState, held_by_run
from brumel.store.database import Database
from brumel.store.models.reading import Reading
from brumel.store.queries import reading as reading_queries
from brumel.store.queries import reference as queries
from brumel.store.queries import run as run_queries

_BEFORE, AFTER = timedelta(hours=10), timedelta(hours=14)


@dataclass(frozen=True)
class Span:
    """A stretch of a lane over which a calibration is worth something.

    ``end`` is where it ends within what is shown; ``until`` when it really ends.
    """

    begin: datetime
    end: datetime
    level: Level
    run_id: uuid.UUID
    until: datetime


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
        """Return the strip of one probe, where one is in hand; else all."""
        if probe_id is None:
            return self
        return replace(self, lanes=tuple(lane for lane in self.lanes if lane.state.probe.id == probe_id))


def drawn(database: Database, states: Sequence[ProbeState], now: datetime) -> Ribbon:
    """Return the strip from ten hours ago to fourteen hours ahead, worked out from what is stored."""
    begin, end = now - _BEFORE, now + AFTER
    with database.session() as session:
        # A calibration holds until the next one: of those before, the newest of each probe is enough.
        held = [h for run in run_queries.standing_within(session, begin, end) if (h := held_by_run(run))]
        rounds = queries.planned_rounds(session, begin)
        within = queries.Criteria(since=begin, until=end)
        readings = reading_queries.readings(session, within, findings=False)
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
            Span(max(a, begin), min(b, until, end), level, calibration.run_id, min(b, until) if until < end else b)
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
            f"{r.where}: {r.words}",
        )
        for r in readings
    ]
    return Lane(state, tuple(spans), tuple(marks))
