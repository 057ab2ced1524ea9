"""Every finding once through the whole stack: entered as a technician would, stored, read back from the database."""

from __future__ import annotations

import ast
import math
import uuid
from collections.abc import Callable, Iterator
from datetime import timedelta
from pathlib import Path

import pytest

from brumel.core.calibrating import comparing
from brumel.core.calibrating import run_verdict as verdict
from brumel.core.findings import Finding
from brumel.core.kit.shelf import out_of_date
from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.ph import millivolts_from_ph
from brumel.core.reading import reading_verdict
from brumel.core.sensing.glass import signs as glass_signs
from brumel.services.calibrating.meter_runs import NewKept, TypedPoint
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.kit.instruments import NewInstrument, TypedMeasures
from brumel.services.probes.care_log import NewCare
from brumel.services.readings.draft import NewReading
from brumel.store.models.reference import Lot
from tests.conftest import NOW
from tests.said import remedy, sentence
from tests.services.world import SIDE, World

DAY = timedelta(days=1)


def run(world: World, points: dict[str, dict[str, object]], **begin: object) -> tuple[Finding, ...]:
    """A run on a new probe, with one dict of particulars a step."""
    run_id = world.begin(world.probe(), **begin)  # type: ignore[arg-type]
    for step, given in points.items():
        world.take(run_id, step, **given)  # type: ignore[arg-type]
    return world.sign(run_id).findings


def three(**given: object) -> dict[str, dict[str, object]]:
    return {step: dict(given) for step in ("neutral", "acid", "alkaline")}


def after_a_sound_run(world: World) -> tuple[Finding, ...]:
    probe = world.probe()
    world.calibrated(probe, NOW - DAY)
    return world.calibrated(probe, NOW, slope=95.2).findings


def unsettled_point(world: World) -> tuple[Finding, ...]:
    probe = world.probe(device=True)
    run_id = world.begin(probe)
    services = world.at()
    services.calibrations.begin_step(run_id, uuid.uuid4(), "neutral", world.person)
    world.samples(probe, [3.0 + 0.4 * t for t in range(40)])
    with pytest.raises(InvalidInput, match="Not stable yet"):
        services.calibrations.take(run_id, TakePoint(uuid.uuid4(), "neutral"), world.person)
    take = TakePoint(uuid.uuid4(), "neutral", unsettled_reason="the tide was coming")
    services.calibrations.take(run_id, take, world.person)
    return world.sign(run_id).findings


def slow_in_each(world: World) -> tuple[Finding, ...]:
    """An electrode that comes to rest by a time constant of 150 s in both buffers."""
    probe = world.probe(device=True)
    run_id, services = world.begin(probe), world.at()
    for step, end in (("neutral", 2.0), ("acid", 175.0)):
        services.calibrations.begin_step(run_id, uuid.uuid4(), step, world.person)
        world.samples(probe, [end - 60.0 * math.exp(-t / 150.0) for t in range(900)])
        services.calibrations.take(run_id, TakePoint(uuid.uuid4(), step), world.person)
    return world.sign(run_id).findings


def beside_a_photometer(world: World) -> tuple[Finding, ...]:
    measures = {"total-chlorine": TypedMeasures(0.02, 6.0, "±0.05, ±4 % of reading, steps of 0.01")}
    new = NewInstrument(uuid.uuid4(), "P-REF", "photometer", "Kit", measures=measures)
    photometer = world.at().instruments.save(new, world.person)
    tablets = world.shelved("tablets", standard="chlorine-reagent", family="chlorine-reagent", nominal=None)
    begin = Begin(
        uuid.uuid4(), world.other_probe("chlorine"), "chlorine-beside", "distilled-once", {"reagent": tablets.id}
    )
    services = world.at()
    services.calibrations.begin(begin, world.person)
    point = TakePoint(uuid.uuid4(), "beside", 1.2, 24.0, device=False, reference=1.62, instrument_id=photometer)
    services.calibrations.take(begin.run_id, point, world.person)
    return world.sign(begin.run_id).findings


