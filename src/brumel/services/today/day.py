"""Today: what to do now, before leaving, on the round, and what to think of tonight."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from brumel.core.findings import Level
from brumel.core.kit.readiness import State
from brumel.services.cached.remembered import Remembered, cached
from brumel.services.calibrating import steering
from brumel.services.clock import Clock
from brumel.services.planning.outlook import Outlook
from brumel.services.probes.states import ProbeState, States
from brumel.services.sites.night import Nights
from brumel.services.sites.site_history import of_last_stay
from brumel.services.today import steps, strip
from brumel.services.today.coming_back import ComingBack
from brumel.services.today.steps import Due, NextStep, Section
from brumel.store.database import Database
from brumel.store.models.reading import Reading
from brumel.store.models.reference import PlannedRound, Site
from brumel.store.queries import reading as reading_queries
from brumel.store.queries import run as run_queries
from brumel.store.queries import visit as visit_queries

_LEFT_OPEN = timedelta(days=2)
"""So long a visit that was left is offered again (rule of this product)."""


@dataclass(frozen=True)
class KitDay:
    """A kit before one leaves: its probes of the day, and what is to be done with them."""

    name: str
    states: tuple[ProbeState, ...]
    steps: tuple[NextStep, ...]

    @property
    def ready(self) -> int:
        """How many of its probes can be taken along as they are."""
        return len(self.at_rest)

    @property
    def at_rest(self) -> tuple[ProbeState, ...]:
        """Probes that need nothing."""
        return tuple(s for s in self.states if s.readiness.state is State.READY and s.level is Level.SOUND)

    @property
    def waiting(self) -> tuple[ProbeState, ...]:
        """Probes that get ready by themselves."""
        return tuple(s for s in self.states if s.readiness.state is State.WAITING)


@dataclass(frozen=True)
class Ahead:
    """This evening and tomorrow: what has to begin tonight, what runs out, what is due."""

    begin: tuple[NextStep, ...]
    lacking: tuple[NextStep, ...]
    """Standards that the rounds until then lack."""


@dataclass(frozen=True)
class DayView:
    """Today as its page shows it."""

    states: tuple[ProbeState, ...]
    steps: tuple[NextStep, ...]
    """What to do, in the order in which it is done."""
    due: tuple[Due, ...]
    tomorrow: tuple[Due, ...]
    begin: tuple[NextStep, ...]
    """What has to begin tonight."""
    run_out: tuple[ProbeState, ...]
    """Probes whose calibration is sound now and no more by the end of tomorrow."""
    rounds: tuple[PlannedRound, ...]
    """Rounds that leave until the end of tomorrow."""
    latest: tuple[tuple[Site, list[Reading]], ...]
    """Every site with what was read there on the last day, in the order of the quantities."""

    @property
    def now(self) -> NextStep | None:
        """What now; None where there is nothing to do."""
        return next((s for s in self.steps if not s.spare), None)

    def of(self, section: Section) -> list[NextStep]:
        """Return what stands in a section, without what is said above all."""
        return [s for s in self.steps if s.section == section and s is not self.now]

    @property
    def kits(self) -> list[KitDay]:
        """The kits that the day depends on."""
        states = [s for s in self.states if s.of_the_day]
        steps = [s for s in self.of(Section.KIT) if not s.spare]
        return [
            KitDay(
                name,
                tuple(s for s in states if s.probe.kit == name),
                tuple(s for s in steps if s.kit == name),
            )
            for name in sorted({s.probe.kit for s in states} | {s.kit for s in steps})
        ]

    @property
    def planned(self) -> list[Due]:
        """Sites that are due and on a round that leaves until the end of tomorrow."""
        going = {key for planned in self.rounds for key in planned.site_ids}
        return [d for d in self.due if d.site.id in going]

    @property
    def unplanned(self) -> list[Due]:
        """Sites that are due and on no such round."""
        planned = self.planned
        return [d for d in self.due if d not in planned]

    @property
    def spares(self) -> list[NextStep]:
        """What could be done with probes that nobody has used lately."""
        return [s for s in self.steps if s.spare]


@dataclass(frozen=True)
class Today:
    """Use cases around the day."""

    database: Database
    clock: Clock
    outlook: Outlook
    states: States
    nights: Nights
    coming_back: ComingBack
    _drawn: Remembered[str] = field(default_factory=Remembered, repr=False, compare=False)

    @cached
    def ribbon(self) -> strip.Ribbon:
        """Return the strip of time from ten hours ago to fourteen hours ahead, computed from what is stored."""
        return strip.drawn(self.database, self.states.probe_states(), self.clock.now())

    @cached
    def day(self) -> DayView:
        """Return what to do now and next, kit by kit and site by site, and what has to be thought of tonight."""
        return self._worked_out(self.states.probe_states())

    def drawn(self, of: Hashable, draw: Callable[[], str]) -> str:
        """What is drawn for a page, kept until what it was read from changes; all that is asked within ``draw``."""
        return self._drawn.get(self.database, self.clock, draw, of)

    def _worked_out(self, states: Sequence[ProbeState]) -> DayView:
        now, tomorrow = self.clock.now(), self._end_of_tomorrow()
        rounds, sites = self.outlook.rounds.ahead(), self.states.sites()
        with self.database.session() as session:
            open_runs = run_queries.open_runs(session)
            newest = reading_queries.last_readings_of_sites(session)
            beyond = visit_queries.beyond_unseen(session)
            visits = visit_queries.unfinished(session, now - _LEFT_OPEN)
            pauses = [
                (pause, steering.passed_since(session, pause.probe_id, pause.at, self.clock.today()))
                for pause in steering.open_pauses(session)
            ]
        ahead, nights = self._look_ahead(rounds), steps.nights(self.nights.tonight(sites), self.clock)
        due = steps.due(((site, newest.get(site.id, [])) for site in sites), self.clock)
        in_use, spare = [s for s in states if s.in_use], [s for s in states if not s.in_use]
        if not in_use:  # where none was used yet, the day may need them all
            in_use, spare = spare, []
        paused = {pause.probe_id for pause, _ in pauses}
        todo = (
            *steps.paused(pauses, {s.probe.id: s.probe for s in states}, open_runs, self.clock),
            *steps.beyond(beyond),
            *(s for s in nights if s.section is Section.ATTENTION),
            *steps.resume(run for run in open_runs if run.probe_id not in paused),
            *steps.unfinished(visits),
            *(s for s in nights if s.section is not Section.ATTENTION),
            *steps.leave(rounds, self.clock),
            *ahead.lacking,
            *steps.prepare(in_use),
            *steps.calibrate(in_use, open_runs),
            *(steps.visit(d) for d in due if d.late >= 0),
            *steps.check_back(self.coming_back.probes(), self.clock),
            *steps.prepare(s for s in states if not s.in_use),
            *(replace(s, spare=True) for s in steps.calibrate(spare, open_runs)),
        )
        return DayView(
            states=tuple(states),
            steps=todo,
            due=tuple(d for d in due if d.late >= 0),
            tomorrow=tuple(d for d in due if d.late == -1),
            begin=ahead.begin,
            run_out=tuple(s for s in in_use if s.level is Level.SOUND and s.holds_until and s.holds_until <= tomorrow),
            rounds=tuple(r for r in rounds if r.departure <= tomorrow),
            latest=tuple((site, of_last_stay(newest.get(site.id, []))) for site in sites),
        )

    def _end_of_tomorrow(self) -> datetime:
        day = self.clock.today() + timedelta(days=2)
        return datetime(day.year, day.month, day.day, tzinfo=self.clock.timezone)

    def _look_ahead(self, rounds: Sequence[PlannedRound]) -> Ahead:
        """Return what the rounds until the end of tomorrow ask for tonight, and what they lack."""
        until, today = self._end_of_tomorrow(), self.clock.today()
        begins = self.outlook.rounds.planning.latest_begins
        later = [r for r in rounds if r.departure <= until and self.clock.local(r.departure).date() > today]
        return Ahead(
            tuple(step for r in later for step in steps.tonight(r, begins(r), self.clock)),
            tuple(steps.lacking(self.outlook.lacking(until))),
        )
