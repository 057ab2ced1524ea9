"""Every method from begin to signed verdict, typed; every kind that a meter keeps, as found and as left."""

from __future__ import annotations

import uuid

import pytest

from brumel.core.calibrating.procedure import StepKind
from brumel.core.findings import Level
from brumel.core.kit.kinds import ProbeKind
from brumel.core.place.conditions import Conditions
from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.sensing.principles import principle
from brumel.core.sensing.response import Response
from brumel.core.shipped_rules import shipped
from brumel.services.calibrating.meter_runs import NewKept, TypedPoint
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.shown import StepView
from brumel.services.calibrating.taking import TakePoint
from brumel.services.kit.instruments import NewInstrument, TypedMeasures
from brumel.services.shelf import lot_words
from brumel.store.models.reference import Lot
from tests.services.world import DESPITE, World

NOMINALS = {
    "neutral": 7.00, "acid": 4.01, "alkaline": 10.01, "combined-ph": 4.0, "redox": 220.0, "conductivity": 1413.0,
    "low-conductivity": 1413.0, "high-conductivity": 12_880.0, "combined-conductivity": 2530.0, "oxygen-zero": None,
    "ammonium-low": 4.62, "ammonium-high": 46.2, "nitrate-low": 4.62, "nitrate-high": 46.2, "reagent": None,
}  # fmt: skip
FAMILIES = {"ph-buffer": "technical", "conductivity": "kcl", "orp": "zobell"}
WEAKER = {"ph-one-point", "ph-combined", "conductivity-combined"}
"""Their verdict is doubtful by what they are."""


def lot_of(world: World, role: str) -> Lot:
    name = f"every {role}"
    if name not in world.lots:
        standard = shipped().roles[role].standard
        family = next(iter(shipped().roles[role].families), FAMILIES.get(standard, standard))
        world.shelved(name, standard=standard, family=family, nominal=NOMINALS[role])
    return world.lots[name]


def kind_for(key: str) -> ProbeKind:
    """A kind of this principle that is usual: a cell of K 1."""
    fitting = [k for k in shipped().kinds.values() if k.principle == key]
    return next((k for k in fitting if k.key == "conductivity-1"), fitting[0])


@pytest.fixture(scope="module")
def beside(world: World) -> dict[str, uuid.UUID]:
    """Instruments to compare with, by quantity."""
    exact = {
        "temperature": TypedMeasures(-5.0, 60.0, "±0.03, steps of 0.01"),
        "total-chlorine": TypedMeasures(0.02, 6.0, "±0.05, ±4 % of reading, steps of 0.01"),
    }
    found = {}
    for key, measures in exact.items():
        new = NewInstrument(uuid.uuid4(), f"R {key}", "photometer", "Kit", measures={key: measures})
        found[key] = world.at().instruments.save(new, world.person)
    return found


def point(run: StepView, own: str, kind: ProbeKind, place: Surroundings, beside: dict[str, uuid.UUID]) -> TakePoint:
    """What a probe as is usual for its kind shows in a step's standard."""
    sensing = principle(own).with_usual(kind.usual)
    warm_c = 12.0 if run.step.of_waters else 23.0
    at = place.at(warm_c, "ag-agcl-3m")
    if run.step.kind is StepKind.COMPARE:
        reference = run.step.target or 0.0
        signal = Response.usual(sensing).signal(reference, Conditions(warm_c))
        return TakePoint(
            uuid.uuid4(), run.key, round(signal, 2), warm_c, device=False, reference=reference,
            instrument_id=beside[sensing.quantity], so=[a.key for a in sensing.asks.get(run.step.kind, ())] or None,
        )  # fmt: skip
    aim = run.step.aim(lot_words.bottle(run.lot) if run.lot else None, at).value
    signal = Response.usual(sensing).signal(aim, at)
    did = {"method": "none"} if sensing.meter_asks == "compensation" else {}
    return TakePoint(
        uuid.uuid4(), run.key, round(signal, 3), warm_c, device=False, meter_did=did,
        so=[a.key for a in sensing.asks.get(run.step.kind, ())] or None,
    )  # fmt: skip


@pytest.mark.parametrize("code", sorted(shipped().procedures))
def test_from_begin_to_signature(world: World, beside: dict[str, uuid.UUID], code: str) -> None:
    chosen = shipped().procedure(code)
    kind = kind_for(chosen.principle)
    place = Surroundings(Pressure(1008.0)) if principle(chosen.principle).needs_pressure else Surroundings()
    sites = (world.site.id,) if chosen.needs_waters(shipped()) else ()
    lots = (
        {role: lot_of(world, role).id for role in ("neutral", "acid", "alkaline")}
        if chosen.needs_waters(shipped())
        else {}
    )
    lots |= {s.role: lot_of(world, s.role).id for s in chosen.steps if s.role in NOMINALS}
    probe = world.other_probe(kind.key, f"Kit of {code}")
    begin = Begin(uuid.uuid4(), probe, code, "distilled-once", lots, sites, despite=DESPITE, place=place)
    services = world.at()
    services.calibrations.begin(begin, world.person)
    while (step := services.calibrations.view(begin.run_id).current) is not None:
        if step.step.kind.has_point:
            typed = point(step, chosen.principle, kind, place, beside)
            services.calibrations.take(begin.run_id, typed, world.person)
        else:
            services.calibrations.begin_step(begin.run_id, uuid.uuid4(), step.key, world.person)
    view = world.sign(begin.run_id)
    assert view.response is not None
    wrong = [f for f in view.findings if f.level is Level.UNFIT]
    assert not wrong
    assert view.level is (Level.DOUBTFUL if code in WEAKER else Level.SOUND), view.findings


@pytest.mark.parametrize("key", sorted(k for k, kind in shipped().kinds.items() if kind.checks))
def test_kept_by_a_meter(world: World, key: str) -> None:
    kind = shipped().kinds[key]
    probe = world.other_probe(key, f"Meter kit of {key}")
    points = {}
    for check in kind.checks:
        role = next((r for r in NOMINALS if shipped().roles[r].standard == check.standard), None)
        lot = lot_of(world, role) if role and check.standard else None
        aim = check.target if check.target is not None else (lot.nominal if lot and lot.nominal else 1.0)
        points[check.key] = TypedPoint(lot.id if lot else None, None if check.standard else aim, 25.0, aim, aim)
    reported = {r.key: (r.bounds.sound_low + r.bounds.sound_high) / 2 for r in kind.reported}
    new = NewKept(uuid.uuid4(), probe, points=points, reported=reported)
    world.at().kept.record(new, world.person)
    view = world.at().calibrations.view(new.run_id)
    assert view.level in (Level.SOUND, Level.DOUBTFUL), view.findings