def out_of_order(world: World) -> tuple[Finding, ...]:
    """Conductivity after the buffers of the same kit."""
    world.take(world.begin(world.probe()), "neutral")
    lot = world.shelved("1413 out of order", standard="conductivity", family="kcl", nominal=1413.0)
    return one_conductivity(world, "conductivity-one", "conductivity", lot, "standard", 1413.0)


def in_a_combined_solution(world: World) -> tuple[Finding, ...]:
    lot = world.shelved("two values", standard="conductivity", family="combined", nominal=2530.0)
    return one_conductivity(world, "conductivity-combined", "combined-conductivity", lot, "combined", 2500.0)


def one_conductivity(
    world: World, method: str, role: str, lot: Lot, step: str, us_cm: float
) -> tuple[Finding, ...]:  # fmt: skip
    probe = world.other_probe("conductivity-1")
    begin = Begin(uuid.uuid4(), probe, method, "distilled-once", {role: lot.id})
    services = world.at()
    services.calibrations.begin(begin, world.person)
    point = TakePoint(uuid.uuid4(), step, us_cm, 25.0, device=False, meter_did={"method": "none"})
    services.calibrations.take(begin.run_id, point, world.person)
    return world.sign(begin.run_id).findings


RUNS: dict[str, tuple[str, Callable[[World], tuple[Finding, ...]]]] = {
    "slope": ("unfit", lambda w: run(w, three(slope=88.0))),
    "offset": ("doubtful", lambda w: run(w, three(offset=22.0))),
    "residual": ("doubtful", lambda w: run(w, three() | {"acid": {"off_ph": 0.16}})),
    "scatter": ("doubtful", lambda w: run(w, three() | {"acid": {"off_ph": 0.2}})),
    "check-residual": (
        "unfit",
        lambda w: run(
            w,
            {"neutral": {}, "side": {}, "opposite": {"off_ph": 0.12}},
            method=SIDE,
            sites=(w.site.id,),
        ),
    ),
    "buffers-swapped": (
        "unfit",
        lambda w: run(w, {"neutral": {"cup": "4.01"}, "acid": {"cup": "7.00"}, "alkaline": {}}),
    ),
    "same-buffer-twice": ("unfit", lambda w: run(w, three() | {"acid": {"cup": "7.00"}})),
    "same-potential": ("unfit", lambda w: run(w, three(cup="7.00") | {"acid": {"cup": "7.00", "off_ph": 0.02}})),
    "one-point": ("doubtful", lambda w: run(w, {"neutral": {}})),
    "family-not-verified": ("sound", lambda w: run(w, {"neutral": {}, "acid": {}})),
    "another-family": ("unfit", lambda w: run(w, three() | {"alkaline": {"off_ph": -0.83 + 0.045}})),
    "mixed-families": ("doubtful", lambda w: run(w, three(), lots={"neutral": "primary 6.865"})),
    "lot-expired": ("unfit", lambda w: run(w, three(), lots={"acid": "old 4.01"})),
    "lot-open-too-long": ("unfit", lambda w: run(w, three(), lots={"alkaline": "stale 10.01"})),
    "standard-temperature": (
        "doubtful",
        lambda w: run(w, three(temperature_c=15.0), lots={"neutral": "no table 7.01"}),
    ),
    "deviation": ("doubtful", lambda w: run(w, three(deviations=("rinse-skipped",)))),
    "temperatures-apart": ("doubtful", lambda w: run(w, three() | {"acid": {"temperature_c": 28.0}})),
    "not-bracketing": ("doubtful", lambda w: run(w, {"neutral": {}, "acid": {}}, sites=(w.site.id,))),
    "changed-since-last": ("doubtful", after_a_sound_run),
    "not-settled": ("doubtful", unsettled_point),
    "electrode-slow": ("doubtful", slow_in_each),
    "agreement": ("unfit", beside_a_photometer),
    "order": ("sound", out_of_order),
    "leaves-open": ("doubtful", in_a_combined_solution),
}


@pytest.mark.parametrize("code", RUNS)
def test_a_calibrations_finding(world: World, code: str) -> None:
    level, case = RUNS[code]
    findings = case(world)
    assert (code, level) in [(f.code, f.level) for f in findings], findings
    if level != "sound":
        assert all(remedy(f) for f in findings if f.code == code and f.level != "sound")


