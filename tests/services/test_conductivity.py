"""Conductivity through the stack: each method, what meters did, a constant that is set, waters compensated."""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest

from brumel.core.place.conditions import Conditions
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.shown import RunView
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.kit.probes import NewProbe
from brumel.services.readings.draft import NewReading
from brumel.services.shelf.typed_lot import NewLot
from brumel.services.sites.sites import NewSite
from brumel.store.add_fact import OtherContent
from brumel.store.database import Database
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Lot, Probe
from tests.conftest import NOW
from tests.said import remedy, sentence
from tests.services.world import World

KCL_20 = {"84": 84.0, "1413": 1278.0, "12880": 11_670.0}
"""Common laboratory tables of potassium chloride at 20 °C, µS/cm, from memory; 84 has none but near 25 °C."""
LINEAR = {"method": "linear", "coefficient": 2.0, "reference_c": 25.0}


@pytest.fixture(scope="module")
def world(database: Database) -> World:
    made = World(database)
    for name in KCL_20:
        made.shelved(name, standard="conductivity", family="kcl")
    return made


def cell(world: World, kind: str = "conductivity-1", **given: Any) -> Probe:
    return world.at().states.probe(world.other_probe(kind, **given))


def run(world: World, probe: Probe, method: str, *points: tuple[str, str, float], t: float = 20.0) -> RunView:
    """Sign a run of typed points: step, lot (empty in air), conductivity as shown."""
    lots = {role: world.lots[name].id for role, name in
            (("conductivity", "1413"), ("low-conductivity", "1413"), ("high-conductivity", "12880"))}  # fmt: skip
    run_id = world.at().calibrations.begin(Begin(uuid.uuid4(), probe.id, method, "distilled-once", lots), world.person)
    for step, lot, shown in points:
        lot_id = world.lots[lot].id if lot else None
        take = TakePoint(uuid.uuid4(), step, shown, t, device=False, lot_id=lot_id)
        world.at().calibrations.take(run_id, take, world.person)
    return world.sign(run_id)


def calibrated(world: World, constant: float = 1.02, **given: Any) -> Probe:
    probe = cell(world, **given)
    run(world, probe, "conductivity-one", ("standard", "1413", 1278.0 / constant))
    return probe


def water(world: World, **compensation: Any) -> uuid.UUID:
    new = NewSite(uuid.uuid4(), str(uuid.uuid4())[:8], "Ditch", "stream", 7, compensation=compensation)
    return world.at().sites.save(new, world.person)


def read(world: World, probe: Probe, site_id: uuid.UUID, **given: Any) -> Reading:
    usual: dict[str, Any] = {"source": "typed-signal", "temperature_c": 10.0, "despite": "only a test"}
    new = NewReading(uuid.uuid4(), site_id, probe.id, **usual | given)
    world.at().readings.record(new, world.person)
    return world.at().readings.view(new.reading_id).reading


def derived(reading: Reading) -> dict[str, float]:
    return {d["quantity"]: d["value"] for d in reading.derived}


