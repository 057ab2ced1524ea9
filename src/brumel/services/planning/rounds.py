"""Rounds that are planned: kept, changed, ticked off, dropped; the plan itself is worked out anew at each look."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy.orm import Session

from brumel.core.kit.care import MeterEvent
from brumel.core.plan import tasks
from brumel.core.quantities.quantity import of_a_round
from brumel.services.acts import act
from brumel.services.cached.remembered import cached
from brumel.services.clock import Clock
from brumel.services.editing import edited
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.house.rules import in_force
from brumel.services.kit.life import Kit
from brumel.services.kit.meters import Meters
from brumel.services.people import may_record
from brumel.services.planning.plan import DayPlan, Planning, PlanStep
from brumel.services.probes.care_log import NewCare
from brumel.store.database import Database
from brumel.store.models.reference import Person, PlannedRound, Site
from brumel.store.queries import reference as queries

_FARTHEST = timedelta(days=14)
_LONGEST_MIN = 600
_CLEANED = "cleaning solution"
_STORED = "storage solution"
_TICKED = "Ticked off in the plan."


@dataclass(frozen=True)
class NewRound:
    """A round to plan, as typed; also for changing one."""

    round_id: uuid.UUID
    departure: datetime | None
    kit: str
    rinse: str
    site_ids: Sequence[uuid.UUID]
    probe_ids: Sequence[uuid.UUID] = ()
    without: Sequence[str] = ()
    travel: Sequence[float] = ()
    """Minutes of the way to each site in turn, and of the way back; empty where nobody says."""
    stay_min: float | None = None
    version: int | None = None
    """At which it was seen, where it is changed."""


@dataclass(frozen=True)
class PlannedRounds:
    """Use cases around rounds that are planned."""

    database: Database
    clock: Clock
    planning: Planning
    kit: Kit
    meters: Meters

    @cached
    def ahead(self) -> Sequence[PlannedRound]:
        """Rounds that have not left yet, the next first."""
        with self.database.session() as session:
            return queries.planned_rounds(session, self.clock.now())

    @cached
    def kits(self) -> Sequence[str]:
        """Return the kits that probes travel in."""
        return sorted({s.probe.kit for s in self.planning.states.probe_states()})

    @cached
    def plan(self, round_id: uuid.UUID) -> DayPlan:
        """Return a round's plan as things stand now."""
        with self.database.session() as session:
            wanted = _round(session, round_id)
        return self.planning.plan(wanted)

    @act(round="new.round_id")
    def save(self, new: NewRound, person: Person) -> uuid.UUID:
        """Keep a round, or change one; what was ticked off stays.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            wrong = self._wrong(session, new)
            if wrong or new.departure is None:
                raise InvalidInput(wrong)
            known = session.get(PlannedRound, new.round_id)
            if known is not None and known.dropped:
                raise InvalidInput({"departure": "This round was dropped: plan a new one."})
            with edited(session, PlannedRound, new.round_id, new.version, self._shown) as row:
                if known is None:
                    row.person_id, row.planned_at, row.done = person.id, self.clock.now(), {}
                row.departure, row.kit, row.rinse = new.departure, new.kit, new.rinse
                row.site_ids, row.probe_ids = list(new.site_ids), list(new.probe_ids)
                row.without = [q.key for q in of_a_round() if q.key in new.without]
                row.travel, row.stay_min = [float(minutes) for minutes in new.travel], new.stay_min
        return new.round_id

    @act(round="round_id")
    def take_way(self, round_id: uuid.UUID, field: str, value: str, person: Person) -> None:
        """Take a way out that a plan offered: another probe, a later departure, or without a quantity."""
        may_record(person)
        with self.database.session() as session:
            row = _round(session, round_id)
            departure, probes, without = row.departure, list(row.probe_ids), list(row.without)
            try:
                if field == "departure":
                    departure = datetime.fromisoformat(value).astimezone(UTC)
                elif field == "probe":
                    chosen, _, replaced = value.partition(",")
                    known = {str(p.id): p.id for p in queries.probes(session)}
                    probes = [p for p in probes if str(p) != replaced] + [known[chosen]]
                elif field == "without" and value in {q.key for q in of_a_round()}:
                    without.append(value)
                else:
                    raise LookupError(field)
            except (ValueError, LookupError):
                raise InvalidInput({"way": "This way out is no longer there: look at the plan again."}) from None
            changed = NewRound(
                round_id, departure, row.kit, row.rinse, row.site_ids, probes, without, row.travel, row.stay_min,
                row.version,
            )  # fmt: skip
        self.save(changed, person)

    @act(round="round_id")
    def tick(self, round_id: uuid.UUID, key: str, person: Person) -> None:
        """Tick a step off now; care that it stands for goes into the log, so that the clocks run."""
        may_record(person)
        plan = self.plan(round_id)
        step = next((s for s in plan.steps if s.key == key), None)
        if step is None:
            return  # ticked already, or no longer needed
        now = self.clock.now()
        with self.database.session() as session:
            row = _round(session, round_id)
            if key in row.done:
                return  # somebody else ticked it at the same moment
            self._log_care(step, row, now, person)
            row.done = {**row.done, key: now.isoformat()}

    @act(round="round_id")
    def untick(self, round_id: uuid.UUID, person: Person) -> None:
        """Take back all ticks; what went into the log stays there, to be withdrawn where it is wrong."""
        may_record(person)
        with self.database.session() as session:
            _round(session, round_id).done = {}

    @act(round="round_id")
    def drop(self, round_id: uuid.UUID, person: Person) -> None:
        """The round does not take place."""
        may_record(person)
        with self.database.session() as session:
            _round(session, round_id).dropped = True

    def _shown(self, row: PlannedRound) -> dict[str, object]:
        departure = self.clock.said(row.departure)
        return {"departure": departure, "kit": row.kit, "sites": len(row.site_ids)}

    def _log_care(self, step: PlanStep, wanted: PlannedRound, now: datetime, person: Person) -> None:
        probe = step.probe.probe

        def log(care: str, at: datetime = now, detail: str = "", minutes: float | None = None) -> None:
            new = NewCare(uuid.uuid4(), care, at, detail, minutes, _TICKED)
            self.kit.log(probe.id, new, person)

        if step.what == tasks.CURE and step.probe.readiness.cure is not None:
            log(step.probe.readiness.cure.care)
        elif step.what == tasks.STORAGE:
            cleaned = (wanted.done or {}).get(f"{probe.label}/{tasks.CLEAN}")
            log("cleaned", datetime.fromisoformat(cleaned) if cleaned else now, _CLEANED)
            log("stored", detail=_STORED)
        elif step.what == tasks.SWITCH_ON and probe.meter_id is not None:
            self.meters.log(probe.meter_id, uuid.uuid4(), MeterEvent.SWITCHED_ON, now, _TICKED, person)

    def _wrong(self, session: Session, new: NewRound) -> dict[str, str]:
        now = self.clock.now()
        wrong: dict[str, str] = {}
        if new.departure is None:
            wrong["departure"] = "Give date and time of departure."
        elif new.departure <= now:
            wrong["departure"] = "The departure has passed: choose a later one."
        elif new.departure > now + _FARTHEST:
            wrong["departure"] = "A plan reaches two weeks ahead: choose an earlier departure."
        if not new.site_ids:
            wrong["sites"] = "Choose the sites of the round."
        elif any(session.get(Site, s) is None for s in new.site_ids):
            wrong["sites"] = "One of the sites is not known: choose again."
        if new.kit not in {p.kit for p in queries.probes(session)}:
            wrong["kit"] = "Choose the kit that goes along."
        if any(not 0 <= minutes <= _LONGEST_MIN for minutes in new.travel):
            wrong["travel"] = f"A way takes 0 to {_LONGEST_MIN} minutes: check them."
        elif new.travel and len(new.travel) != len(new.site_ids) + 1:
            wrong["travel"] = "Give the way to each site, and the way back."
        if new.stay_min is not None and not 1 <= new.stay_min <= _LONGEST_MIN:
            wrong["stay"] = f"A stay takes 1 to {_LONGEST_MIN} minutes: check it."
        if new.rinse not in in_force().rinses:
            wrong["rinse"] = "Choose how you rinse between solutions."
        return wrong


def _round(session: Session, round_id: uuid.UUID) -> PlannedRound:
    row = session.get(PlannedRound, round_id)
    if row is None or row.dropped:
        raise NotFound("There is no such round.")
    return row