def test_the_opposite_buffer_as_a_check_is_judged_and_verifies_the_family(world: World) -> None:
    findings = run(world, {"neutral": {}, "side": {}, "opposite": {}}, method=SIDE, sites=(world.site.id,))
    check = next(f for f in findings if f.code == "check-residual")
    assert (check.level, "Check in buffer 4.01" in sentence(check)) == ("sound", True), check
    assert "family-not-verified" not in {f.code for f in findings}


def test_a_probe_that_gives_the_same_everywhere_has_no_response_to_sign(world: World) -> None:
    """A wet plug or a short gives 0 mV in every buffer: no line, no infinite pH, a finding, and no signature."""
    run_id = world.begin(world.probe())
    runs = world.at().calibrations
    for step in ("neutral", "acid", "alkaline"):
        runs.take(run_id, TakePoint(uuid.uuid4(), step, 0.0, 22.0, device=False), world.person)
    view = runs.view(run_id)
    assert view.response is None
    assert [(f.code, f.level) for f in view.findings] == [("no-response", "unfit")]
    assert "0.0 mV in buffer 7.00 (lot 7.00), 0.0 mV in buffer 4.01" in sentence(view.findings[0])
    with pytest.raises(InvalidInput, match=r"No response can be found: .* or cancel the calibration and say why\."):
        runs.sign(run_id, world.person)
    runs.abandon(run_id, world.person, "the plug was wet")


def on_probe(world: World, **given: object) -> tuple[Finding, ...]:
    probe = world.probe()
    world.calibrated(probe)
    return world.read(probe, **given).findings


def on_line(world: World, *, days: float = 0.0, **electrode: float) -> tuple[Finding, ...]:
    probe = world.probe()
    world.calibrated(probe, NOW - days * DAY, **electrode)
    return world.read(probe).findings


def after_an_unfit_run(world: World) -> tuple[Finding, ...]:
    probe = world.probe()
    world.calibrated(probe, NOW - timedelta(hours=2))
    world.calibrated(probe, NOW - timedelta(hours=1), slope=80.0)
    return world.read(probe).findings


def drifting(world: World) -> tuple[Finding, ...]:
    probe = world.probe(device=True)
    world.calibrated(probe)
    world.samples(probe, [-20.0 - 0.5 * t for t in range(40)])
    services = world.at()
    new = NewReading(uuid.uuid4(), world.site.id, probe.id, "device", after_seq=0)
    with pytest.raises(InvalidInput, match="Not stable yet"):
        services.readings.record(new, world.person)
    given = {"after_seq": 0, "unsettled_reason": "rain", "signal": None, "temperature_c": None}
    return world.read(probe, source="device", **given).findings


def after_a_new_electrode(world: World) -> tuple[Finding, ...]:
    probe = world.probe()
    world.calibrated(probe, NOW - timedelta(hours=2))
    world.at(NOW - timedelta(hours=1)).kit.log(probe.id, NewCare(uuid.uuid4(), "electrode-changed"), world.person)
    assert world.at().states.probe_state(probe.id).level == "unfit"
    return world.read(probe).findings


def shown_by_a_meter_that_was_off(world: World) -> tuple[Finding, ...]:
    probe_id = world.other_probe("ph-combination", meter_id=world.meter(holds_calibration=False))
    services = world.at()
    meter_id = services.kit.life(probe_id).card.state.probe.meter_id
    services.meters.log(meter_id, uuid.uuid4(), "switched-off", NOW - timedelta(hours=1), "", world.person)
    return world.read(
        services.states.probe_state(probe_id).probe, source="typed-value", signal=None, shown=7.4
    ).findings


def by_a_meter(world: World, in_buffer_7: float | None = None, **given: object) -> tuple[Finding, ...]:
    """What a meter shows, of which something is known: what it is said to be, or what it showed in a buffer."""
    probe_id = world.other_probe("ph-combination", meter_id=world.meter(**given))
    if in_buffer_7 is not None:
        point = TypedPoint(world.lots["7.00"].id, None, 25.0, in_buffer_7, None)
        world.at().kept.record(NewKept(uuid.uuid4(), probe_id, points={"neutral": point}), world.person)
    return world.read(world.at().states.probe(probe_id), source="typed-value", signal=None, shown=7.4).findings


