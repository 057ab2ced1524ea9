"""Every sensing principle alike: what goes in comes out, the order of points never matters, low standards are kept."""

from __future__ import annotations

import itertools
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.browser.made_up.sensing import Glow

from brumel.core import tables
from brumel.core.errors import NotEnoughPoints
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.quantity import quantities
from brumel.core.sensing.fit import Point, Weights, fit
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.principles import principle
from brumel.core.sensing.response import Origin, Response, diagonal
from brumel.core.shipped_rules import shipped

RANGES = {"glass": (0.0, 14.0), "metal": (-600.0, 1000.0), "conductivity": (0.5, 200_000.0),
          "membrane": (0.0, 300.0), "luminescence": (0.0, 300.0), "ammonium-tip": (0.05, 500.0)}  # fmt: skip
PRINCIPLES = [principle(key) for key in RANGES]
VALUES = {
    "glass": st.tuples(st.floats(-40, 40), st.floats(80, 108)),
    "metal": st.tuples(st.floats(-60, 60), st.just(1.0)),
    "conductivity": st.tuples(st.floats(-3, 3), st.floats(0.8, 1.2), st.floats(-4, 4)),
    "membrane": st.tuples(st.floats(-1, 10), st.floats(20, 400)),
    "luminescence": st.tuples(st.floats(15, 22), st.floats(15, 80)),
    "ammonium-tip": st.tuples(st.floats(-200, 200), st.floats(70, 110), st.floats(-1, 1)),
}


def response(own: Principle, values: tuple[float, ...]) -> Response:
    return Response(own, values, diagonal([0.1] * len(values)), (Origin.FITTED,) * len(values))


@pytest.mark.parametrize("own", PRINCIPLES, ids=lambda p: p.key)
@given(data=st.data())
def test_value_and_signal_are_inverse_over_the_whole_range(own: Principle, data: st.DataObject) -> None:
    line = response(own, data.draw(VALUES[own.key]))
    value = data.draw(st.floats(*RANGES[own.key]))
    at = Conditions(data.draw(st.floats(0.0, 45.0)), "ag-agcl-3m")
    assert line.value(line.signal(value, at), at) == pytest.approx(value, rel=1e-9, abs=1e-9)


@pytest.mark.parametrize("own", PRINCIPLES, ids=lambda p: p.key)
def test_arrays_are_as_their_elements(own: Principle) -> None:
    coefficients = {
        "glass": (3.0, 97.0), "metal": (5.0, 1.0), "conductivity": (0.4, 0.98, 1.5), "ammonium-tip": (2.0, 95.0, 0.1),
        "membrane": (0.5, 98.0), "luminescence": (18.0, 39.0),
    }  # fmt: skip
    line = response(own, coefficients[own.key])
    values, at = np.linspace(*RANGES[own.key], 9), Conditions(np.linspace(2.0, 40.0, 9))
    signals = line.signal(values, at)
    assert line.value(signals, at) == pytest.approx(values, rel=1e-9, abs=1e-9)
    together = line.budget(signals, at, age_days=1.0).u
    one_by_one = [line.budget(float(s), Conditions(float(t)), age_days=1.0).u
                  for s, t in zip(signals, at.temperature_c, strict=True)]  # fmt: skip
    assert together == pytest.approx(one_by_one, rel=1e-9)


@given(st.lists(st.floats(-3.0, 3.0), min_size=3, max_size=3))
def test_the_order_of_points_never_matters(off: list[float]) -> None:
    for own, values in ((principle("glass"), (4.0, 7.0, 10.0)), (principle("metal"), (220.0, 230.0, 470.0))):
        usual, at = Response.usual(own), Conditions(20.0)
        points = [Point(v, usual.signal(v, at) + o, at, 0.01, 0.2, f"{v}") for v, o in zip(values, off, strict=True)]
        found = [fit(own, list(order)) for order in itertools.permutations(points)]
        for other in found[1:]:
            assert other.values == pytest.approx(found[0].values, rel=1e-9, abs=1e-9)
            assert np.array(other.covariance) == pytest.approx(np.array(found[0].covariance), rel=1e-6, abs=1e-12)


