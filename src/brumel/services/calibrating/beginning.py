"""Beginning a calibration: what there is to choose from, and what can't be chosen."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.calibrating.judging import principle_of
from brumel.core.calibrating.procedure import Procedure, Step
from brumel.core.findings import Level
from brumel.core.kit.shelf import standards
from brumel.core.place.station_pressure import Pressure, wrong_with
from brumel.core.place.surroundings import REMEMBERED, WATER_C, Surroundings
from brumel.core.plan.order import Done, HouseOrder
from brumel.core.quantities.quantity import quantity
from brumel.core.wording import counted, day_words
from brumel.services.calibrating import run_responses
from brumel.services.calibrating.proposing import Aimed, LotChoice, Proposed, as_last, lots_for, proposal
from brumel.services.calibrating.rows import Begin, run_row
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, check_number
from brumel.services.house import chosen as house
from brumel.services.house.rules import in_force
from brumel.services.probes import run_facts, what_it_is
from brumel.services.probes.retiring import why_retired
from brumel.services.probes.states import USUAL, probe_states
from brumel.services.shelf import lot_words
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reference import Lot, Person, Probe, Site
from brumel.store.queries import reading as reading_queries
from brumel.store.queries import reference as queries
from brumel.store.queries import run as run_queries
from brumel.store.queries import shelf as shelf_queries

_ONE_SITTING = timedelta(hours=4)
"""Probes of a kit that are calibrated within this are calibrated together (rule of this product)."""


@dataclass(frozen=True)
class Choices:
    """What there is to choose from to begin a run with a probe.

    ``lots`` by role; ``proposed`` is the procedure, rinse and lot of each role that its form begins with.
    """

    methods: Sequence[Procedure]
    lots: Mapping[str, Sequence[LotChoice]]
    proposed: Proposed
    why_not: str
    """Why it can't be calibrated here; empty where it can."""
    sites: Sequence[Site]
    usual: Collection[uuid.UUID]
    """The sites that the probe has been reading."""


@dataclass(frozen=True)
class Hints:
    """What is told before a run begins.

    ``pressure`` was given last today for a probe of the same kit, by the run ``given_for``; ``not_looked_at`` says that
    a small coefficient was not taken for long.
    """

    pressure: Pressure | None
    given_for: CalibrationRun | None
    not_looked_at: str
    stale: str
    """Which probes that it leans on have no calibration that holds; empty where all have."""
    out_of_order: tuple[str, ...] = ()
    """What was calibrated before it today and should come after, with the reason."""
    unfinished: CalibrationRun | None = None
    """The newest run with it that is neither signed nor given up."""


def hints_for(session: Session, probe: Probe, clock: Clock, order: HouseOrder) -> Hints:
    """Return what is told before a run with a probe."""
    now, own = clock.now(), what_it_is.senses(probe)
    asked = own is not None and own.needs_pressure
    run = run_queries.newest_with_pressure(session, probe.kit, now - REMEMBERED, now) if asked else None
    pressure = run_facts.place_of(run).pressure if run else None
    early = tuple(out_of_order(session, probe, clock, order))
    stale, unfinished = leaning_on_stale(session, probe, now), run_queries.open_runs(session, probe.id)
    return Hints(pressure, run, _not_looked_at(session, probe, now), stale, early, next(iter(unfinished), None))


def new_run_row(session: Session, begin: Begin, person: Person, clock: Clock, order: HouseOrder) -> dict[str, Any]:
    """Return a run as it is stored when it begins.

    Raises
    ------
    InvalidInput
        With every choice that can't be taken.
    """
    wrong, now, rules = dict[str, str](), clock.now(), in_force()
    probe = session.get(Probe, begin.probe_id) if begin.probe_id else None
    procedure = rules.procedure(begin.method_code)
    if probe is None:
        wrong["probe"] = "Choose the probe to calibrate."
    else:
        wrong |= _unfitting(probe, procedure)
    not_ready = not_ready_for(session, probe, now) if probe else ""
    if not_ready and not begin.despite.strip():
        wrong["despite"] = f"{not_ready} Or say why you calibrate it as it is; the reason stays on record."
    if begin.rinse not in rules.rinses:
        wrong["rinse"] = "Choose how you rinse between solutions."
    waters = _waters(session, begin.site_ids, what_it_is.kind_of(probe).quantity) if probe else None
    if waters is None and procedure.needs_waters(rules):
        wrong["sites"] = "This procedure calibrates on the water's side: choose the sites of the day."
    wrong |= _wrong_place(probe, begin.place) if probe else {}
    chosen = _chosen_lots(session, begin.lots, procedure.steps_for(waters, rules), wrong)
    if begin.new_sensor and procedure.adjusted < (most := _fullest(procedure.principle)):
        points = _NUMBERS.get(most, "all")
        wrong["method"] = f"A new electrode's first run needs {points} adjusted points: choose that procedure."
    if wrong or probe is None:
        raise InvalidInput(wrong)
    frozen = procedure.frozen(
        rules,
        waters=waters,
        rinse=rules.rinses[begin.rinse],
        kind=probe.kind,
        holds_days=what_it_is.holding_of(probe),
        settings=probe.settings,
        first=run_responses.first_since_change(session, probe, now),
        conditions=begin.place.plain,
        steers=what_it_is.kind_of(probe).steers,
        out_of_order=out_of_order(session, probe, clock, order),
    )
    return run_row(begin, probe, frozen, chosen, waters, person, at=now, not_ready=not_ready)


