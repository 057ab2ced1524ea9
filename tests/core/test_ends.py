"""Ends of what holds, and signs in sentences, that no other test stands on. Values by hand, or common practice."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from typing import Any

import numpy as np
import pytest
from tests.calculated import good
from tests.exact_points import exact, moved
from tests.said import sentence
from tests.simulated_bench import KINDS

from brumel.core.calibrating.judging import judge
from brumel.core.calibrating.run_file import judge_file
from brumel.core.calibrating.tolerances_of_kinds import tolerances_for
from brumel.core.errors import CoreError
from brumel.core.findings import Bounds, Level
from brumel.core.kit.shelf import LotFacts, judge_lot, lasts_until
from brumel.core.kit.trend import LifePoint, trend_of
from brumel.core.place.conditions import Conditions
from brumel.core.place.station_pressure import Pressure, wrong_with
from brumel.core.place.surroundings import Surroundings
from brumel.core.place.water import COMPENSATIONS
from brumel.core.place.water import wrong_with as compensation_wrong
from brumel.core.quantities.conductivity import linear_factor
from brumel.core.quantities.pool import saturation_index
from brumel.core.quantities.quantity import quantity
from brumel.core.quantities.shown import choices
from brumel.core.reading.jump import jump
from brumel.core.reading.reading_verdict import JudgedReading, judge_reading
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import InvalidInputs, within
from brumel.core.record.shapes import pair
from brumel.core.sensing.fit import Point
from brumel.core.sensing.ion_tip.signs import pair_apart
from brumel.core.sensing.metal.signs import metal_causes
from brumel.core.sensing.principles import principle
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import JudgedPoint, PreviousRun, Run, Use
from brumel.core.sensing.tolerances import Tolerances
from brumel.core.sensing.untested import beside_the_waters
from brumel.core.sensing.within import Within
from brumel.core.settling.windows import slope_of
from brumel.core.shipped_rules import shipped
from brumel.core.standards.targets import Bottle, target
from brumel.core.typed import NotANumber, number_typed
from brumel.core.words.catalogue import word


@pytest.mark.parametrize(("unit", "words"), [("kPa", "101.325"), ("mmHg", "760.0"), ("inHg", "29.921")])
def test_a_standard_atmosphere_in_other_units(unit: str, words: str) -> None:
    """1013.25 hPa are 760 mmHg and 29.921 inHg (ISO 2533)."""
    shown = choices("hPa")[unit].number(1013.25, quantity("station-pressure"))
    assert float(shown) == pytest.approx(float(words), abs=0.06)


@pytest.mark.parametrize(("us_cm", "words"), [(9_999.0, "9999"), (10_000.0, "10\u202f000"), (10_001.0, "10\u202f001")])
def test_thousands_are_grouped_from_ten_thousand(us_cm: float, words: str) -> None:
    about = quantity("specific-conductance")
    assert choices("µS/cm")["µS/cm"].number(us_cm, about) == words


@pytest.mark.parametrize(("signal", "words"), [(262.0, "stands +32 mV off"), (190.0, "stands −40 mV off")])
def test_a_drifted_reference_is_off_by_what_it_shows(signal: float, words: str) -> None:
    metal, at = principle("metal"), Conditions(25.0)
    limits = Tolerances.of(tolerances_for(shipped(), "metal", "orp") | {"holds_days": (7.0, 30.0)})
    point = JudgedPoint("ZoBell", Point(230.0, signal, at, 3.0, 1.0), 220.0, "zobell", Use.CHECK, settling_s=60.0)
    (found,) = metal_causes(Run((point,), Response.usual(metal), limits))
    assert words in sentence(found)


@pytest.mark.parametrize(("off", "came_from", "drawn"), [(5.2, 260.0, True), (4.8, 260.0, False), (5.2, 200.0, False),
                                                         (-5.2, 200.0, True), (12.0, 242.0, False),
                                                         (5.2, 235.3, True)])  # fmt: skip
def test_a_slow_metal_is_drawn_to_what_it_came_from(off: float, came_from: float, drawn: bool) -> None:
    """From five millivolts on (common practice); what it gave at first is not what it gives now."""
    point = Point(230.0, 230.0 + off, Conditions(25.0), 3.0, 1.0)
    slow = JudgedPoint("ZoBell", point, 220.0, "zobell", Use.CHECK, settling_s=900.0, first_signal=came_from)
    limits = Tolerances.of(tolerances_for(shipped(), "metal", "orp") | {"holds_days": (7.0, 30.0)})
    (found,) = metal_causes(Run((slow,), Response.usual(principle("metal")), limits))
    assert ("it came from" in sentence(found), found.level is Level.UNFIT) == (drawn, drawn)


def glass_file(**more: Any) -> dict[str, Any]:
    lot = {"standard": "ph-buffer", "family": "technical"}
    points = [
        {"step": step, "temperature_c": 25.0, "signal": mv, "lot": lot | {"nominal": n}}
        for step, mv, n in (("neutral", 0.0, 7.0), ("acid", 174.0, 4.01), ("alkaline", -175.0, 10.01))
    ]  # fmt: skip
    return {"format": "brumel-calibration", "version": 1, "probe": {"kind": "ph-combination"},
            "method": "ph-neutral-acid-alkaline", "points": points} | more  # fmt: skip


def test_the_waters_of_a_file_reach_from_the_lower_to_the_higher() -> None:
    file = glass_file(waters=[6.5, 10.8])
    said = next(f["sentence"] for f in judge_file(file, shipped())["findings"] if f["code"] == "not-bracketing")
    assert "from pH 6.50 to 10.80" in said


@pytest.mark.parametrize(("us_cm", "holds"), [(59_600.0, True), (60_400.0, False)])
def test_readings_are_corrected_up_to_salinity_forty(us_cm: float, holds: bool) -> None:
    """59.6 mS/cm at 25 °C have S 39.9, 60.4 have 40.5 (PSS-78)."""
    row = {"conductivity_us_cm": us_cm, "temperature_c": 25.0, "oxygen_percent": 90.0}
    if holds:
        assert 39.5 < calculate("corrected-readings", row).outputs["salinity"] < 40.0
        return
    with pytest.raises(InvalidInputs) as refused:
        calculate("corrected-readings", row)
    assert "hold up to salinity 40" in refused.value.fields["conductivity_us_cm"]


@pytest.mark.parametrize(("t", "value", "known"), [(10.0, 1.0, True), (20.0, 2.0, True), (30.0, 4.0, True),
                                                   (9.9, 9.0, False), (30.1, 9.0, False)])  # fmt: skip
def test_a_lots_own_table_holds_between_its_ends(t: float, value: float, known: bool) -> None:
    lot = Bottle("conductivity", "other", 9.0, table=((10.0, 1.0), (20.0, 2.0), (30.0, 4.0)))
    found = target(lot, Conditions(t))
    assert (found.value, found.known) == (pytest.approx(value), known)


def test_what_lies_far_from_its_place_takes_five_minutes_to_read_again() -> None:
    usual = np.array([7.4, 7.5, 7.45, 7.38, 7.42, 7.47, 7.44])
    (found,) = jump(quantity("ph"), 6.2, 0.02, usual)
    assert (found.level, found.minutes) == ("doubtful", 5)
    assert "usually 7.44, from 7.38 to 7.50 in the last 7 readings" in sentence(found)


@pytest.mark.parametrize(("height", "falls"), [(19.9, False), (20.1, True), (-60.0, False)])
def test_a_membrane_that_falls_by_a_fifth_has_no_movement(height: float, falls: bool) -> None:
    """A fall by more than a fifth of its end (common practice: without flow it goes to 20 to 50 %)."""
    membrane = principle("membrane")
    assert (membrane.still_s((100.0, height, 500.0), Conditions(20.0, pressure_hpa=1013.0)) > 0) is falls


@pytest.mark.parametrize(
    ("t", "tau", "falls"), [(20.0, 0.99, False), (20.0, 1.01, True), (5.0, 1.99, False), (5.0, 2.01, True)]
)
def test_a_membrane_is_twice_as_slow_15_degrees_colder(t: float, tau: float, falls: bool) -> None:
    """A fall as slow as that comes of want of movement (common practice: 90 % in 20 to 60 s at 20 °C)."""
    membrane = principle("membrane")
    approach = (100.0, 60.0, tau * membrane.slowest_s)
    assert (membrane.still_s(approach, Conditions(t, pressure_hpa=1013.0)) > 0) is falls


@pytest.mark.parametrize(("ph", "outside"), [(8.454, False), (8.456, True), (6.846, False), (6.844, True)])
def test_what_lies_outside_a_sites_range_is_seen_to(ph: float, outside: bool) -> None:
    """A reading counts as it is read, to the hundredth; the range is said as finely."""
    found = judge_reading(JudgedReading("ph", ph, 20.0, None, expected=(6.85, 8.45)))
    said = [sentence(f) for f in found if f.code == "site-range"]
    assert [("expected to show, 6.85 to 8.45" in words) for words in said] == [True] * outside


@pytest.mark.parametrize(
    ("off", "words"), [(0.04, "+2.0 %"), (0.0404, "+2.02 %"), (0.10002, "+5.001 %"), (0.05, "+2.5 %")]
)
def test_what_is_beyond_an_end_shows_so_many_digits_that_it_is_seen_to_be(off: float, words: str) -> None:
    assert str(word(Within(2.0, 5.0, percent=True).off(off, 2.0, quantity("oxygen")))) == words


def test_nothing_is_taken_for_none_where_nothing_is_known() -> None:
    """No stabiliser and no salt: not a little of either."""
    water = (7.5, 25.0, 200.0, 100.0, 1000.0)
    assert float(saturation_index(*water)) == float(saturation_index(*water, cyanuric_acid_mg_l=0.0))
    assert Surroundings().at(20.0).salinity == 0.0


def test_two_decades_from_the_driest_that_counts_as_wet() -> None:
    assert principle("conductivity").apart(np.array([1.0, 100.0])) == pytest.approx(2.0)
    assert principle("conductivity").apart(np.array([0.9, 100.0])) == 0.0


@pytest.mark.parametrize(("days", "more", "told"), [(0.5, 0.02, True), (7.0, 0.02, False), (0.5, 0.014, False)])
def test_air_is_compared_with_a_run_that_can_tell(days: float, more: float, told: bool) -> None:
    """Later, a gain has changed by as much as dry air makes: one healthy run in forty was called so."""
    found = exact(KINDS["membrane"], "membrane-air")
    assert found is not None
    frozen, response, points = found
    _, findings = judge(frozen, moved(points, 0, more), PreviousRun(response, days), rules=shipped())
    assert ("air-not-saturated" in {f.code for f in findings}) is told


@pytest.mark.parametrize(("mv", "alike"), [(30.0, True), (-30.0, True), (30.1, False)])
def test_a_cup_is_like_what_is_expected_within_its_limit(mv: float, alike: bool) -> None:
    limits = Tolerances.of(tolerances_for(shipped(), "glass", "ph-combination") | {"holds_days": (1.0, 7.0)})
    assert limits.alike(mv, 0.0) is alike


def test_one_sample_has_no_slope() -> None:
    assert slope_of(np.array([3.0]), np.array([7.0])) == 0.0


@pytest.mark.parametrize(
    ("target", "words"),
    [
        ({"value": -1.01e12}, "value is too large"), ({"value": -1e12, "u": 1.0}, ""),
        ({"value": 1e12, "u": 1.0}, ""),
        ({"value": 1.01e12}, "value is too large"), ({"value": 7.0, "u": 0.0}, ""),
        ({"value": 7.0, "u": -0.001}, "u must be a number of 0 or more"), ({"value": 7.0, "u": 1e12}, ""),
        ({"value": 7.0, "u": 1.01e12}, "u is too large"),
    ],
)  # fmt: skip
def test_a_number_of_a_file_lies_within_what_anybody_can_mean(target: dict[str, float], words: str) -> None:
    """What is read from there must be finite wherever it is multiplied (rule of this product)."""
    file = glass_file()
    file["points"][0]["target"] = target
    refused = ""
    try:
        judge_file(file, shipped())
    except CoreError as wrong:
        refused = str(wrong)
    assert bool(words) is bool(refused)
    assert words in refused


@pytest.mark.parametrize("text", ["0." + "0" * 60 + "1", "9" * 60])
def test_a_refused_number_is_quoted_by_its_first_forty_characters(text: str) -> None:
    with pytest.raises(NotANumber, match=f"^'{text[:40]}' is too"):
        number_typed(text)


def test_the_working_of_nothing_takes_the_constant_as_it_is() -> None:
    """A bent line has a factor for each value; the logarithm of 0 has none."""
    cell = principle("conductivity")
    (line,) = cell.working(0.0, 0.0, Conditions(25.0), {"zero": 0.0, "cell-constant": 1.02, "bend": 0.5})
    assert "× 1.020 /cm" in str(word(line))


@pytest.mark.parametrize(("t", "known"), [(-5.1, False), (-5.0, True), (105.0, True), (105.1, False)])
def test_a_glass_electrode_has_a_slope_from_minus_5_to_105_degrees(t: float, known: bool) -> None:
    assert bool(np.isfinite(principle("glass").term_per_value(7.0, Conditions(t)))) is known


@pytest.mark.parametrize(
    ("did", "quantity_shown"),
    [({}, "conductivity"), ({"method": "none"}, "conductivity"), ({"method": "linear"}, "specific-conductance")],
)
def test_a_meter_that_compensates_shows_specific_conductance(did: dict[str, str], quantity_shown: str) -> None:
    assert principle("conductivity").shown_quantity(did) == quantity_shown


@pytest.mark.parametrize("out", [0, 131_071, 131_072, 199_999])
def test_of_many_values_none_is_overlooked(out: int) -> None:
    many = np.full(200_000, 0.5)
    assert within(many, 0.0, 1.0)
    many[out] = 1.1
    assert not within(many, 0.0, 1.0)


@pytest.mark.parametrize(("metres", "fits"), [(-431.0, False), (-430.0, True), (6000.0, True), (6001.0, False)])
def test_a_place_lies_from_430_m_below_the_sea_to_6000_above(metres: float, fits: bool) -> None:
    assert ("altitude_m" not in wrong_with(Pressure(None, "hPa", "altitude", metres))) is fits


@pytest.mark.parametrize("value", [0.1 + 0.2, -0.1 - 0.2, 1.1 * 1.1 - 0.91])
def test_what_a_sum_leaves_behind_the_ninth_decimal_is_not_beyond(value: float) -> None:
    limits = Bounds.around_zero(0.3, 0.6)
    assert (limits.level(value), limits.level(2 * value)) == (Level.SOUND, Level.DOUBTFUL)
    assert limits.level(0.300000001) is Level.DOUBTFUL


@pytest.mark.parametrize(("unit", "codes"), [("mL", ["lot-open-too-long"]), ("sachets", []), ("tablets", [])])
def test_a_box_of_pieces_has_no_open_life(unit: str, codes: list[str]) -> None:
    """Each is opened by itself (common practice): the day that the box was opened ends nothing."""
    today, expires = date(2026, 5, 6), date(2026, 12, 1)
    lot = LotFacts(expires, date(2026, 5, 1), 1, 90.0, unit=unit)
    assert [f.code for f in judge_lot(lot, today)] == codes
    assert (lot.good_until, lasts_until([lot], 0.5, today)) == (
        (date(2026, 5, 2), today) if codes else (expires, date(2026, 11, 2))
    )


@pytest.mark.parametrize(
    ("coefficient", "holds"), [(None, False), (0.0, False), (0.01, True), (10.0, True), (10.1, False)]
)
def test_a_linear_compensation_has_up_to_ten_percent_a_degree(coefficient: float | None, holds: bool) -> None:
    wrong = compensation_wrong({"method": "linear", "coefficient": coefficient}, COMPENSATIONS)
    assert wrong.keys() == (set() if holds else {"coefficient"})


def test_a_pond_at_its_limit_at_dusk_has_come_down_to_it_then() -> None:
    night = good("night-oxygen")
    found = calculate("night-oxygen", night | {"limit_mg_l": night["evening_mg_l"]})
    assert found.outputs["crosses_at"] == night["evening_at"]


def test_a_key_that_no_point_has_is_named_with_those_that_it_takes() -> None:
    points = [{"ph": 7.0, "mv": 0.0, "temperature_c": 25.0}, {"ph": 4.0, "volts": 0.17, "temperature_c": 25.0}]
    with pytest.raises(InvalidInputs) as refused:
        calculate("electrode-fit", {"points": points})
    assert refused.value.fields["points"] == "Point 2 of points has no volts; it takes mv, ph, temperature_c."


@pytest.mark.parametrize(("one", "other"), [(0.6, 1.1), (3.9, 4.4), (7.8, 8.3)])
def test_a_pair_half_a_degree_apart_has_one_temperature(one: float, other: float) -> None:
    """Each difference is 0.5 as it is read, and a little more as the machine has it."""
    assert other - one > 0.5
    assert pair_apart([(46.2, one)], (4.62, other)) is None


@pytest.mark.parametrize(("one", "other"), [(3.3, 8.3), (4.8, 9.8)])
def test_standards_five_degrees_apart_are_sound_up_to_five(one: float, other: float) -> None:
    assert other - one > 5.0
    file = glass_file()
    for point, t in zip(file["points"], (one, other, one), strict=True):
        point["temperature_c"] = t
    assert "temperatures-apart" not in {f["code"] for f in judge_file(file, shipped())["findings"]}


def test_air_ten_degrees_from_the_waters_is_not_more_than_ten_from_them() -> None:
    assert 16.1 - 6.1 > 10.0
    assert Surroundings(water_c=6.1).apart(16.1) is None
    assert "more than 10 °C apart" in str(word(Surroundings(water_c=6.1).apart(16.2)))


@pytest.mark.parametrize(("dawn", "holds"), [("12:59", True), ("13:00", True), ("13:01", False)])
def test_a_night_lasts_up_to_eighteen_hours(dawn: str, holds: bool) -> None:
    """From dusk at 19:00."""
    night = good("night-oxygen") | {"dawn_at": f"2026-05-07T{dawn}:00Z"}
    if holds:
        assert calculate("night-oxygen", night).outputs["dawn_mg_l"] < 5.0
        return
    with pytest.raises(InvalidInputs, match="within 18 hours"):
        calculate("night-oxygen", night)


@pytest.mark.parametrize(
    ("daily", "until"), [(0.0, date(2026, 12, 1)), (0.5, date(2026, 6, 5)), (90.0, date(2026, 5, 16))]
)
def test_a_closed_bottle_is_opened_when_it_is_first_used(daily: float, until: date) -> None:
    """900 mL that keep 30 days from 6 May once they are opened; nobody opens what nobody uses."""
    assert lasts_until([LotFacts(date(2026, 12, 1), None, 30, 900.0)], daily, date(2026, 5, 6)) == until


@pytest.mark.parametrize(
    ("label", "waters", "where"),
    [
        (100.0, (200.0, 200.0), ""), (100.0, (200.1, 200.1), "below"), (100.0, (100.0, 401.0), "below"),
        (1000.0, (5.0, 10.0), ""), (1000.1, (5.0, 10.0), "far-above"),
    ],
)  # fmt: skip
def test_a_standard_serves_waters_from_a_hundredth_of_it_to_twice(
    label: float, waters: tuple[float, float], where: str
) -> None:
    """The geometric middle of the waters up to twice, their upper end down to a hundredth (common practice)."""
    assert beside_the_waters([label], waters) == where


@pytest.mark.parametrize(("t", "asked"), [(45.0, False), (45.1, True), (-2.0, False), (-2.1, True)])
def test_fahrenheit_is_asked_about_beyond_what_waters_have(t: float, asked: bool) -> None:
    file = glass_file()
    file["points"][1]["temperature_c"] = t
    said = [f["sentence"] for f in judge_file(file, shipped())["findings"] if f["code"] == "standard-temperature"]
    assert any("°F" in sentence for sentence in said) is asked


def test_two_results_without_any_uncertainty_are_not_told_apart() -> None:
    both = {"first": 7.1, "second": 7.2, "first_expanded_u": 0.0, "second_expanded_u": 0.0}
    with pytest.raises(InvalidInputs, match="needs an uncertainty above 0"):
        calculate("en-score", both)


@pytest.mark.parametrize("waters", [[8.0], [6.0, 7.0, 8.0], [9.0, 6.0], "6 to 9", [6.0, "9"]])
def test_the_waters_of_a_file_are_two_numbers_that_rise(waters: object) -> None:
    with pytest.raises(CoreError, match="two numbers, the lower first"):
        judge_file(glass_file(waters=waters), shipped())


@pytest.mark.parametrize(("ends", "fits"), [([2.0, 2.0], True), ([2.0, 2.1], True), ([2.1, 2.0], False)])
def test_a_pair_of_ends_rises_or_is_one(ends: list[float], fits: bool) -> None:
    assert ([*pair(ends)] == []) is fits


@pytest.mark.parametrize(("t", "known"), [(4.9, False), (5.0, True), (30.0, True), (30.1, False)])
def test_a_lots_own_table_holds_from_its_first_temperature_to_its_last(t: float, known: bool) -> None:
    bottle = Bottle("ph-buffer", "technical-7.01", 7.01, table=((5.0, 7.10), (25.0, 7.01), (30.0, 7.00)))
    assert target(bottle, Conditions(t)).known is known


def test_a_compensation_that_leaves_nothing_gives_no_number() -> None:
    """2 % a degree, fifty degrees below the reference: nothing is left to divide by."""
    assert np.isnan(linear_factor(np.array([-25.0, 25.0]), 2.0, 25.0)).tolist() == [True, False]


@pytest.mark.parametrize(("value", "out"), [(95.0, False), (102.0, False), (94.9, True), (102.1, True)])
def test_what_stands_still_at_an_end_of_what_is_sound_is_not_out(value: float, out: bool) -> None:
    begin = datetime(2026, 1, 1, tzinfo=UTC)
    points = [LifePoint(begin + timedelta(days=5 * n), value) for n in range(9)]
    found = trend_of(points, (95.0, 102.0), begin + timedelta(days=41))
    assert found is not None
    assert found.already_out is out
