"""Ammonium and nitrate through the stack: every method to its verdict, what comes first, the water's salts."""

from __future__ import annotations

import math
import uuid
from datetime import timedelta
from typing import Any

import pytest

from brumel.core.place.surroundings import Surroundings
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.shown import RunView
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.probes.care_log import NewCare
from brumel.services.readings.draft import NewReading
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Sheet
from brumel.store.database import Database
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Probe
from tests.conftest import NOW
from tests.said import sentence
from tests.services.world import World

HIGH, LOW = 46.2, 4.62
STEPS = {"two": ("high", "low"), "three": ("high", "low", "high-field"),
         "four": ("high", "low", "high-field", "low-field")}  # fmt: skip


@pytest.fixture(scope="module")
def world(database: Database) -> World:
    made = World(database)
    for ion in ("ammonium", "nitrate"):
        for name, value in (("high", HIGH), ("low", LOW)):
            made.shelved(f"{ion}-{name}", standard=ion, family="", nominal=value)
    return made


def signal(activity: float, t: float, charge: int = 1) -> float:
    """A tip of 96 %, 150 mV and 0.2 mV/°C, worked here: R·T·ln 10 / (z·F)."""
    k = 1000 * 8.314462618 * (273.15 + t) * math.log(10) / (charge * 96485.33212)
    return 150.0 + 0.96 * k * math.log10(activity) + 0.2 * (t - 25.0)


def tip(world: World, ion: str = "ammonium", kit: str = "") -> Probe:
    return world.at().states.probe(world.other_probe(ion, kit or f"Kit {uuid.uuid4()}"))


def run(world: World, probe: Probe, method: str = "two", despite: str = "") -> RunView:
    ion = probe.kind
    lots = {f"{ion}-{name}": world.lots[f"{ion}-{name}"].id for name in ("high", "low")}
    begin = Begin(uuid.uuid4(), probe.id, f"{ion}-{method}", "distilled-once", lots, despite=despite)
    run_id = world.at().calibrations.begin(begin, world.person)
    for step in STEPS[method]:
        t = 8.0 if step.endswith("field") else 22.0
        mv = signal(HIGH if step.startswith("high") else LOW, t, 1 if ion == "ammonium" else -1)
        world.at().calibrations.take(run_id, TakePoint(uuid.uuid4(), step, mv, t, device=False), world.person)
    return world.sign(run_id)


def read(world: World, probe: Probe, **given: Any) -> Reading:
    usual: dict[str, Any] = {"source": "typed-signal", "temperature_c": 8.0, "signal": signal(10.0, 8.0)}
    new = NewReading(uuid.uuid4(), world.site.id, probe.id, **usual | given)
    world.at().readings.record(new, world.person)
    return world.at().readings.view(new.reading_id).reading


@pytest.mark.parametrize("ion", ["ammonium", "nitrate"])
@pytest.mark.parametrize("method", STEPS)
def test_every_method_runs_to_its_verdict(world: World, ion: str, method: str) -> None:
    signed = run(world, tip(world, ion), method)
    assert signed.level == "sound"
    assert signed.response is not None
    assert signed.response["slope"] == pytest.approx(96.0, abs=0.01)
    stored = {c.key: (c.value, c.origin) for c in signed.run.coefficients}
    drift = (0.0, "assumed") if method == "two" else (pytest.approx(0.2, abs=1e-6), "fitted")
    assert stored["temperature"] == drift
    assert "96 % of theory" in next(sentence(f) for f in signed.findings if f.code == "gap")
    assert [p.target_known for p in signed.run.points] == [True] * len(STEPS[method])


def test_a_pair_waits_for_one_temperature_or_for_a_reason(world: World) -> None:
    probe = tip(world)
    lots = {f"ammonium-{name}": world.lots[f"ammonium-{name}"].id for name in ("high", "low")}
    begin = Begin(uuid.uuid4(), probe.id, "ammonium-three", "distilled-once", lots)
    run_id = world.at().calibrations.begin(begin, world.person)

    def take(step: str, t: float, reason: str = "") -> None:
        mv = signal(LOW if step == "low" else HIGH, t)
        point = TakePoint(uuid.uuid4(), step, mv, t, device=False, unsettled_reason=reason)
        world.at().calibrations.take(run_id, point, world.person)

    take("high", 22.0)
    with pytest.raises(InvalidInput) as refused:
        take("low", 22.6)
    assert "within 0.5 °C. Let both stand together" in refused.value.fields["apart"]
    take("low", 22.5)
    take("low", 22.9, "no time to wait")
    take("high-field", 8.0)  # a pair of its own
    found = {f.code for f in world.sign(run_id).findings if f.level != "sound"}
    assert "pair-temperatures" in found