@dataclass(frozen=True)
class PutRight:
    """What is put right of an open run, with the reason; the place whole, sites where their waters are others."""

    entry_id: uuid.UUID
    place: Surroundings
    reason: str
    site_ids: Sequence[uuid.UUID] = ()


def put_right_row(session: Session, run: CalibrationRun, right: PutRight) -> dict[str, Any]:
    """Return the conditions that hold from now on as an entry keeps them.

    Raises
    ------
    InvalidInput
        Without a reason, or with a pressure that can't be.
    """
    wrong = _wrong_place(run.probe, right.place)
    if not right.reason.strip():
        wrong["put_right"] = "Say in a few words how it came to light; it stays on record with the run."
    if wrong:
        raise InvalidInput(wrong)
    asked = principle_of(run.method).needs_pressure
    place = right.place if asked else run_facts.place_of(run)
    waters = _waters(session, right.site_ids, what_it_is.kind_of(run.probe).quantity) or run_facts.waters_of(run)
    return {"conditions": _conditions(place, waters)}


def _conditions(place: Surroundings, waters: tuple[float, float] | None) -> dict[str, Any]:
    return {"place": place.plain, "waters": list(waters) if waters else None}


def refuse_unchanged(run: CalibrationRun, conditions: Mapping[str, Any]) -> None:
    """Refuse to put right what is so already."""
    if conditions == _conditions(run_facts.place_of(run), run_facts.waters_of(run)):
        raise InvalidInput({"put_right": "That is how it stands: change what is to be put right."})


def choices_for(
    session: Session, probe: Probe, now: datetime, today: date, site_ids: Collection[uuid.UUID] = ()
) -> Choices:
    """Return what a run with a probe can begin with, lots in date first, for the waters of these or its usual sites."""
    kind, roles = what_it_is.kind_of(probe), in_force().roles
    found = in_force().procedures_of(kind.principle) if kind.principle else []
    wanted = {s.role for m in found for s in m.steps if s.role}
    wanted = {r for key in wanted for r in (roles[key].lower, roles[key].higher, key) if r in roles}
    wanted = {key for key in roles if key in wanted and roles[key].middle is None}
    last = run_queries.newest_run(session, probe.id, now)
    usual, sites = reading_queries.sites_read_with(session, probe.id, now - USUAL), queries.sites(session)
    waters = _reach((s for s in sites if s.id in (site_ids or usual)), kind.quantity)
    lots = lots_for(session, wanted, today, Aimed(kind.suits.get(kind.quantity), waters))
    begins_with = house.begins_with(session, kind.principle) | as_last(last)
    return Choices(
        found,
        lots,
        proposal(kind, found, lots, begins_with, waters),
        "" if found else _why_not(kind.name),
        sites,
        usual,
    )


def not_ready_for(session: Session, probe: Probe, now: datetime) -> str:
    """Say why a probe may not be calibrated now: its own clocks, and what it leans on; empty where it may."""
    own = what_it_is.Logs.read(session, [probe]).why_not_ready(probe, now)
    return " ".join(words for words in (own, leaning_on_stale(session, probe, now)) if words)


def out_of_order(session: Session, probe: Probe, clock: Clock, order: HouseOrder) -> list[str]:
    """Return what was calibrated in the same kit before a probe, and should have come after it."""
    now = clock.now()
    done = [
        Done(r.probe.label, what_it_is.kind_of(r.probe).quantity, f"{clock.local(r.started_at):%H:%M}")
        for r in run_queries.begun_in_kit(session, probe.kit, now - _ONE_SITTING, now)
        if r.probe_id != probe.id
    ]
    return order.broken(what_it_is.kind_of(probe).quantity, done)


