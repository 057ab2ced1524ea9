"""Plan: from a round's sites, kit and departure to what to do when, what to pack, and what to do where it can't be."""

from __future__ import annotations

import math
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from brumel.core.findings import Level
from brumel.core.kit.care import Care, MeterEvent
from brumel.core.plan.check import faults
from brumel.core.plan.crew import Unsuited, misfit
from brumel.core.plan.hours import nights_until
from brumel.core.plan.needs import Offer, needs_of
from brumel.core.plan.order import HouseOrder
from brumel.core.plan.pack import pack
from brumel.core.plan.problem import Job, Plan, Problem, Task
from brumel.core.plan.solve import best_plan, earliest_departure, latest_alone
from brumel.core.plan.tasks import ProbeDay, can_be_planned, caution_of, tasks_of
from brumel.core.plan.waters import sites_of
from brumel.core.quantities.quantity import quantity
from brumel.core.words.catalogue import word
from brumel.services.clock import Clock
from brumel.services.house.rules import in_force
from brumel.services.planning.along import (
    Conflict,
    StandardAlong,
    TakenAlong,
    at_once,
    instruments_along,
    load_of,
    times_of,
)
from brumel.services.planning.crewing import Crew, crew_of
from brumel.services.probes import what_it_is
from brumel.services.probes.states import ProbeState, States
from brumel.services.shelf.lots import Shelf
from brumel.store.database import Database
from brumel.store.models.reference import Instrument, Meter, PlannedRound, Site
from brumel.store.queries import reference as queries
from brumel.store.queries import visit as visit_queries

_CLEAN_EVERY = timedelta(days=7)
_INSPECTED_FOR = timedelta(hours=12)


@dataclass(frozen=True)
class PlanStep:
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
class Beginning:
    """What a probe is begun with for a round, and when at the latest."""

    state: ProbeState
    task: Task
    at: datetime


@dataclass(frozen=True)
class Way:
    """A way out where something can't be ready: words, and the change of the round that it is.

    For a probe the value is its id, and after a comma the id of the one that it replaces.
    """

    words: str
    field: str
    value: str


@dataclass(frozen=True)
class NotReady:
    """What can't be ready or is not made for its water, why, and the ways out, the best first."""

    what: str
    why: str
    ways: tuple[Way, ...]
    title: str = "can't be ready."
    level: Level = Level.UNFIT
    said: str = ""
    """Said instead of what it is and the title."""


@dataclass(frozen=True)
class PlannedStop:
    """A site on the way, and when the round is there."""

    site: Site
    at: datetime


@dataclass(frozen=True)
class DayPlan:
    """A round's plan as the page shows it."""

    round: PlannedRound
    steps: tuple[PlanStep, ...]
    missing: tuple[NotReady, ...]
    going: tuple[ProbeState, ...]
    sites_of: Mapping[str, tuple[str, ...]]
    """By the label of a probe, the sites that it goes for."""
    meters: tuple[Meter, ...]
    standards: tuple[StandardAlong, ...]
    stops: tuple[PlannedStop, ...]
    back: datetime
    conflicts: tuple[Conflict, ...]
    things: tuple[tuple[str, str], ...]
    """What else goes along, and how much of it."""
    instruments: tuple[Instrument, ...]
    quantities: tuple[str, ...]
    """What the sites ask for, whether left out or not."""
    leaves_earliest: datetime | None = None
    """When all could leave; None where all are ready by the departure wanted."""

    @property
    def sites(self) -> tuple[Site, ...]:
        """The sites in their order."""
        return tuple(stop.site for stop in self.stops)