def test_it_is_read_as_concentration_with_the_waters_salts(world: World) -> None:
    """Davies at 1 000 µS/cm: γ 0.882; an activity of 10 mg/L is a concentration of 11.34."""
    probe = tip(world)
    run(world, probe, "four")
    found = read(world, probe, place=Surroundings(conductivity=1000.0))
    assert (found.quantity, found.value) == ("ammonium-n", pytest.approx(11.34, abs=0.01))
    beside = next(d for d in found.derived if d["quantity"] == "ammonium-activity")
    assert beside["value"] == pytest.approx(10.0, rel=1e-3)
    assert (found.surroundings["conductivity"], found.surroundings["conductivity_from"]) == (1000.0, "typed")
    assert 0.2 < 2 * found.u < 1.5
    assert "γ at 1000 µS/cm" in " ".join(found.working)


@pytest.mark.parametrize(
    ("place", "words"),
    [
        (Surroundings(), "The water's salts count"),
        (Surroundings(conductivity=1501.0), "above 1500 µS/cm this ammonium tip takes other ions"),
        (Surroundings(conductivity=-1.0), "must be 0 to 200\u202f000 µS/cm"),
        (Surroundings(conductivity=200_001.0), "must be 0 to 200\u202f000 µS/cm"),
    ],
)
def test_salt_water_and_unknown_water_are_refused(world: World, place: Surroundings, words: str) -> None:
    probe = tip(world)
    run(world, probe)
    with pytest.raises(InvalidInput) as refused:
        read(world, probe, place=place)
    assert words in refused.value.fields["conductivity"]


def test_a_visit_gives_the_conductivity_and_an_amendment_of_it_amends_the_ion(world: World) -> None:
    probe, at = tip(world), world.at()
    run(world, probe)
    visit = at.visits.open(NewVisit(uuid.uuid4(), world.site.id), world.person)
    cond = uuid.uuid4()
    at.visits.save(visit, Sheet([TypedIn(cond, "specific-conductance", "500")]), world.person)
    found = read(world, probe, visit_id=visit, temperature_c=22.0, signal=signal(9.11, 22.0))
    assert found.value == pytest.approx(10.0, abs=0.03)
    assert found.surroundings["conductivity_by"] == str(cond)
    at.visits.amend(cond, TypedIn(uuid.uuid4(), "specific-conductance", "1000"), "misread", world.person)
    now = [r for r in at.visits.view(visit).readings if r.quantity == "ammonium-n"]
    assert [round(r.value, 1) for r in now] == [round(9.11 / 0.882, 1)]


def test_what_it_leans_on_is_calibrated_first(world: World) -> None:
    kit = f"Kit {uuid.uuid4()}"
    ph = world.at().states.probe(world.other_probe("ph-combination", kit))
    probe = tip(world, kit=kit)
    with pytest.raises(InvalidInput) as refused:
        run(world, probe)
    words = refused.value.fields["despite"]
    assert f"{ph.label} (12 min)" in words
    assert world.at().calibrations.before(probe.id)[1].stale in words
    forced = run(world, probe, despite="no buffers left")
    assert any("no buffers left" in sentence(f) and f.level == "doubtful" for f in forced.findings)
    world.calibrated(ph)
    assert world.at().calibrations.before(probe.id)[1].stale == ""
    assert run(world, probe).level == "sound"


def test_a_change_of_the_shared_reference_ends_its_calibration(world: World) -> None:
    kit = f"Kit {uuid.uuid4()}"
    ph = world.at().states.probe(world.other_probe("ph-refillable", kit))
    world.calibrated(ph)
    probe = tip(world, kit=kit)
    run(world, probe)
    assert world.at().states.probe_state(probe.id).level == "sound"
    soon, care = NOW + timedelta(minutes=5), uuid.uuid4()
    for _ in range(2):  # sent twice
        world.at(soon).kit.log(ph.id, NewCare(care, "reference-refilled"), world.person)
    later = world.at(soon + timedelta(minutes=1))
    state = later.states.probe_state(probe.id)
    assert (state.level, "ends a calibration" in state.why) == ("unfit", True)
    entries = [h for h in later.kit.life(probe.id).happened.rows if "reference" in h.words]
    assert len(entries) == 1
    later.kit.withdraw(care, "it was the other probe", world.person)
    assert world.at(soon + timedelta(minutes=2)).states.probe_state(probe.id).level == "sound"