class TestACarriedCoefficient:
    def test_gives_the_one_point_case(self) -> None:
        """By hand: E7 = E + s·k·(pH − 7), u² of it and covariance from the carried slope alone."""
        glass, at = principle("glass"), Conditions(25.0)
        prior = Response(glass, (0.0, 96.0), diagonal([9.0, 0.5]), (Origin.FITTED, Origin.FITTED))
        found = fit(glass, [Point(4.0, 175.0, at, 0.0, 1e-9)], prior)
        k = 59.159
        assert found["offset"] == pytest.approx(175.0 - 0.96 * k * 3.0, abs=0.01)
        assert found.u("offset") == pytest.approx(0.005 * k * 3.0, rel=0.01)  # the thermometer's share is small
        assert found.covariance[0][1] == pytest.approx(-0.03 * k * 0.5**2, rel=1e-3)
        assert (found.origin("slope"), found.origin("offset")) == (Origin.CARRIED, Origin.FITTED)
        assert not found.full

    def test_a_check_alone_carries_all(self) -> None:
        metal = principle("metal")
        prior = fit(metal, [Point(229.0, 236.0, Conditions(20.0), 1.0, 1.0)])
        found = fit(metal, [], prior)
        assert (found["offset"], found.origin("offset")) == (7.0, Origin.CARRIED)
        assert found.covariance == prior.covariance
        assert found.residuals == ()

    def test_what_points_cannot_tell_is_not_fitted(self) -> None:
        glass = principle("glass")
        for apart, origin in ((0.49, Origin.ASSUMED), (0.5, Origin.FITTED)):  # half a pH (rule of this product)
            two = [Point(v, -58.0 * (v - 7.0), Conditions(25.0), 0.01, 0.2) for v in (7.0, 7.0 + apart)]
            assert fit(glass, two).origin("slope") is origin
        tip, at = principle("ammonium-tip"), Conditions(25.0)
        near = [Point(v, 60.0, at, 0.01, 0.5) for v in (10.0, 12.0)]  # a twelfth of a decade
        assert fit(tip, near).origin("slope") is Origin.ASSUMED
        wide = [Point(v, e, at, 0.01, 0.5) for v, e in ((4.62, 33.0), (46.2, 90.0))]
        assert fit(tip, wide).origin("slope") is Origin.FITTED
        assert fit(tip, wide)["slope"] == pytest.approx(57.0 / 59.159 * 100.0, abs=0.01)


def test_a_relative_error_scale_keeps_low_standards() -> None:
    """A standard 1.5 % off at 12 880 must not turn 48 into 37: by hand, the line through 84 and 12 880 × 1.015."""
    own, at = Glow(), Conditions(25.0)
    points = [Point(v, 2.0 * v * (1.015 if v > 1e4 else 1.0), at, 0.01, 0.1) for v in (84.0, 1413.0, 12_880.0)]
    equal, relative = (fit(own, points, weights=w) for w in (Weights.EQUAL, Weights.RELATIVE))
    assert relative.value(96.0, at) == pytest.approx(48.0, abs=0.6)
    assert abs(equal.value(96.0, at) - 48.0) > 5.0


