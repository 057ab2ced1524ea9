"""Plan: from a round's sites, kit and departure to what to do when, what to pack, and what to do where it can't be."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from brumel.core.findings import Level
from brumel.core.kit.kinds import Care, MeterEvent
from brumel.core.kit.readiness import State
from brumel.core.methods.model import rinses
from brumel.core.plan.check import faults
from brumel.core.plan.needs import PARAMETERS, Expected, Need, Offer, needs_of
from brumel.core.plan.problem import Job, Plan, Problem
from brumel.core.plan.solve import best_plan, earliest_departure
from brumel.core.plan.tasks import CLEANED_WEEKLY, WEIGHT, ProbeDay, can_be_planned, caution_of, tasks_of
from brumel.services import upkeep
from brumel.services.catalog import ProbeState, probe_states
from brumel.services.clock import Clock
from brumel.services.shelf import Entry, Shelf
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models.reference import Meter, PlannedRound, Site

_CLEAN_EVERY = timedelta(days=7)
_INSPECTED_FOR = timedelta(hours=12)
_NO_PROBE_NEEDED = "temperature"
"""Every other probe has a thermometer of its own."""


@dataclass(frozen=True)
class Step:
    """One step of the plan on the clock."""

    key: str
    probe: ProbeState
    name: str
    begin: datetime
    hands_until: datetime
    until: datetime

    @property
    def what(self) -> str:
        """Which kind of task it is: see :mod:`brumel.core.plan.tasks`."""
        return self.key.rsplit("/", 1)[1]

    @property
    def caution(self) -> str:
        """The caution that belongs to the step."""
        return caution_of(self.what, self.probe.kind)


@dataclass(frozen=True)
class Standard:
    """A standard to take along, and the lots that serve, the best first."""

    need: Need
    lots: tuple[Entry, ...]


@dataclass(frozen=True)
class Way:
    """A way out where something can't be ready: words, and the change of the round that it is."""

    words: str
    field: str
    value: str


@dataclass(frozen=True)
class Missing:
    """What can't be ready, why, and the ways out, the best first."""

    what: str
    why: str
    ways: tuple[Way, ...]


@dataclass(frozen=True)
class DayPlan:
    """A round's plan as the page shows it."""

    round: PlannedRound
    steps: tuple[Step, ...]
    missing: tuple[Missing, ...]
    going: tuple[ProbeState, ...]
    meters: tuple[Meter, ...]
    standards: tuple[Standard, ...]
    sites: tuple[Site, ...]
    parameters: tuple[str, ...]
    """What the sites ask for, whether left out or not."""
    leaves_earliest: datetime | None
    """When all could leave; None where all are ready by the departure wanted."""


@dataclass(frozen=True)
class _Crew:
    """The probes that a round takes, and the parameters that none in its kit measures."""

    states: tuple[ProbeState, ...]
    lacking: tuple[str, ...]
    parameters: tuple[str, ...]