def beyond_the_compensation(world: World) -> tuple[Finding, ...]:
    probe = world.at().states.probe(world.other_probe("conductivity-1"))
    return world.read(probe, signal=900.0, temperature_c=38.0).findings


def without_movement(world: World) -> tuple[Finding, ...]:
    """A membrane that falls by a time constant of 50 s, from saturated air into water that does not move."""
    probe = world.probe(device=True, kind="oxygen-galvanic")
    noise = (0.05, -0.03, 0.02, -0.05, 0.01)
    world.samples(probe, [30.0 + 60.0 * math.exp(-t / 50.0) + noise[t % 5] for t in range(420)])
    place = Surroundings(Pressure(1002.0))
    given = {"source": "device", "after_seq": 0, "signal": None, "temperature_c": None, "place": place}
    return world.read(probe, **given).findings


READINGS: dict[str, tuple[str, Callable[[World], tuple[Finding, ...]]]] = {
    "no-movement": ("doubtful", without_movement),
    "calibration-missing": ("unfit", lambda w: w.read(w.probe()).findings),
    "calibration-old": ("doubtful", lambda w: on_line(w, days=3)),
    "calibration-doubtful": ("doubtful", lambda w: on_line(w, slope=93.0)),
    "calibration-unfit": ("unfit", after_an_unfit_run),
    "calibration-voided": ("unfit", after_a_new_electrode),
    "not-bracketed": ("doubtful", lambda w: on_probe(w, signal=300.0)),
    "site-range": ("doubtful", lambda w: on_probe(w, signal=100.0)),
    "implausible": ("unfit", lambda w: on_probe(w, signal=float(millivolts_from_ph(14.6, 22.0)))),
    "meter-unknown": ("doubtful", lambda w: on_probe(w, source="typed-value", signal=None, shown=7.4)),
    "meters-own-line": ("sound", lambda w: by_a_meter(w, accuracy={"ph": "±0.02"})),
    "meter-run-doubtful": ("doubtful", lambda w: by_a_meter(w, 7.06)),
    "meter-run-unfit": ("unfit", lambda w: by_a_meter(w, 7.2)),
    "meter-lost-calibration": ("unfit", shown_by_a_meter_that_was_off),
    "temperature-implausible": ("doubtful", lambda w: on_probe(w, temperature_c=72.0)),
    "not-settled": ("doubtful", drifting),
    "not-compensated": ("doubtful", beyond_the_compensation),
}


@pytest.mark.parametrize("code", READINGS)
def test_a_readings_finding(world: World, code: str) -> None:
    level, case = READINGS[code]
    findings = case(world)
    assert (code, level) in [(f.code, f.level) for f in findings], findings
    assert all(remedy(f) for f in findings if f.code == code and f.level != "sound")


def test_nothing_is_found_where_all_is_well(world: World) -> None:
    assert {f.level for f in on_line(world)} <= {"sound"}
    assert world.calibrated(world.probe()).level == "sound"


def test_old_and_unfit_after_a_week(world: World) -> None:
    assert ("calibration-old", "unfit") in [(f.code, f.level) for f in on_line(world, days=8)]


def codes(module: object) -> Iterator[str]:
    """The codes of all findings that a module makes, but those that it makes of a coefficient's key."""
    source = Path(str(module.__file__)).read_text(encoding="utf-8")  # type: ignore[attr-defined]
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Call) and ast.unparse(node.func) == "Finding":
            first = node.args[0]
            for one in (first.body, first.orelse) if isinstance(first, ast.IfExp) else (first,):
                code = one.value if isinstance(one, ast.Constant) else getattr(module, ast.unparse(one), "")
                yield from [str(code)] if code else []


def test_every_finding_of_the_core_has_its_case() -> None:
    of_a_lot = {f.code for f in out_of_date(1, 1)}
    assert {*codes(verdict), *codes(glass_signs), *codes(comparing), "slope", "offset"} | of_a_lot == set(RUNS)
    assert set(codes(reading_verdict)) == set(READINGS)