class TestACell:
    AT = Conditions(25.0)

    def points(self, *pairs: tuple[float, float]) -> list[Point]:
        return [Point(v, s, self.AT, 0.01 * v, 0.2) for v, s in pairs]

    def test_its_constant_is_read_as_a_constant(self) -> None:
        """By hand: 1413 µS/cm at 1385.3 µS is 1.02 /cm; u of it 1 % of the standard, and the cell's own."""
        found = fit(principle("conductivity"), self.points((1413.0, 1413.0 / 1.02)), weights=Weights.RELATIVE)
        assert found["cell-constant"] == pytest.approx(1.02, rel=1e-9)
        assert found.values[1] == pytest.approx(1.0 / 1.02, rel=1e-9)
        assert found.u("cell-constant") == pytest.approx(0.0102, rel=0.02)
        assert (found.origin("zero"), found.origin("cell-constant")) == (Origin.ASSUMED, Origin.FITTED)
        assert found.full  # a zero that is taken over makes no run less full

    def test_only_dry_air_tells_its_zero(self) -> None:
        cell = principle("conductivity")
        two = fit(cell, self.points((84.0, 84.0), (12_880.0, 12_880.0 * 1.015)), weights=Weights.RELATIVE)
        assert two["zero"] == 0.0
        assert two.value(48.0, self.AT) == pytest.approx(48.0, abs=0.5)  # not 37
        aired = fit(cell, self.points((0.0, 0.7), (84.0, 84.7)), weights=Weights.RELATIVE)
        assert (aired["zero"], aired.origin("zero")) == (pytest.approx(0.7), Origin.FITTED)
        assert aired["cell-constant"] == pytest.approx(1.0)
        air = fit(cell, self.points((0.0, 0.7)), weights=Weights.RELATIVE)
        assert (air.origin("cell-constant"), air.full) == (Origin.ASSUMED, False)

    def test_a_kind_says_what_its_constant_usually_is(self) -> None:
        cell = principle("conductivity").with_usual({"cell-constant": 0.1})
        usual = Response.usual(cell)
        assert usual.signal(84.0, self.AT) == pytest.approx(840.0)
        assert usual.u("cell-constant") == pytest.approx(0.1 * 0.1 / 3**0.5)
        assert cell.coefficient("cell-constant").words(0.10093) == "0.1009 /cm"
        assert principle("conductivity").coefficient("cell-constant").usual == 1.0  # the other cells stay as they are

    def test_what_a_meter_did_is_undone(self) -> None:
        """ISO 7888 at 10 °C (1.428) and a linear 2 %/°C by hand; a constant set wrong by ten."""
        cell, cold = principle("conductivity"), Conditions(10.0)
        assert cell.undone(714.0, {"method": "natural-water", "reference_c": 25.0}, cold)[0] == pytest.approx(500.0)
        linear = {"method": "linear", "coefficient": 2.0, "reference_c": 25.0}
        assert cell.undone(1000.0, linear, cold)[0] == pytest.approx(700.0)
        assert cell.undone(1000.0, {}, cold) == (1000.0, [])
        assert cell.from_display(1413.0, {}) == 1413.0
        assert cell.from_display(1413.0, {"cell-constant": 10.0}) == pytest.approx(141.3)


def test_a_tip_of_activity_one_gives_its_offset() -> None:
    tip = principle("ammonium-tip")
    assert response(tip, (212.0, 95.0, 0.5)).signal(1.0, Conditions(25.0)) == pytest.approx(212.0)
    assert response(tip, (212.0, 95.0, 0.5)).signal(1.0, Conditions(27.0)) == pytest.approx(213.0)


def test_what_instruments_can_show_of_each() -> None:
    assert {p.key: p.signal_range for p in PRINCIPLES} == {
        "glass": (-2000.0, 2000.0), "metal": (-2000.0, 2000.0), "conductivity": (-100.0, 5_000_000.0),
        "membrane": (-50.0, 5_000.0), "luminescence": (0.0, 1_000.0), "ammonium-tip": (-2000.0, 2000.0),
    }  # fmt: skip


@pytest.mark.parametrize("number", [1, 2, 5])
def test_one_two_and_five_points_are_one_case(number: int) -> None:
    glass, at = principle("glass"), Conditions(18.0)
    line = response(glass, (2.5, 98.0))
    values = np.linspace(4.0, 10.0, number) if number > 1 else np.array([7.0])
    found = fit(glass, [Point(float(v), line.signal(float(v), at), at, 0.01, 0.15) for v in values], line)
    assert found["offset"] == pytest.approx(2.5, abs=1e-9)
    assert found["slope"] == pytest.approx(98.0, abs=1e-9)
    assert (found.consistency is None) == (number < 3)


def test_without_a_point_and_a_last_run_there_is_nothing() -> None:
    with pytest.raises(NotEnoughPoints, match="at least one calibration point"):
        fit(principle("glass"), [])


def test_beyond_its_temperatures_a_value_is_not_a_number() -> None:
    line = response(principle("glass"), (0.0, 100.0))
    assert np.isnan(line.value(np.array([10.0, 10.0]), Conditions(np.array([20.0, 130.0])))).tolist() == [False, True]