class TestMethods:
    def test_one_standard_gives_the_constant(self, world: World) -> None:
        signed = run(world, cell(world), "conductivity-one", ("standard", "1413", 1278.0 / 1.02))
        assert signed.response is not None
        assert signed.response["cell-constant"] == pytest.approx(1.02, rel=1e-6)
        assert signed.level == "sound"
        stored = {c.key: (c.value, c.unit, c.origin) for c in signed.run.coefficients}
        assert stored["cell-constant"] == (pytest.approx(1.02), "/cm", "fitted")
        one = next(f for f in signed.findings if f.code == "one-point")
        assert (one.level, remedy(one)) == ("sound", "")

    @pytest.mark.parametrize(("kind", "constant"), [("conductivity-1", 1.02), ("conductivity-10", 10.51)])
    def test_its_life_shows_the_constant_that_people_read(self, world: World, kind: str, constant: float) -> None:
        probe = cell(world, kind)
        nominal = float(kind.rpartition("-")[2])
        run(world, probe, "conductivity-one", ("standard", "1413", 1278.0 * nominal / constant))
        course = next(c for c in world.at().kit.life(probe.id).courses if c.name == "Cell constant")
        assert [p.value for p in course.points] == [pytest.approx(constant, rel=2e-3)]
        assert course.sound[0] <= constant <= course.sound[1]

    def test_air_tells_the_zero_and_takes_no_lot(self, world: World) -> None:
        signed = run(world, cell(world), "conductivity-air-one", ("air", "", 0.6), ("standard", "1413", 1278.6))
        assert signed.response is not None
        assert signed.response["zero"] == pytest.approx(0.6)
        assert signed.response["cell-constant"] == pytest.approx(1.0, rel=1e-6)
        air = signed.step("air")
        assert (air.label, air.lot, air.point and air.point.target) == ("dry air", None, 0.0)
        wet = run(world, cell(world), "conductivity-air-one", ("air", "", 4.0), ("standard", "1413", 1282.0))
        assert next(f.level for f in wet.findings if f.code == "zero") == "unfit"

    def test_two_standards_show_how_straight_the_cell_is(self, world: World) -> None:
        straight = run(world, cell(world), "conductivity-two", ("low", "1413", 1278.0), ("high", "12880", 11_670.0))
        assert straight.level == "sound"
        factors = next(f for f in straight.findings if f.code == "factor-each-range")
        assert factors.level == "sound"
        bent = run(world, cell(world), "conductivity-two", ("low", "1413", 1278.0), ("high", "12880", 10_800.0))
        assert bent.findings[0].code == "cell-coated"

    def test_each_range_has_the_factor_of_its_standard(self, world: World) -> None:
        """At 25 °C by hand: 1413 / 1400 = 1.00929 and 12 880 / 12 500 = 1.0304, 0.95978 decades apart."""
        probe = cell(world)
        signed = run(world, probe, "conductivity-two", ("low", "1413", 1400.0), ("high", "12880", 12_500.0), t=25.0)
        line, at = signed.response, Conditions(25.0)
        assert line is not None
        assert line.value(1400.0, at) == pytest.approx(1413.0, abs=1e-6)
        assert line.value(12_500.0, at) == pytest.approx(12_880.0, abs=1e-5)
        # 1/K in percent of the nominal constant, which is 1: (12 500/12 880 − 1400/1413) · 100 / 0.95978 decades.
        assert line["bend"] == pytest.approx(-2.115, abs=2e-3)
        between = 4266.0  # half the decades between the two: half the way between the reciprocals, 0.980647
        assert line.signal(between, at) == pytest.approx(between * 0.980648, rel=2e-5)
        told = next(f for f in signed.findings if f.code == "factor-each-range")
        assert "1.009 /cm at" in sentence(told)
        assert "1.030 /cm at" in sentence(told)
        # One standard afterwards sets the constant; how the ranges differ is kept.
        later = run(world, probe, "conductivity-one", ("standard", "1413", 1390.0), t=25.0)
        assert later.response is not None
        assert later.response["bend"] == pytest.approx(line["bend"])
        assert later.response.origin("bend") == "carried"

    def test_a_check_is_judged_and_adjusts_nothing(self, world: World) -> None:
        probe = calibrated(world, 1.0)
        for shown, level in ((1278.0, "sound"), (1278.0 * 1.0195, "sound"), (1278.0 * 1.03, "doubtful")):
            signed = run(world, probe, "conductivity-check", ("standard", "1413", shown))
            assert next(f.level for f in signed.findings if f.code == "check-residual") == level
            assert not signed.adjusts
            assert signed.checks[0][0].endswith(" %")
        assert signed.response is not None
        assert signed.response.origin("cell-constant") == "carried"

    @pytest.mark.parametrize(
        ("kind", "constant", "level"),
        # ±10 % of nominal sound, ±20 doubtful (common practice), whatever the cell.
        [("conductivity-0.1", 0.109, "sound"), ("conductivity-0.1", 0.115, "doubtful"),
         ("conductivity-10", 8.1, "doubtful"), ("conductivity-10", 12.5, "unfit"), ("conductivity-1", 0.905, "sound")],
    )  # fmt: skip
    def test_the_constant_is_judged_as_a_share_of_nominal(
        self, world: World, kind: str, constant: float, level: str
    ) -> None:
        nominal = float(kind.rpartition("-")[2])
        signed = run(world, cell(world, kind), "conductivity-one", ("standard", "1413", 1278.0 * nominal / constant))
        assert next(f.level for f in signed.findings if f.code == "cell-constant") == level

    def test_wrong_by_ten_is_named_first(self, world: World) -> None:
        signed = run(world, cell(world), "conductivity-one", ("standard", "1413", 12_780.0))
        assert (signed.level, signed.findings[0].code) == ("unfit", "constant-by-ten")

    def test_after_a_cleaning_the_last_run_says_nothing(self, world: World) -> None:
        """A coating that is gone must not make every later run look wrong."""
        probe = calibrated(world, 1.11)
        later = world.at(NOW + timedelta(hours=2))
        assert run(world, probe, "conductivity-one", ("standard", "1413", 1278.0)).findings[0].code != "cell-constant"
        signed = calibrated(world, 1.11)
        world.at(NOW + timedelta(hours=1)).kit.log(signed.id, _care(NOW + timedelta(minutes=30)), world.person)
        lots = dict.fromkeys(("conductivity",), world.lots["1413"].id)
        run_id = later.calibrations.begin(
            Begin(uuid.uuid4(), signed.id, "conductivity-one", "distilled-once", lots, despite="a test"), world.person
        )
        take = TakePoint(uuid.uuid4(), "standard", 1278.0, 20.0, device=False)
        later.calibrations.take(run_id, take, world.person)
        codes = {f.code for f in later.calibrations.view(run_id).findings if f.level != "sound"}
        assert "standard-concentrated" not in codes


