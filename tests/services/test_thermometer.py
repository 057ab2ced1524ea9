"""A thermometer beside a traceable one: three baths, one bath, what is refused, and the temperature that it reads."""

from __future__ import annotations

import math
import uuid

import pytest

from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.shown import RunView
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.kit.instruments import NewInstrument, TypedMeasures
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Sheet
from tests.services.world import World

BATHS = {"ice": 0.02, "room": 20.53, "warm": 38.11}


@pytest.fixture(scope="module")
def traceable(world: World) -> uuid.UUID:
    measures = {"temperature": TypedMeasures(-5.0, 60.0, "±0.03, steps of 0.01")}
    new = NewInstrument(uuid.uuid4(), "T-REF", "thermometer", "Store", measures=measures)
    return world.at().instruments.save(new, world.person)


def begun(world: World, method: str = "thermometer-three") -> uuid.UUID:
    begin = Begin(uuid.uuid4(), world.other_probe("temperature"), method, "distilled-once", {})
    return world.at().calibrations.begin(begin, world.person)


def taken(world: World, run_id: uuid.UUID, beside: uuid.UUID, shown: dict[str, float]) -> RunView:
    for step, value in shown.items():
        reference = BATHS.get(step, 20.53)
        take = TakePoint(uuid.uuid4(), step, value, device=False, reference=reference, instrument_id=beside)
        world.at().calibrations.take(run_id, take, world.person)
    return world.at().calibrations.view(run_id)


def test_three_baths_give_an_offset_whose_uncertainty_keeps_the_reference(world: World, traceable: uuid.UUID) -> None:
    run_id = begun(world)
    taken(world, run_id, traceable, {"ice": 0.14, "room": 20.63, "warm": 38.20})
    view = world.sign(run_id)
    assert view.level == "sound"
    # By hand: +0.12, +0.10, +0.09 °C off; their mean
    assert view.response is not None
    assert view.response.by_key["offset"] == pytest.approx((0.12 + 0.10 + 0.09) / 3, abs=5e-4)
    # One reference stands behind all three: ±0.03 rectangular and its display's step; each bath has 0.03 of its own,
    # each display 0.012.
    reference = math.hypot(0.03 / math.sqrt(3), 0.01 / math.sqrt(12))
    each = math.hypot(0.03, 0.012) / math.sqrt(3)
    assert view.response.u("offset") == pytest.approx(math.hypot(reference, each), rel=0.02)
    point = view.step("room").point
    assert point is not None
    assert (point.target, point.temperature_c, point.instrument_id) == (20.53, 20.53, traceable)


@pytest.mark.parametrize(
    # ±0.2 °C sound, ±0.5 doubtful (common practice)
    ("off", "level"), [(0.1, "sound"), (0.35, "doubtful"), (-0.8, "unfit")],
)  # fmt: skip
def test_a_check_in_one_bath(world: World, traceable: uuid.UUID, off: float, level: str) -> None:
    run_id = begun(world, "thermometer-check")
    taken(world, run_id, traceable, {"bath": 20.53 + off})
    view = world.sign(run_id)
    assert [f.level for f in view.findings if f.code == "check-residual"] == [level]
    assert not view.adjusts


def test_a_thermometer_that_is_not_off_by_the_same_everywhere_is_told(world: World, traceable: uuid.UUID) -> None:
    view = taken(world, begun(world), traceable, {"ice": -0.60, "room": 20.53, "warm": 38.70})
    assert {f.code: str(f.level) for f in view.findings}["residual"] == "unfit"


def test_without_what_the_reference_shows_no_point_is_taken(world: World, traceable: uuid.UUID) -> None:
    run_id, photometer = begun(world), {"free-chlorine": TypedMeasures(0.02, 6.0, "±0.05")}
    new = NewInstrument(uuid.uuid4(), "P-REF", "photometer", "Store", measures=photometer)
    other = world.at().instruments.save(new, world.person)
    for reference, beside, field, words in (
        (None, traceable, "reference", "is missing: type it in °C"),
        (300.0, traceable, "reference", "must be"),
        (0.0, None, "instrument", "one that measures temperature"),
        (0.0, other, "instrument", "Choose the instrument that it is compared with"),
    ):
        take = TakePoint(uuid.uuid4(), "ice", 0.1, device=False, reference=reference, instrument_id=beside)
        with pytest.raises(InvalidInput) as refused:
            world.at().calibrations.take(run_id, take, world.person)
        assert words in refused.value.fields[field]
    nothing = TakePoint(uuid.uuid4(), "ice", None, device=False, reference=0.0, instrument_id=traceable)
    with pytest.raises(InvalidInput, match="is missing: type it in °C"):
        world.at().calibrations.take(run_id, nothing, world.person)


def test_a_temperature_read_with_it_leans_on_nothing(world: World, traceable: uuid.UUID) -> None:
    run_id = begun(world)
    taken(world, run_id, traceable, {"ice": 0.10, "room": 20.60, "warm": 38.20})
    signed, services = world.sign(run_id), world.at()
    assert signed.response is not None
    probe_id, offset = signed.run.probe_id, signed.response.by_key["offset"]
    visit = services.visits.open(NewVisit(uuid.uuid4(), sample="a bucket"), world.person)
    entry = TypedIn(uuid.uuid4(), "temperature", "19.4", "", f"probe:{probe_id}", "as it is")
    acid = TypedIn(uuid.uuid4(), "ph", "7.1", "", f"probe:{world.probe().id}", "as it is")
    services.visits.save(visit, Sheet([acid, entry]), world.person)
    read, other = sorted(services.visits.view(visit).readings, key=lambda r: r.quantity != "temperature")
    assert other.temperature_c == read.value
    # What its display shows is the signal: our offset is taken off it, and our calibration stands behind it.
    assert (read.source, read.quantity, read.probe_id) == ("typed-signal", "temperature", probe_id)
    assert read.value == pytest.approx(19.4 - offset)
    assert (read.calibration_run_id, read.level) == (run_id, "sound")
    assert services.readings.view(read.id).bases == ()


def test_others_that_lean_on_it_carry_its_uncertainty(world: World, traceable: uuid.UUID) -> None:
    """A checked thermometer is known to ±0.1 °C, an unknown one to ±0.23; its part in a conductivity is as large."""
    run_id = begun(world)
    taken(world, run_id, traceable, {step: value + 0.1 for step, value in BATHS.items()})
    checked = world.sign(run_id).run.probe_id
    meter = world.meter("conductivity-1", does={"specific-conductance": {"method": "linear", "coefficient": 1.9}})
    cell = world.other_probe("conductivity-1", meter_id=meter)
    shares = {}
    for name, read_with in (("checked", f"probe:{checked}"), ("unknown", "")):
        visit = world.at().visits.open(NewVisit(uuid.uuid4(), world.site.id), world.person)
        warm, salts = TypedIn(uuid.uuid4(), "temperature", "12.4", read_with=read_with), uuid.uuid4()
        entry = TypedIn(salts, "specific-conductance", "500", read_with=f"probe:{cell}", despite="only a test")
        world.at().visits.save(visit, Sheet([entry, warm]), world.person)
        view = world.at().readings.view(salts).reading
        read = next(r for r in world.at().visits.view(visit).readings if r.quantity == "temperature")
        part = next(c for c in view.budget if c["name"].startswith("temperature"))
        assert part["u"] == pytest.approx(read.u)
        shares[name] = part["u"]
    assert shares["checked"] < 0.06 < shares["unknown"]