class TestTheTable:
    def test_every_quantity_of_a_round_can_be_typed_and_is_plausible_within_that(self) -> None:
        for q in quantities().values():
            assert q.typed[0] <= q.plausible[0] < q.plausible[1] <= q.typed[1], q.key
            if q.round_order is not None:
                assert q.unknown_u, q.key
        orders = [q.round_order for q in quantities().values() if q.round_order is not None]
        assert len(orders) == len(set(orders))

    def test_settling_rules_are_those_of_the_trade(self) -> None:
        """Common practice: ORP 2 mV over 60 s; conductivity 0.5 % or 1 µS/cm over 20 s; oxygen 0.1 mg/L or 1 %."""
        rules = shipped().settling
        assert (rules["calibration-orp"].span, rules["calibration-orp"].window_s) == (2.0, 60.0)
        assert (rules["reading-orp"].span, rules["reading-orp"].window_s) == (2.0, 60.0)
        conductance = rules["reading-specific-conductance"]
        assert (conductance.window_s, conductance.at(100.0).span, conductance.at(2000.0).span) == (20.0, 1.0, 10.0)
        oxygen = rules["reading-oxygen"]
        assert (oxygen.at(5.0).span, oxygen.at(20.0).span, oxygen.window_s) == (0.1, 0.2, 30.0)
        assert oxygen.at(5.0).slope_per_window == pytest.approx(0.1 * 2 / 3)

    def test_a_folder_adds_and_leaves_again(self, tmp_path: Path) -> None:
        (tmp_path / "quantities.toml").write_text(
            '[mood]\nname = "mood"\nsymbol = "m"\nunit = ""\ndecimals = 0\n'
            'plausible = [0, 1]\ntyped = [0, 1]\nerror = "absolute"\n'
        )
        with tables.added(tmp_path):
            assert quantities()["mood"].name == "mood"
        assert "mood" not in quantities()


def test_what_a_tip_drifts_with_temperature_is_told_by_two_temperatures() -> None:
    """Worked by hand: 58 mV a decade at 25 °C, 0.5 mV/°C: at 5 °C 58 · 278.15/298.15 a decade and 10 mV less."""
    tip, cold = principle("ammonium-tip"), Conditions(5.0)
    usual = Response.usual(tip)
    assert (usual["temperature"], usual.u("temperature"), usual.origin("temperature")) == (0.0, 0.3, "assumed")
    warm = [Point(a, 200.0 + 58.0 * np.log10(a), Conditions(25.0), 0.01, 0.1) for a in (46.2, 4.62)]
    assert fit(tip, warm).origin("temperature") is Origin.ASSUMED
    assert fit(tip, warm).full  # the drift is minor
    field = Point(46.2, 190.0 + 58.0 * 278.15 / 298.15 * np.log10(46.2), cold, 0.01, 0.1)
    three = fit(tip, [*warm, field])
    assert three["temperature"] == pytest.approx(0.5, abs=1e-6)
    assert three["slope"] == pytest.approx(58.0 / 59.159 * 100.0, abs=0.01)
    assert three.value(190.0 + 58.0 * 278.15 / 298.15, cold) == pytest.approx(10.0, rel=1e-6)
    assert fit(tip, [field, warm[0]]).origin("temperature") is Origin.ASSUMED  # one activity tells no slope


@pytest.mark.parametrize(
    ("key", "value", "within"),
    [
        ("glass", 7.0, 0.01),
        ("metal", 220.0, 0.07),
        ("conductivity", 1413.0, 0.2826),
        ("membrane", 100.0, 0.5),
        ("luminescence", 100.0, 0.05),
        ("ammonium-tip", 10.0, 0.8),
        ("thermometer", 20.0, 0.1 / 365.0),
    ],
)
def test_so_much_may_a_value_drift_in_a_day(key: str, value: float, within: float) -> None:
    """Limits, taken as rectangular (rule of this product, from common practice)."""
    assert principle(key).drift(value, 1.0) == pytest.approx(within / 3**0.5)
    assert principle(key).drift(value, 10.0) == pytest.approx(10 * within / 3**0.5)