def _care(at: Any) -> Any:
    from brumel.services.probes.care_log import NewCare

    return NewCare(uuid.uuid4(), "cleaned", at, "mild detergent")


class TestWhatMetersDid:
    def test_a_compensation_is_undone_before_the_point(self, world: World) -> None:
        """By hand: 1278 at 20 °C, divided by 1 + 0.02 × (20 − 25), is what such a meter shows: 1420."""
        probe = cell(world)
        lots = {"conductivity": world.lots["1413"].id}
        begin = Begin(uuid.uuid4(), probe.id, "conductivity-one", "distilled-once", lots)
        run_id = world.at().calibrations.begin(begin, world.person)
        take = TakePoint(uuid.uuid4(), "standard", 1420.0, 20.0, device=False, meter_did=LINEAR)
        world.at().calibrations.take(run_id, take, world.person)
        world.at().calibrations.take(run_id, take, world.person)  # sent twice
        view = world.at().calibrations.view(run_id)
        assert len(view.run.points) == 1
        assert (view.run.points[0].signal, view.run.points[0].meter_did) == (pytest.approx(1278.0), LINEAR)
        with pytest.raises(OtherContent):
            world.at().calibrations.take(run_id, replace(take, typed_signal=1421.0), world.person)
        for did, field in (({"method": "linear"}, "meter_coefficient"), ({"method": "magic"}, "meter_method"),
                           (LINEAR | {"reference_c": 22.0}, "meter_reference_c"),
                           (LINEAR | {"coefficient": 11.0}, "meter_coefficient")):  # fmt: skip
            with pytest.raises(InvalidInput) as refused:
                world.at().calibrations.take(run_id, replace(take, point_id=uuid.uuid4(), meter_did=did), world.person)
            assert set(refused.value.fields) == {field}

    def test_the_constant_that_is_set_stands_between(self, world: World) -> None:
        probe = cell(world, settings={"cell-constant": 0.95})
        signed = run(world, probe, "conductivity-one", ("standard", "1413", 1278.0))
        assert signed.run.method["settings"] == {"cell-constant": 0.95}
        assert signed.response is not None
        assert signed.response["cell-constant"] == pytest.approx(0.95)
        reading = read(world, probe, water(world, method="none"), signal=500.0)
        assert (reading.quantity, reading.value) == ("conductivity", pytest.approx(500.0))

    def test_a_change_of_it_ends_the_calibration(self, world: World) -> None:
        probe = calibrated(world)
        state = world.at().states.probe_state(probe.id)
        assert state.level == "sound"
        new = NewProbe(probe.id, probe.label, probe.serial, probe.kind, probe.kit, None, version=probe.version,
                       settings={"cell-constant": 10.0})  # fmt: skip
        world.at(NOW + timedelta(minutes=5)).probes.change(new, world.person)
        late = world.at(NOW + timedelta(minutes=9))
        assert late.states.probe_state(probe.id).level == "unfit"
        reading = NewReading(uuid.uuid4(), world.site.id, probe.id, "typed-signal", signal=500.0, temperature_c=20.0,
                             despite="a test")  # fmt: skip
        late.readings.record(reading, world.person)
        found = late.readings.view(reading.reading_id).findings
        assert sentence(next(f for f in found if f.code == "calibration-voided")).endswith(
            "what is set in the meter for it changed. That ends a calibration."
        )
        with pytest.raises(InvalidInput) as refused:
            world.at().probes.change(replace(new, settings={"cell-constant": 0.0}), world.person)
        assert refused.value.fields == {"set-cell-constant": "It must be from 0.001 to 100."}