@dataclass(frozen=True)
class Planning:
    """Use cases around the plan of a round."""

    database: Database
    clock: Clock
    shelf: Shelf

    def plan(self, wanted: PlannedRound) -> DayPlan:
        """Work out the best plan; every plan is checked by code that shares nothing with the solver."""
        now = self.clock.now()
        with self.database.session() as session:
            logs = upkeep.Logs.read(session)
            everyone = probe_states(session, now, logs)
            sites = [s for s in queries.sites(session) if s.id in wanted.site_ids]
        crew = _crew(wanted, everyone, sites)
        if wanted.departure <= now:
            return DayPlan(wanted, (), (), crew.states, (), (), tuple(sites), crew.parameters, None)
        planner = _Planner(wanted, everyone, logs, now)
        jobs = tuple(planner.job(s) for s in crew.states if can_be_planned(s.readiness))
        problem = Problem(jobs, int((wanted.departure - now).total_seconds() // 60))
        found = best_plan(problem)
        if wrongs := faults(problem, found):
            raise RuntimeError(f"the plan does not hold: {wrongs}")
        late = earliest_departure(problem) if found.left_out else None
        leaves = None if late is None else _whole_minute(now + timedelta(minutes=late))
        going = tuple(s for s in crew.states if can_be_planned(s.readiness) and s.probe.label not in found.left_out)
        missing = [planner.lacking(p) for p in crew.lacking]
        missing += [planner.failed(s) for s in crew.states if not can_be_planned(s.readiness)]
        missing += [planner.late(s, problem, leaves) for s in crew.states if s.probe.label in found.left_out]
        return DayPlan(
            round=wanted,
            steps=tuple(_steps(problem, found, crew.states, now)),
            missing=tuple(missing),
            going=going,
            meters=tuple({s.probe.meter.id: s.probe.meter for s in going if s.probe.meter}.values()),
            standards=tuple(self._standards(wanted, going, sites)),
            sites=tuple(sites),
            parameters=crew.parameters,
            leaves_earliest=leaves,
        )

    def needs(self, wanted: PlannedRound) -> list[Standard]:
        """The standards that a round takes, without its plan."""
        with self.database.session() as session:
            everyone = probe_states(session, self.clock.now())
            sites = [s for s in queries.sites(session) if s.id in wanted.site_ids]
        return self._standards(wanted, _crew(wanted, everyone, sites).states, sites)

    def _standards(self, wanted: PlannedRound, states: Sequence[ProbeState], sites: Sequence[Site]) -> list[Standard]:
        usable = {str(e.lot.id): e for e in self.shelf.entries() if e.level is not Level.UNFIT}
        offers = [
            Offer(key, e.lot.standard, e.lot.family, e.lot.nominal, e.facts.left, e.facts.unit)
            for key, e in usable.items()
        ]
        waters = [Expected(s.name, r.parameter, r.low, r.high) for s in sites for r in s.ranges]
        probes = Counter(s.parameter for s in states)
        needs = needs_of(waters, probes, offers, rinses()[wanted.rinse])
        return [Standard(n, tuple(usable[key] for key in n.lots[:2])) for n in needs]


def _crew(wanted: PlannedRound, everyone: Sequence[ProbeState], sites: Sequence[Site]) -> _Crew:
    """One probe of the kit for each parameter that the sites ask for; those chosen by hand come first."""
    asked = {r.parameter for s in sites for r in s.ranges}
    parameters = tuple(p for p in PARAMETERS if p in asked)
    states: list[ProbeState] = []
    lacking = []
    for parameter in parameters:
        if parameter in wanted.without:
            continue
        own = [s for s in everyone if s.parameter == parameter]
        by_hand = [s for s in own if s.probe.id in wanted.probe_ids]
        in_kit = sorted((s for s in own if s.probe.kit == wanted.kit), key=_fitness)
        if chosen := by_hand or in_kit[:1]:
            states += chosen
        elif parameter != _NO_PROBE_NEEDED:
            lacking.append(parameter)
    return _Crew(tuple(states), tuple(lacking), parameters)


def _fitness(state: ProbeState) -> tuple[bool, bool, bool, str]:
    """The readier and sounder first."""
    ready = state.readiness
    return ready.failed, ready.state is not State.READY, state.level is not Level.SOUND, state.probe.label


@dataclass(frozen=True)
class _Planner:
    wanted: PlannedRound
    everyone: Sequence[ProbeState]
    logs: upkeep.Logs
    now: datetime

    def job(self, state: ProbeState) -> Job:
        """A probe's tasks that are not ticked off yet, and from when on they can be done."""
        tasks = tasks_of(self._day(state))
        done: Mapping[str, str] = self.wanted.done or {}
        free = [self.now, state.readiness.ready_at or self.now]
        free += [datetime.fromisoformat(done[t.key]) + timedelta(minutes=t.wait) for t in tasks if t.key in done]
        release = max(math.ceil((max(free) - self.now).total_seconds() / 60), 0)
        left = tuple(t for t in tasks if t.key not in done)
        return Job(state.probe.label, state.parameter, WEIGHT.get(state.parameter, 1), left, release)

    def lacking(self, parameter: str) -> Missing:
        """A parameter that no probe of the kit measures."""
        ways = [*self._others(parameter, exclude=None), _without(parameter)]
        return Missing(parameter, f"{self.wanted.kit} has no probe for it.", tuple(ways))

    def failed(self, state: ProbeState) -> Missing:
        """A probe that is out until it is cleared."""
        ways = [*self._others(state.parameter, exclude=state), _without(state.parameter)]
        return Missing(state.probe.label, f"{state.readiness.why} {state.readiness.do}", tuple(ways))

    def late(self, state: ProbeState, problem: Problem, leaves: datetime | None) -> Missing:
        """By how much a probe comes too late, were it the only one."""
        alone = replace(problem, jobs=tuple(j for j in problem.jobs if j.probe == state.probe.label))
        at = self.now + timedelta(minutes=earliest_departure(alone))
        minutes = (at - self.wanted.departure).total_seconds() / 60
        why = (
            f"Ready {_duration(minutes)} after departure at the earliest."
            if minutes > 0
            else "There is not enough time for you to see to all of them."
        )
        ways = [*self._others(state.parameter, exclude=state)]
        if leaves is not None:
            ways.append(Way("Leave when all are ready", "departure", leaves.isoformat()))
        return Missing(state.probe.label, why, (*ways, _without(state.parameter)))

    def _day(self, state: ProbeState) -> ProbeDay:
        probe = state.probe
        care = self.logs.care.get(probe.id, ())
        looked = [i for i in self.logs.inspections.get(probe.id, ()) if not i.failed]
        last_fall = max((r.at for r in care if r.care == Care.DROPPED), default=None)
        inspected = any(
            self.wanted.departure - i.at <= _INSPECTED_FOR and (last_fall is None or i.at > last_fall) for i in looked
        )
        cleaned = state.parameter not in CLEANED_WEEKLY or any(
            r.care == Care.CLEANED and self.wanted.departure - r.at <= _CLEAN_EVERY for r in care
        )
        until = state.holds_until
        return ProbeDay(
            label=probe.label,
            kind=state.kind,
            readiness=state.readiness,
            inspected=inspected,
            cleaned=cleaned,
            sound=state.level is Level.SOUND and until is not None and until >= self.wanted.departure,
            is_on=self._is_on(state),
            kept_alive=probe.meter is None or probe.meter.polarises_off,
        )

    def _is_on(self, state: ProbeState) -> bool:
        """Whether its meter was switched on and not off since."""
        switches = (MeterEvent.SWITCHED_ON, MeterEvent.SWITCHED_OFF, MeterEvent.BATTERIES_OUT)
        own = [r for r in self.logs.meters.get(state.probe.meter_id, ()) if r.event in switches]
        return bool(own) and own[-1].event == MeterEvent.SWITCHED_ON

    def _others(self, parameter: str, exclude: ProbeState | None) -> list[Way]:
        """The best other probe of a parameter: one that can be ready alone by departure, the soonest first."""
        found: list[tuple[int, ProbeState]] = []
        for state in self.everyone:
            if state.parameter != parameter or not can_be_planned(state.readiness):
                continue
            if (exclude is not None and state.probe.id == exclude.probe.id) or state.probe.id in self.wanted.probe_ids:
                continue
            ready = earliest_departure(Problem((self.job(state),), 0))
            if self.now + timedelta(minutes=ready) <= self.wanted.departure:
                found.append((ready, state))
        found.sort(key=lambda pair: (pair[0], pair[1].probe.label))
        return [Way(f"Take {s.probe.label} ({s.probe.kit})", "probe", str(s.probe.id)) for _, s in found[:1]]


def _without(parameter: str) -> Way:
    return Way(f"Leave {parameter} out", "without", parameter)


def _steps(problem: Problem, plan: Plan, states: Sequence[ProbeState], now: datetime) -> list[Step]:
    by_label = {s.probe.label: s for s in states}
    found = []
    for key, minute in plan.starts.items():
        job, task = problem.tasks[key]
        begin = _whole_minute(now + timedelta(minutes=minute))
        hands = begin + timedelta(minutes=task.hands)
        found.append(Step(key, by_label[job.probe], task.name, begin, hands, hands + timedelta(minutes=task.wait)))
    return found


def _whole_minute(moment: datetime) -> datetime:
    return moment.replace(second=0, microsecond=0)


def _duration(minutes: float) -> str:
    return f"{minutes:.0f} minutes" if minutes < 120 else f"{minutes / 60:.0f} hours"