def same_pour(session: Session, run: CalibrationRun) -> list[Probe]:
    """Probes of the kit that could be calibrated in the same pour as a run: in the other value of its solution."""
    of_run = {uuid.UUID(key) for key in (run.lots or {}).values()}
    lots = shelf_queries.lots(session)
    bottles = {lot.bottle_id or lot.id for lot in lots if lot.id in of_run}
    others = [x for x in lots if x.id not in of_run and (x.bottle_id or x.id) in bottles and x.discarded_on is None]
    fitting = {
        m.principle
        for m in in_force().procedures.values()
        for s in m.steps
        for lot in others
        if s.role and in_force().roles[s.role].admits(lot.standard, lot.nominal, lot.family)
    }
    return [p for p in queries.probes(session) if p.kit == run.probe.kit and what_it_is.kind_of(p).principle in fitting]


def leaning_on_stale(session: Session, probe: Probe, now: datetime) -> str:
    """Say which probes of its kit that it leans on have no calibration that holds, and how long each takes."""
    leans_on = what_it_is.kind_of(probe).leans_on
    if not leans_on:
        return ""
    stale = [s for s in probe_states(session, now)
             if s.probe.kit == probe.kit and s.kind.quantity in leans_on and s.level is Level.UNFIT]  # fmt: skip
    if not stale:
        return ""
    names = ", ".join(quantity(key).name for key in leans_on)
    each = ", ".join(f"{s.probe.label} ({s.kind.plan.minutes} min)" for s in stale)
    return f"It leans on {names}: those are calibrated first. Out of date: {each}."


def _unfitting(probe: Probe, procedure: Procedure) -> dict[str, str]:
    """Say why a probe can't be calibrated by a method, by field."""
    kind = what_it_is.kind_of(probe)
    if retired := why_retired(probe):
        return {"probe": retired}
    if kind.holds_days is None:
        return {"probe": "This kind of probe is not calibrated: choose another."}
    if not kind.principle:
        return {"probe": _why_not(kind.name)}
    if procedure.principle != kind.principle:
        return {"method": f"This procedure is not for a {kind.name} probe: choose another."}
    if kind.own_reference and not probe.reference:
        return {"probe": f"Say on the page of {probe.label} which reference electrode it has, then calibrate."}
    return {}


def _wrong_place(probe: Probe, place: Surroundings) -> dict[str, str]:
    """Return what can't be of the place, by field, where the probe's principle asks for it."""
    own = what_it_is.senses(probe)
    if own is None or not own.needs_pressure:
        return {}
    wrong = wrong_with(place.pressure or Pressure())
    if place.water_c is not None:
        check_number(wrong, "water_c", place.water_c, WATER_C, "°C", "temperature of the waters")
    return wrong


def _not_looked_at(session: Session, probe: Probe, now: datetime) -> str:
    """That a small coefficient has not been fitted for so long that it should be; a tip, no more."""
    own = what_it_is.senses(probe)
    due = next((c for c in own.coefficients if c.renew_days), None) if own else None
    if due is None:
        return ""
    fitted = run_queries.newest_fitted(session, probe.id, due.key)
    if fitted is None:
        return f"Its {due.name.lower()} was never taken here: take it once, with the procedure that has it."
    days = (now - fitted).days
    if days <= due.renew_days:
        return ""
    return f"Its {due.name.lower()} was taken {counted(days, 'day')} ago; every {due.renew_days} is wise."


def _waters(session: Session, site_ids: Sequence[uuid.UUID], key: str) -> tuple[float, float] | None:
    return _reach(queries.some_sites(session, site_ids), key)


def _reach(sites: Iterable[Site], key: str) -> tuple[float, float] | None:
    reaches = [reach for site in sites if (reach := site.expected(key))]
    return (min(low for low, _ in reaches), max(high for _, high in reaches)) if reaches else None


def _chosen_lots(
    session: Session, wanted: Mapping[str, uuid.UUID | None], steps: Sequence[Step], wrong: dict[str, str]
) -> dict[str, Lot]:
    chosen: dict[str, Lot] = {}
    for key in sorted({s.role for s in steps if s.role}):
        lot_id, role = wanted.get(key), in_force().roles[key]
        lot = session.get(Lot, lot_id) if lot_id else None
        short = standards()[role.standard].short
        if lot is None:
            wrong[f"lot_{key}"] = f"Choose the lot of the {key} {short}."
        elif not role.admits(lot.standard, lot.nominal, lot.family):
            wrong[f"lot_{key}"] = (
                f"A {short} of {lot_words.label_words(lot)} can't be the {key} one: choose another lot."
            )
        elif lot.discarded_on is not None:
            wrong[f"lot_{key}"] = f"This lot was discarded on {day_words(lot.discarded_on)}: choose another."
        else:
            chosen[key] = lot
    return chosen


def _fullest(principle: str) -> int:
    """So many points the fullest method of a principle adjusts to."""
    return max(m.adjusted for m in in_force().procedures_of(principle))


_NUMBERS = {1: "one", 2: "two", 3: "three", 4: "four"}


def _why_not(kind: str) -> str:
    return f"A {kind} probe is not calibrated here yet: let its meter adjust itself, and enter what it reports."