class TestWaters:
    def test_natural_waters_unless_it_is_said(self, world: World) -> None:
        """ISO 7888 at 10 °C: 1.428, from memory."""
        reading = read(world, calibrated(world, 1.0), water(world), signal=500.0)
        assert (reading.quantity, reading.unit, reading.value) == (
            "specific-conductance",
            "µS/cm",
            pytest.approx(714.0),
        )
        assert derived(reading) == {"conductivity": pytest.approx(500.0), "resistivity": pytest.approx(2000.0)}
        names = {c["name"] for c in reading.budget}
        assert {"calibration line", "conductance", "temperature of the conversion"} <= names
        assert reading.u == pytest.approx((sum((c["u"] * c["sensitivity"]) ** 2 for c in reading.budget)) ** 0.5)
        assert any("natural waters" in line for line in reading.working)

    def test_linear_with_its_coefficient_and_solids_by_their_factor(self, world: World) -> None:
        site = water(world, method="linear", coefficient_percent_per_c=2.0, solids_factor=0.5)
        reading = read(world, calibrated(world, 1.0), site, signal=700.0)
        assert reading.value == pytest.approx(1000.0)
        assert derived(reading)["dissolved-solids"] == pytest.approx(500.0)
        at_20 = water(world, method="linear", coefficient_percent_per_c=2.0, reference_c=20.0)
        assert read(world, calibrated(world, 1.0), at_20, signal=800.0).value == pytest.approx(1000.0)

    def test_sea_water_by_its_salinity(self, world: World) -> None:
        """PSS-78: 42.914 mS/cm at 15 °C is salinity 35 and, at 25 °C, 53.07 mS/cm."""
        probe = calibrated(world, 10.0, kind="conductivity-10")
        shown = 42_914.0
        reading = read(world, probe, water(world, method="sea-salt"), signal=shown, temperature_c=15.0)
        assert reading.value == pytest.approx(53_067.0, rel=1e-3)
        assert derived(reading)["salinity"] == pytest.approx(35.0, abs=0.01)
        brine = read(world, probe, water(world, method="sea-salt"), signal=90_000.0, temperature_c=15.0)
        assert (brine.quantity, derived(brine)) == ("conductivity", {"resistivity": pytest.approx(1e6 / 90_000)})
        assert "not-compensated" in {f.code for f in brine.findings}

    def test_as_the_meter_shows_it_with_what_it_did(self, world: World) -> None:
        """A meter's own 25 °C by 2 %/°C is undone, then the site's compensation applied: 1000 → 700 → 999.6."""
        meter_id = world.meter("conductivity-1")
        probe = cell(world, meter_id=meter_id)
        reading = read(world, probe, water(world), source="typed-value", shown=1000.0, meter_did=LINEAR)
        assert reading.value == pytest.approx(700.0 * 1.428)
        assert (reading.shown, reading.signal, reading.meter_did) == (1000.0, None, LINEAR)
        assert reading.u == pytest.approx(0.05 * reading.value, rel=0.02)  # ±10 % of a meter of which nothing is known
        assert any("undone, 1000 becomes 700" in line for line in reading.working)

    def test_what_cannot_be_of_a_site(self, world: World) -> None:
        for given, field in (({"method": "linear"}, "coefficient"), ({"method": "magic"}, "method"),
                             ({"reference_c": 18.0}, "reference_c"),
                             ({"solids_factor": 0.3}, "solids_factor")):  # fmt: skip
            with pytest.raises(InvalidInput) as refused:
                water(world, **given)
            assert set(refused.value.fields) == {field}


