"""The registry as scripts rely on it: names and keys, ranges, errors, arrays, uncertainty."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.calculated import GOOD, good

from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import REQUIRED, Choice, InvalidInputs, Moment, Number, Points, calculations

T = "temperature_c"
CONTRACT: dict[str, tuple[set[str], set[str]]] = {
    "ph-buffer": ({"buffer", T}, {"ph"}),
    "kcl-conductivity": ({"molarity", T}, {"conductivity_us_cm"}),
    "nernst-slope": ({T, "charge"}, {"slope_mv_per_decade"}),
    "electrode-fit": ({"points"}, {"slope_percent", "offset_mv", "residuals"}),
    "ph-from-millivolts": ({"mv", T, "slope_percent", "offset_mv"}, {"ph"}),
    "ion-electrode-fit": ({"points", "charge"}, {"slope_mv_per_decade", "slope_percent"}),
    "conductivity-at-reference": (
        {"conductivity_us_cm", T, "method", "coefficient_percent_per_c", "reference_c"},
        {"conductivity_us_cm"},
    ),
    "conductivity-at-temperature": (
        {"conductivity_us_cm", T, "method", "coefficient_percent_per_c", "reference_c"},
        {"conductivity_us_cm"},
    ),
    "cell-constant": ({"standard_us_cm", "reading_us_cm", "nominal_per_cm"}, {"cell_constant_per_cm", "factor"}),
    "total-dissolved-solids": ({"conductivity_us_cm", "factor"}, {"tds_mg_l"}),
    "resistivity": ({"conductivity_us_cm"}, {"resistivity_ohm_cm"}),
    "salinity": ({"conductivity_ms_cm", T, "pressure_dbar"}, {"salinity"}),
    "conductivity-from-salinity": ({"salinity", T, "pressure_dbar"}, {"conductivity_ms_cm"}),
    "seawater-density": ({"salinity", T}, {"density_kg_m3", "specific_gravity"}),
    "pressure-at-altitude": ({"altitude_m", "sea_level_hpa"}, {"pressure_hpa"}),
    "oxygen-saturation": ({T, "pressure_hpa", "salinity"}, {"oxygen_mg_l"}),
    "oxygen-percent": ({"oxygen_mg_l", T, "pressure_hpa", "salinity"}, {"oxygen_percent"}),
    "oxygen-concentration": ({"oxygen_percent", T, "pressure_hpa", "salinity"}, {"oxygen_mg_l"}),
    "orp-to-eh": ({"mv", T, "reference"}, {"eh_mv"}),
    "zobell-eh": ({T, "reference"}, {"eh_mv"}),
    "unionized-ammonia": (
        {"tan_mg_l", "ph", T, "salinity", "ph_scale"},
        {"fraction_percent", "unionized_mg_l", "unionized_nh3_mg_l", "scale"},
    ),
    "ammonium-to-total": ({"ammonium_n_mg_l", "ph", T, "salinity", "ph_scale"}, {"tan_mg_l", "scale"}),
    "activity-coefficient": ({"conductivity_us_cm", "charge"}, {"activity_coefficient"}),
    "ion-concentration": ({"activity_mg_l", "conductivity_us_cm", "charge"}, {"concentration_mg_l"}),
    "hypochlorous-fraction": ({"ph", T, "cyanuric_acid_mg_l", "salinity"}, {"fraction_percent"}),
    "saturation-index": (
        {"ph", T, "calcium_mg_l_caco3", "alkalinity_mg_l_caco3", "tds_mg_l", "cyanuric_acid_mg_l"},
        {"index"},
    ),
    "night-oxygen": (
        {"evening_mg_l", "evening_at", "later_mg_l", "later_at", "dawn_at", "limit_mg_l"},
        {"dawn_mg_l", "crosses_at"},
    ),
    "relative-percent-difference": ({"first", "second"}, {"rpd_percent"}),
    "en-score": ({"first", "second", "first_expanded_u", "second_expanded_u"}, {"en"}),
    "pool-salt": ({"conductivity_us_cm", T}, {"sodium_chloride_mg_l"}),
    "ph-recompensated": ({"shown_ph", "meter_setting_c", T}, {"ph"}),
    "corrected-readings": (
        {T, "conductivity_us_cm", "oxygen_percent", "pressure_hpa", "coefficient_percent_per_c"},
        {"salinity", "linear_us_cm", "natural_us_cm", "oxygen_mg_l"},
    ),
}


def test_the_contract_names_every_calculation() -> None:
    assert set(CONTRACT) == set(calculations())


@pytest.mark.parametrize("name", CONTRACT)
def test_names_and_keys_are_the_contract(name: str) -> None:
    chosen = calculations()[name]
    inputs, outputs = CONTRACT[name]
    assert inputs <= {i.name for i in chosen.inputs}
    assert outputs <= {o.name for o in chosen.outputs}
    needed = {i.name for i in chosen.inputs if i.default is REQUIRED}
    assert needed <= inputs


def ranges() -> Iterator[tuple[str, Number]]:
    for name, chosen in calculations().items():
        for i in chosen.inputs:
            if isinstance(i, Number) and not i.allowed and np.isfinite(i.high - i.low):
                yield name, i


def refusal(name: str, inputs: dict[str, Any]) -> str:
    try:
        calculate(name, inputs)
    except InvalidInputs as refused:
        return str(refused)
    return ""


@pytest.mark.parametrize(("name", "i"), list(ranges()), ids=lambda v: v if isinstance(v, str) else v.name)
def test_the_range_that_a_refusal_names_is_the_one_that_holds(name: str, i: Number) -> None:
    """An end may fail in what it leads to; it is never called out of the range that it is the end of."""
    step = max((i.high - i.low) * 1e-6, 1e-9)
    for end, beyond in ((i.low, i.low if i.above else i.low - step), (i.high, i.high + step)):
        at_the_end = end + step * (i.above and end == i.low)
        assert i.range_words not in refusal(name, good(name) | {i.name: at_the_end})
        with pytest.raises(InvalidInputs) as refused_beyond:
            calculate(name, good(name) | {i.name: beyond})
        words = refused_beyond.value.fields[i.name]
        assert i.range_words in words, words


@pytest.mark.parametrize("name", calculations())
def test_every_calculation_answers_with_words_and_source(name: str) -> None:
    answer = calculate(name, good(name))
    assert answer.working
    assert answer.calculation.source
    assert answer.calculation.formula
    for o in answer.calculation.outputs:
        value = answer.outputs.get(o.name)
        assert value is None or isinstance(value, str) or np.all(np.isfinite(value)), o.name


@pytest.mark.parametrize("name", calculations())
def test_what_cannot_be_taken_is_said_in_its_field(name: str) -> None:
    for i in calculations()[name].inputs:
        bad: list[Any] = ["not this", True]
        if isinstance(i, Number):
            bad += [math.nan, math.inf, -math.inf, 10**400, [1.0, "x"], {}]
            if np.isfinite(i.low) and not i.allowed:
                bad.append(i.low if i.above else i.low - 1.0)
            if i.allowed:
                bad.append(max(i.allowed) + 0.5)
            if np.isfinite(i.high):
                bad.append(i.high * 1.01 + 1.0)
        for value in bad:
            with pytest.raises(InvalidInputs) as refused:
                calculate(name, good(name) | {i.name: value})
            assert i.name in refused.value.fields, (i.name, value, refused.value.fields)


@pytest.mark.parametrize("name", calculations())
def test_what_is_missing_is_said_all_at_once(name: str) -> None:
    with pytest.raises(InvalidInputs) as refused:
        calculate(name, {"bogus": 1})
    needed = {i.name for i in calculations()[name].inputs if i.default is REQUIRED}
    assert needed | {"bogus"} == set(refused.value.fields)


@pytest.mark.parametrize("name", calculations())
def test_arrays_give_what_single_numbers_give(name: str) -> None:
    chosen = calculations()[name]
    inputs = good(name)
    number = next((i for i in chosen.inputs if isinstance(i, Number) and not i.scalar and i.name in inputs), None)
    if number is None or any(isinstance(i, Points | Moment) for i in chosen.inputs):
        pytest.skip("takes no array")
    values = (
        [inputs[number.name], inputs[number.name]]
        if number.allowed
        else [inputs[number.name] * f for f in (0.9, 1.0, 1.05)]
    )
    together = calculate(name, inputs | {number.name: values}).outputs
    for n, value in enumerate(values):
        alone = calculate(name, inputs | {number.name: value}).outputs
        for key, found in alone.items():
            expected = found if isinstance(found, str) else pytest.approx(found, rel=1e-12)
            assert np.broadcast_to(together[key], len(values))[n] == expected


def test_not_strict_gives_nan_where_strict_refuses() -> None:
    rows = {T: [10.0, 50.0, math.nan, 20.0], "salinity": 0.0}
    found = calculate("oxygen-saturation", rows, strict=False).outputs["oxygen_mg_l"]
    assert np.isnan(found).tolist() == [False, True, True, False]
    with pytest.raises(InvalidInputs, match="50 lies outside"):
        calculate("oxygen-saturation", rows)


def test_lists_of_different_lengths_are_refused() -> None:
    with pytest.raises(InvalidInputs, match="one length"):
        calculate("oxygen-saturation", {T: [1.0, 2.0], "salinity": [1.0, 2.0, 3.0]})


@pytest.mark.parametrize(
    ("name", "changed", "words"),
    [
        ("hypochlorous-fraction", {"ph": 7.5, T: 25.0, "cyanuric_acid_mg_l": 30.0}, "Does not apply with stabiliser"),
        ("hypochlorous-fraction", {"ph": 7.5, T: 25.0, "salinity": 35.0}, "Does not apply in sea salt"),
        ("kcl-conductivity", {"standard_us_cm": 84.0, T: 20.0}, "25 ± 2 °C only"),
        ("kcl-conductivity", {"molarity": 0.1, T: 33.0}, "0 to 30 °C"),
        ("kcl-conductivity", {T: 20.0}, "which bottle"),
        ("salinity", {"conductivity_ms_cm": 90.0, T: 20.0}, "up to salinity 42"),
        ("conductivity-at-reference", {"conductivity_us_cm": 5.0, T: 20.0, "method": "linear"}, "always names it"),
        ("conductivity-at-reference", {"conductivity_us_cm": 5.0, T: 60.0, "method": "natural-water"}, "from 0 to 35"),
        (
            "conductivity-at-reference",
            {"conductivity_us_cm": 5.0, T: 10.0, "method": "linear", "coefficient_percent_per_c": 10.0},
            "no sense",
        ),
        ("orp-to-eh", {"mv": 1.0, T: 5.0, "reference": "calomel-sat"}, "not tabled"),
        ("zobell-eh", {T: 5.0}, "8 to 85"),
        (
            "unionized-ammonia",
            {"tan_mg_l": 1.0, "ph": 8.0, T: 2.0, "salinity": 20.0, "ph_scale": "total"},
            "from 5 to 32 °C; 2 °C lies outside",
        ),
        (
            "unionized-ammonia",
            {"tan_mg_l": 1.0, "ph": 8.0, T: 20.0, "salinity": 4.0, "ph_scale": "total"},
            "holds from salinity 5; 4 lies outside",
        ),
        (
            "saturation-index",
            GOOD["saturation-index"] | {"cyanuric_acid_mg_l": 300.0, "alkalinity_mg_l_caco3": 60.0},
            "no carbonate alkalinity",
        ),
        ("night-oxygen", GOOD["night-oxygen"] | {"later_at": "2026-05-06T18:00:00Z"}, "later than the first"),
        ("night-oxygen", GOOD["night-oxygen"] | {"later_at": "2026-05-06T21:00:00"}, "later_at must be a time"),
        (
            "night-oxygen",
            GOOD["night-oxygen"] | {"dawn_at": "2026-05-09T05:00:00Z"},
            "within 18 hours of the first reading",
        ),
        ("night-oxygen", GOOD["night-oxygen"] | {"later_mg_l": 9.5}, "Oxygen rose from 9 to 9.5 mg/L"),
        ("relative-percent-difference", {"first": 1.0, "second": -1.0}, "1 and -1 lie on both sides of nought"),
        ("relative-percent-difference", {"first": -5.0, "second": 4.0}, "-5 and 4 lie on both sides of nought"),
        ("relative-percent-difference", {"first": 0.0, "second": 0.0}, "0 and 0 lie on both sides"),
        ("oxygen-saturation", {T: 20.0, "altitude_m": 630.0, "pressure_hpa": 940.0}, "pressure_hpa or altitude_m, not"),
        ("oxygen-saturation", {T: 20.0, "altitude_m": 9000.0}, "altitude_m must be from -500 to 6000 m"),
        (
            "salinity",
            {"conductivity_ms_cm": 90.0, T: 5.0, "meter_method": "linear", "meter_coefficient_percent_per_c": 0.0}
            | {"meter_reference_c": 20.0},
            "up to salinity 42",
        ),
        (
            "salinity",
            {"conductivity_ms_cm": 90.0, T: 35.0, "meter_method": "linear", "meter_coefficient_percent_per_c": 5.0},
            "taken back, conductivity_ms_cm is 135; it must be from 0 to 100 mS/cm",
        ),
        ("conductivity-at-reference", {"conductivity_us_cm": 2e6, T: 20.0, "method": "natural-water"}, "to 1000000 µS"),
        ("ion-electrode-fit", {"points": [{"activity": 5.0, "mv": 1.0, T: 25.0}], "charge": 1}, "two activities"),
        ("electrode-fit", {"points": []}, "list of points"),
        ("electrode-fit", {"points": [{"ph": 7.0, T: 25.0}]}, "lacks mv"),
        ("pool-salt", {"conductivity_us_cm": 50_000.0, T: 25.0}, "up to 5 844"),
        ("oxygen-saturated", {}, "Did you mean oxygen-saturation"),
    ],
)
def test_refusals_say_the_rule(name: str, changed: Mapping[str, Any], words: str) -> None:
    with pytest.raises(InvalidInputs, match=words):
        calculate(name, changed)


class TestUncertainty:
    def test_is_the_slope_times_the_input(self) -> None:
        # pH by mV: 1 / (slope · Nernst slope), by hand.
        inputs = {"mv": -20.0, T: 25.0, "slope_percent": 98.0, "offset_mv": 2.0, "mv_u": 0.5}
        found = calculate("ph-from-millivolts", inputs).outputs["ph_u"]
        assert found == pytest.approx(0.5 / (0.98 * 59.1593), rel=1e-5)

    def test_agrees_with_a_simulation(self) -> None:
        # JCGM 101, propagation by Monte Carlo with a fixed seed, against the first-order rule.
        rng, n = np.random.default_rng(3), 200_000
        inputs = {"tan_mg_l": 1.0, "ph": 8.0, T: 20.0}
        u = {"tan_mg_l": 0.02, "ph": 0.02, T: 0.1}
        found = calculate("unionized-ammonia", inputs | {f"{k}_u": v for k, v in u.items()})
        drawn = calculate("unionized-ammonia", {k: rng.normal(v, u[k], n) for k, v in inputs.items()})
        assert found.outputs["unionized_mg_l_u"] == pytest.approx(np.std(drawn.outputs["unionized_mg_l"]), rel=0.02)
        assert {c.key for c in found.budgets["unionized_mg_l"].contributions} == set(inputs)

    def test_a_points_uncertainty_reaches_the_slope(self) -> None:
        points = [{"ph": 7.0, "mv": 0.0, T: 25.0, "mv_u": 0.3}, {"ph": 4.0, "mv": 177.0, T: 25.0, "mv_u": 0.3}]
        found = calculate("electrode-fit", {"points": points}).outputs
        assert found["slope_percent_u"] == pytest.approx(100 * 0.3 * 2**0.5 / (3 * 59.1593), rel=1e-3)
        assert found["offset_mv_u"] == pytest.approx(0.3, rel=1e-3)

    def test_holds_at_the_edge_of_a_range(self) -> None:
        found = calculate("oxygen-saturation", {T: 0.0, f"{T}_u": 0.1}).outputs["oxygen_mg_l_u"]
        assert found == pytest.approx(0.1 * 0.41, rel=0.03)  # 14.621 to 14.216 mg/L from 0 to 1 °C, printed table

    def test_only_where_an_input_carries_one(self) -> None:
        assert "eh_mv_u" not in calculate("zobell-eh", {T: 20.0}).outputs
        # The half-cell's own ±3 mV is in the budget of Eh, carried or not.
        assert calculate("orp-to-eh", GOOD["orp-to-eh"] | {"mv_u": 1.0}).outputs["eh_mv_u"] == pytest.approx(
            2.0, rel=1e-3
        )


CELSIUS = st.floats(0.0, 35.0)


@given(st.floats(1.0, 50_000.0), CELSIUS, st.sampled_from([20.0, 25.0]))
def test_compensation_there_and_back(us_cm: float, t: float, reference: float) -> None:
    for how in ({"method": "natural-water"}, {"method": "linear", "coefficient_percent_per_c": 2.0}):
        given_ = {T: t, "reference_c": reference, **how}
        there = calculate("conductivity-at-reference", given_ | {"conductivity_us_cm": us_cm}).outputs[
            "conductivity_us_cm"
        ]
        back = calculate("conductivity-at-temperature", given_ | {"conductivity_us_cm": there}).outputs[
            "conductivity_us_cm"
        ]
        assert back == pytest.approx(us_cm, rel=1e-9)
        undone = {"meter_method": how["method"], "meter_coefficient_percent_per_c": 2.0, "meter_reference_c": reference}
        twice = calculate("conductivity-at-reference", given_ | undone | {"conductivity_us_cm": there})
        assert twice.outputs["conductivity_us_cm"] == pytest.approx(there, rel=1e-9)


@given(st.floats(0.01, 42.0), st.floats(-2.0, 35.0), st.sampled_from([0.0, 500.0, 10_000.0]))
def test_salinity_there_and_back(s: float, t: float, dbar: float) -> None:
    given_ = {T: t, "pressure_dbar": dbar}
    there = calculate("conductivity-from-salinity", given_ | {"salinity": s}).outputs["conductivity_ms_cm"]
    back = calculate("salinity", given_ | {"conductivity_ms_cm": there}, strict=False).outputs["salinity"]
    assert np.isnan(back) or back == pytest.approx(s, rel=1e-9)
    more = calculate("conductivity-from-salinity", given_ | {"salinity": min(s + 0.01, 42.0)}).outputs[
        "conductivity_ms_cm"
    ]
    assert more >= there


@given(st.floats(0.0, 200.0), st.floats(0.0, 40.0), st.floats(500.0, 1100.0), st.floats(0.0, 40.0))
def test_oxygen_there_and_back(percent: float, t: float, hpa: float, s: float) -> None:
    given_ = {T: t, "pressure_hpa": hpa, "salinity": s}
    mg_l = calculate("oxygen-concentration", given_ | {"oxygen_percent": percent}).outputs["oxygen_mg_l"]
    back = calculate("oxygen-percent", given_ | {"oxygen_mg_l": mg_l}).outputs["oxygen_percent"]
    assert back == pytest.approx(percent, rel=1e-9, abs=1e-9)


@given(st.floats(0.0, 14.0), st.floats(0.0, 50.0))
def test_ph_and_millivolts_there_and_back(ph: float, t: float) -> None:
    line = {T: t, "slope_percent": 97.0, "offset_mv": -4.0}
    mv = -4.0 - 0.97 * calculate("nernst-slope", {T: t}).outputs["slope_mv_per_decade"] * (ph - 7.0)
    assert calculate("ph-from-millivolts", line | {"mv": mv}).outputs["ph"] == pytest.approx(ph, rel=1e-9, abs=1e-9)


@given(st.floats(4.0, 11.0), st.floats(0.0, 39.0))
def test_ammonia_rises_with_ph_and_temperature(ph: float, t: float) -> None:
    def share(ph: float, t: float) -> Any:
        return calculate("unionized-ammonia", {"tan_mg_l": 1.0, "ph": ph, T: t}).outputs["fraction_percent"]

    assert share(ph, t) < share(ph + 0.01, t)
    assert share(ph, t) < share(ph, t + 0.5)
    total = calculate("ammonium-to-total", {"ammonium_n_mg_l": 1 - share(ph, t) / 100, "ph": ph, T: t}).outputs[
        "tan_mg_l"
    ]
    assert total == pytest.approx(1.0, rel=1e-9)


def test_oxygen_falls_with_temperature_and_salt_and_height() -> None:
    t = np.linspace(0, 40, 201)
    assert (np.diff(calculate("oxygen-saturation", {T: t}).outputs["oxygen_mg_l"]) < 0).all()
    s = np.linspace(0, 40, 201)
    assert (np.diff(calculate("oxygen-saturation", {T: 20.0, "salinity": s}).outputs["oxygen_mg_l"]) < 0).all()
    p = np.linspace(500, 1100, 201)
    assert (np.diff(calculate("oxygen-saturation", {T: 20.0, "pressure_hpa": p}).outputs["oxygen_mg_l"]) > 0).all()


def test_options_of_choices_are_words() -> None:
    for chosen in calculations().values():
        for i in chosen.all_inputs:
            if isinstance(i, Choice):
                assert all(words and key == key.strip() for key, words in i.options.items())


@pytest.mark.parametrize("u", [-0.1, float("nan"), 41.0, 1e300])
def test_an_uncertainty_wider_than_the_range_of_its_input_says_nothing_and_is_refused(u: float) -> None:
    with pytest.raises(InvalidInputs, match="a number from 0 to 40"):
        calculate("oxygen-saturation", {T: 20.0, "temperature_c_u": u})
    assert calculate("oxygen-saturation", {T: 20.0, "temperature_c_u": 40.0}).outputs["oxygen_mg_l_u"] > 0


def test_a_budget_names_its_points_as_people_count() -> None:
    points = [{"ph": 7.0, "mv": 3.0, "mv_u": 0.2, T: 25.0}, {"ph": 4.01, "mv": 178.0, "mv_u": 0.2, T: 25.0}]
    budget = calculate("electrode-fit", {"points": points}).budgets["slope_percent"]
    assert {c.key for c in budget.contributions} == {"mv of point 1", "mv of point 2"}