@dataclass(frozen=True)
class Planning:
    """Use cases around the plan of a round."""

    database: Database
    clock: Clock
    shelf: Shelf
    states: States
    order: HouseOrder

    def plan(self, wanted: PlannedRound) -> DayPlan:
        """Work out the best plan; every plan is checked by code that shares nothing with the solver."""
        now, logs, everyone = self.clock.now(), self.states.logs(), self.states.probe_states()
        known = {s.id: s for s in self.states.sites()}
        with self.database.session() as session:
            others = [r for r in queries.planned_rounds(session, now) if r.id != wanted.id and at_once(r, wanted)]
            instruments = [i for i in visit_queries.instruments(session) if i.kit == wanted.kit]
        sites = [known[key] for key in wanted.site_ids if key in known]
        crew = crew_of(wanted, everyone, sites)
        *times, back = times_of(wanted)
        stops = tuple(PlannedStop(site, at) for site, at in zip(sites, times, strict=False))
        if wanted.departure <= now:
            return DayPlan(wanted, (), (), crew.states, crew.sites_of, (), (), stops, back, (), (), (), crew.quantities)
        planner = _Planner(wanted, everyone, logs, now, crew, self.order)
        jobs = tuple(planner.job(s) for s in crew.states if can_be_planned(s.readiness))
        problem, found = self._by_day(Problem(jobs, int((wanted.departure - now).total_seconds() // 60)), wanted, now)
        if wrongs := faults(problem, found):
            raise RuntimeError(f"the plan does not hold: {wrongs}")
        late = earliest_departure(problem) if found.left_out else None
        leaves = None if late is None else _whole_minute(now + timedelta(minutes=late))
        going = tuple(s for s in crew.states if can_be_planned(s.readiness) and s.probe.label not in found.left_out)
        missing = [planner.lacking(p) for p in crew.lacking]
        missing += [planner.unsuited(p, found) for p, found in crew.unsuited.items()]
        missing += [planner.failed(s) for s in crew.states if not can_be_planned(s.readiness)]
        missing += [planner.late(s, problem, leaves) for s in crew.states if s.probe.label in found.left_out]
        own = TakenAlong(wanted, going, tuple(self._standards(wanted, going, crew)))
        along = instruments_along(instruments, sites, crew.quantities)
        return DayPlan(
            round=wanted,
            steps=tuple(_steps(problem, found, crew.states, now)),
            missing=tuple(missing),
            going=going,
            sites_of=crew.sites_of,
            meters=own.meters,
            standards=own.standards,
            stops=stops,
            back=back,
            conflicts=tuple(c for r in others if (c := self._conflict(own, r, everyone, known))),
            things=tuple(pack(load_of(own, sites, along), in_force())),
            instruments=tuple(along),
            quantities=crew.quantities,
            leaves_earliest=leaves,
        )

    def _nights(self, wanted: PlannedRound, now: datetime) -> tuple[tuple[int, int], ...]:
        """Return the nights until a departure, minutes from now."""
        return tuple(
            (math.floor((begin - now).total_seconds() / 60), math.ceil((end - now).total_seconds() / 60))
            for begin, end in nights_until(self.clock.local(now), self.clock.local(wanted.departure))
        )

    def _by_day(self, problem: Problem, wanted: PlannedRound, now: datetime) -> tuple[Problem, Plan]:
        """Return the plan that leaves the nights free: long waits then begin the evening before.

        Without, where that is not enough for all.
        """
        nights = self._nights(wanted, now)
        rested = replace(problem, nights=nights)
        by_day = best_plan(rested)
        if by_day.left_out and nights:
            through = best_plan(problem)
            if len(through.left_out) < len(by_day.left_out):
                return problem, through
        return rested, by_day

    def _conflict(
        self, own: TakenAlong, other: PlannedRound, everyone: Sequence[ProbeState], known: Mapping[uuid.UUID, Site]
    ) -> Conflict | None:
        """Return what another round at the same time takes along too; None where it takes nothing of ours."""
        crew = crew_of(other, everyone, (known[key] for key in other.site_ids if key in known))
        theirs = TakenAlong(other, crew.states, tuple(self._standards(other, crew.states, crew)))
        both = [words for key, words in own.named.items() if key in theirs.named]
        return Conflict(other, tuple(both)) if both else None

    def needs(self, wanted: PlannedRound) -> list[StandardAlong]:
        """Return the standards that a round takes, without its plan."""
        sites = (s for s in self.states.sites() if s.id in wanted.site_ids)
        crew = crew_of(wanted, self.states.probe_states(), sites)
        return self._standards(wanted, crew.states, crew)

    def latest_begins(self, wanted: PlannedRound) -> list[Beginning]:
        """When each probe of a round has to be begun with at the latest, were it the only one; the earliest first."""
        now, logs, everyone = self.clock.now(), self.states.logs(), self.states.probe_states()
        crew = crew_of(wanted, everyone, (s for s in self.states.sites() if s.id in wanted.site_ids))
        planner = _Planner(wanted, everyone, logs, now, crew, self.order)
        found = []
        for state in crew.states:
            job = planner.job(state)
            if can_be_planned(state.readiness) and job.tasks:
                left = int((wanted.departure - now).total_seconds() // 60)
                minutes = latest_alone(job, left, self._nights(wanted, now))
                first = job.tasks[0]
                found.append(Beginning(state, first, _whole_minute(now + timedelta(minutes=minutes[first.key]))))
        return sorted(found, key=lambda b: b.at)

    def _standards(self, wanted: PlannedRound, states: Sequence[ProbeState], crew: Crew) -> list[StandardAlong]:
        day = self.clock.local(wanted.departure).date()
        usable = {str(e.lot.id): e for e in self.shelf.entries(on=day) if e.level is not Level.UNFIT}
        offers = [
            Offer(key, e.lot.standard, e.lot.family, e.lot.nominal, e.facts.left, e.facts.unit)
            for key, e in usable.items()
        ]
        labels = {s.probe.label for s in states}
        going, rules = [g for g in crew.going if g.label in labels], in_force()
        needs = needs_of(crew.waters, going, offers, rules.rinses[wanted.rinse], rules)
        return [StandardAlong(n, tuple(usable[key] for key in n.lots[:2])) for n in needs]


@dataclass(frozen=True)
class _Planner:
    wanted: PlannedRound
    everyone: Sequence[ProbeState]
    logs: what_it_is.Logs
    now: datetime
    crew: Crew
    order: HouseOrder

    def job(self, state: ProbeState) -> Job:
        """Return a probe's tasks that are not ticked off yet, and from when on they can be done."""
        tasks = tasks_of(self._day(state))
        done: Mapping[str, str] = self.wanted.done or {}
        free = [self.now, state.readiness.ready_at or self.now]
        free += [datetime.fromisoformat(done[t.key]) + timedelta(minutes=t.wait) for t in tasks if t.key in done]
        release = max(math.ceil((max(free) - self.now).total_seconds() / 60), 0)
        left = tuple(t for t in tasks if t.key not in done)
        return Job(state.probe.label, state.kind.quantity, state.kind.plan.weight, left, release)

    def lacking(self, key: str) -> NotReady:
        """Return a quantity that no probe of the kit measures."""
        ways = [*self._others(key, sites_of(self.crew.waters, key)), _without(key)]
        name = quantity(key).name
        return NotReady(name, "", tuple(ways), said=f"No {name} probe in {self.wanted.kit}.")

    def unsuited(self, key: str, waters: Sequence[Unsuited]) -> NotReady:
        """Waters that no probe going along is made for."""
        sites = [w.site for w in waters]
        what = f"{quantity(key).name} at {' and '.join(sites)}"
        if waters[0].measured:
            title = "is measured by a probe that is not made for it, by your choice."
            return NotReady(what, waters[0].why, (), title, Level.DOUBTFUL)
        ways = [*self._others(key, sites, " too"), _without(key)]
        return NotReady(what, waters[0].why, tuple(ways), "has no probe that is made for it.")

    def failed(self, state: ProbeState) -> NotReady:
        """Return a probe that is out until it is cleared."""
        ways = [*self._instead_of(state), _without(state.kind.quantity)]
        return NotReady(state.probe.label, f"{word(state.readiness.why)} {word(state.readiness.do)}", tuple(ways))

    def late(self, state: ProbeState, problem: Problem, leaves: datetime | None) -> NotReady:
        """By how much a probe comes too late, were it the only one."""
        alone = replace(problem, jobs=tuple(j for j in problem.jobs if j.probe == state.probe.label))
        at = self.now + timedelta(minutes=earliest_departure(alone))
        minutes = (at - self.wanted.departure).total_seconds() / 60
        why = (
            f"Ready {_duration(minutes)} after departure at the earliest."
            if minutes > 0
            else "There is not enough time for you to see to all of them."
        )
        ways = self._instead_of(state)
        if leaves is not None:
            ways.append(Way("Leave when all are ready", "departure", leaves.isoformat()))
        return NotReady(state.probe.label, why, (*ways, _without(state.kind.quantity)))

    def _day(self, state: ProbeState) -> ProbeDay:
        probe = state.probe
        care = self.logs.care.get(probe.id, ())
        looked = [i for i in self.logs.inspections.get(probe.id, ()) if not i.failed]
        last_fall = max((r.at for r in care if r.care == Care.DROPPED), default=None)
        inspected = any(
            self.wanted.departure - i.at <= _INSPECTED_FOR and (last_fall is None or i.at > last_fall) for i in looked
        )
        cleaned = not state.kind.plan.weekly_cleaning or any(
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
            stage=self.order.stages.get(state.kind.quantity),
        )

    def _is_on(self, state: ProbeState) -> bool:
        """Say whether its meter was switched on and not off since."""
        switches = (MeterEvent.SWITCHED_ON, MeterEvent.SWITCHED_OFF, MeterEvent.BATTERIES_OUT)
        own = [r for r in self.logs.meters.get(state.probe.meter_id, ()) if r.event in switches]
        return bool(own) and own[-1].event == MeterEvent.SWITCHED_ON

    def _instead_of(self, state: ProbeState) -> list[Way]:
        found = self._others(state.kind.quantity, self.crew.sites_of[state.probe.label])
        return [replace(way, value=f"{way.value},{state.probe.id}") for way in found]

    def _others(self, key: str, sites: Sequence[str], too: str = "") -> list[Way]:
        """The best probe that would stay here: suits these waters, can be ready alone by departure, the soonest."""
        found: list[tuple[int, ProbeState]] = []
        staying = [s for s in self.everyone if s.kind.quantity == key and s not in self.crew.states]
        for state in staying:
            if not can_be_planned(state.readiness) or any(misfit(state.kind, s, self.crew.waters) for s in sites):
                continue
            ready = earliest_departure(Problem((self.job(state),), 0))
            if self.now + timedelta(minutes=ready) <= self.wanted.departure:
                found.append((ready, state))
        found.sort(key=lambda pair: (pair[0], pair[1].probe.label))
        return [Way(f"Take {s.probe.label} ({s.probe.kind}){too}", "probe", str(s.probe.id)) for _, s in found[:1]]


def _without(key: str) -> Way:
    return Way(f"Leave {quantity(key).name} out", "without", key)


def _steps(problem: Problem, plan: Plan, states: Sequence[ProbeState], now: datetime) -> list[PlanStep]:
    by_label = {s.probe.label: s for s in states}
    tasks = problem.tasks
    found = []
    for key, minute in plan.starts.items():
        job, task = tasks[key]
        begin = _whole_minute(now + timedelta(minutes=minute))
        hands = begin + timedelta(minutes=task.hands)
        found.append(PlanStep(key, by_label[job.probe], task.name, begin, hands, hands + timedelta(minutes=task.wait)))
    return found


def _whole_minute(moment: datetime) -> datetime:
    return moment.replace(second=0, microsecond=0)


def _duration(minutes: float) -> str:
    return f"{minutes:.0f} minutes" if minutes < 120 else f"{minutes / 60:.0f} hours"