class TestBottles:
    def receive(self, world: World, **given: Any) -> Lot:
        usual = {"family": "kcl", "expires_on": NOW.date() + timedelta(days=90), "content": 500.0}
        new = NewLot(uuid.uuid4(), "conductivity", str(uuid.uuid4())[:8], **usual | given)
        lot_id = world.at().shelf.receive(new, world.person)
        return world.at().shelf.view(lot_id).entry.lot

    def refused(self, world: World, **given: Any) -> dict[str, str]:
        with pytest.raises(InvalidInput) as refused:
            self.receive(world, **given)
        return refused.value.fields

    def test_labels_in_other_units(self, world: World) -> None:
        """6.44 g/L of dissolved solids at a factor of 0.5 is 12.88 mS/cm; S 35 is 53.07 mS/cm at 25 °C (PSS-78)."""
        assert self.receive(world, nominal=12.88, label_unit="mS").nominal == 12_880.0
        assert self.receive(world, nominal=6_440.0, label_unit="ppm", factor=0.5).nominal == 12_880.0
        sea = self.receive(world, nominal=35.0, label_unit="salinity")
        assert (sea.family, sea.nominal) == ("sea-water", pytest.approx(53_070, abs=5))

    def test_what_cannot_be_of_a_label(self, world: World) -> None:
        assert "was mS/cm meant?" in self.refused(world, nominal=12.88)["nominal"]
        assert "needs its factor, 0.45 to 1" in self.refused(world, nominal=1000.0, label_unit="ppm")["factor"]
        assert "up to 42" in self.refused(world, nominal=55.0, label_unit="salinity")["nominal"]
        assert set(self.refused(world, nominal=55.0, label_unit="grains")) == {"label_unit"}
        assert self.receive(world, nominal=25.0, family="other").nominal == 25.0

    def test_an_aliquot_is_a_lot_with_a_parent(self, world: World) -> None:
        parent, shelf = self.receive(world, nominal=1413.0), world.at().shelf
        new_id = uuid.uuid4()
        for _ in range(2):  # sent twice
            shelf.pour_off(parent.id, new_id, 80.0, "field bottle", world.person)
        poured = shelf.view(new_id)
        assert (poured.entry.lot.nominal, poured.entry.lot.opened_on) == (1413.0, NOW.date())
        assert poured.parent is not None
        assert poured.parent.id == parent.id
        assert shelf.view(parent.id).entry.facts.left == 420.0
        for amount, number, field in ((None, "x", "poured"), (-1.0, "x", "poured"), (5.0, " ", "lot_number"),
                                      (5.0, "FIELD bottle", "lot_number")):  # fmt: skip
            with pytest.raises(InvalidInput) as refused:
                shelf.pour_off(parent.id, uuid.uuid4(), amount, number, world.person)
            assert set(refused.value.fields) == {field}
        sachets = self.receive(world, nominal=84.0, pack="sachets", content=10.0)
        with pytest.raises(InvalidInput, match="Only a bottle"):
            shelf.pour_off(sachets.id, uuid.uuid4(), 5.0, "y", world.person)


def test_milli_typed_for_micro_is_asked(world: World) -> None:
    probe = cell(world)
    with pytest.raises(InvalidInput, match=r"1\.278 µS/cm is a thousandth .* was mS/cm meant\? Type 1278\."):
        run(world, probe, "conductivity-one", ("standard", "1413", 1.278))
    site = world.water("ditch", specific_conductance=(300.0, 900.0))
    with pytest.raises(InvalidInput, match="was mS/cm meant"):
        read(world, calibrated(world), site, signal=0.5)
    assert read(world, calibrated(world), site, signal=5.0).quantity == "specific-conductance"
