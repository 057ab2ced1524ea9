"""What stands beside an answer: likely wrong units, implausible values, defaults that matter; in every face."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

import pytest

from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import InvalidInputs, find
from brumel.services.reckon.batch import batch
from brumel.services.reckon.columns import append_columns
from brumel.services.reckon.desk import work
from brumel.services.reckon.faces import answer_text, plain_answer, rounded
from brumel.services.units import typed_inputs

T = "temperature_c"


def warnings(name: str, **inputs: Any) -> list[str]:
    return calculate(name, typed_inputs(find(name), inputs)).warnings


def column_file(name: str, text: str, **given: str) -> list[dict[str, str]]:
    target = io.StringIO()
    append_columns(name, given, io.StringIO(text), target, lambda rows: None)
    first = text.split("\n", 1)[0]
    return list(csv.DictReader(io.StringIO(target.getvalue()), delimiter=";" if ";" in first else ","))


@pytest.mark.parametrize(
    ("name", "inputs", "words"),
    [
        ("ph-from-millivolts", {"mv": 100, T: 25, "slope_percent": 0.98, "offset_mv": 0}, "0.98 meant as 98 %"),
        ("ph-from-millivolts", {"mv": 100, T: 25, "slope_percent": 98, "offset_mv": 177}, "usually within ±30 mV"),
        ("ph-from-millivolts", {"mv": 900, T: 25, "slope_percent": 98, "offset_mv": 0}, "No water has such a pH"),
        ("ph-from-millivolts", {"mv": 0, T: 77, "slope_percent": 98, "offset_mv": 0}, "was °F meant"),
        ("ph-recompensated", {"shown_ph": 7, T: 20, "meter_setting_c": 77}, "was °F meant"),
        (
            "conductivity-at-reference",
            {"conductivity_us_cm": 500, T: 20, "method": "linear", "coefficient_percent_per_c": 0.02},
            "0.02 meant as 2 %/°C",
        ),
        ("conductivity-at-reference", {"conductivity_us_cm": 0.3, T: 20, "method": "natural-water"}, "was mS/cm meant"),
        ("oxygen-saturation", {T: 20, "pressure_hpa": 760}, "was mmHg meant"),
        ("oxygen-saturation", {T: 20}, "pressure_hpa was not given: 1013.25 hPa was taken"),
        ("oxygen-saturation", {T: 20, "altitude_m": 1200}, "1200 m of altitude in the standard atmosphere: 877.2 hPa"),
        (
            "electrode-fit",
            {"points": [{"ph": 7, "mv": 0, T: 25}, {"ph": 4, "mv": -170, T: 25}]},
            "buffers swapped, one buffer twice, or a sign lost",
        ),
        ("electrode-fit", {"points": [{"ph": 7, "mv": 90, T: 25}]}, "an offset within ±30 mV"),
        (
            "ion-electrode-fit",
            {"points": [{"activity": 5, "mv": 0, T: 25}, {"activity": 50, "mv": -57, T: 25}], "charge": 1},
            "the sign of the charge",
        ),
        ("hypochlorous-fraction", {"ph": 7.4, T: 38}, "beyond its published range, 5 to 35 °C"),
        (
            "unionized-ammonia",
            {"tan_mg_l": 1, "ph": 8, T: 30, "salinity": 35, "ph_scale": "total"},
            "beyond its fit (5 to 25 °C)",
        ),
        (
            "night-oxygen",
            {
                "evening_mg_l": 9,
                "evening_at": "2026-05-06T19:00:00Z",
                "later_mg_l": 8,
                "later_at": "2026-05-07T02:30:00Z",
                "dawn_at": "2026-05-07T05:00:00Z",
                "limit_mg_l": 4,
            },
            "two to three hours after dusk",
        ),
    ],
)
def test_is_asked(name: str, inputs: dict[str, Any], words: str) -> None:
    assert any(words in w for w in warnings(name, **inputs))


def test_what_is_usual_is_not_asked() -> None:
    assert warnings("ph-from-millivolts", mv=20, temperature_c=25, slope_percent=98, offset_mv=3) == []
    assert warnings("ph-from-millivolts", mv=20, temperature_c=45, slope_percent=70, offset_mv=60) == []
    assert warnings("oxygen-saturation", temperature_c=20, pressure_hpa=800) == []


@pytest.mark.parametrize(
    ("degrees", "salinity", "said"), [(5.0, 5.0, 0), (25.0, 35.0, 0), (25.1, 35.0, 1), (32.0, 35.0, 1)]
)
def test_the_total_scale_holds_at_its_ends(degrees: float, salinity: float, said: int) -> None:
    found = warnings("unionized-ammonia", tan_mg_l=1, ph=8, temperature_c=degrees, salinity=salinity, ph_scale="total")
    assert sum("beyond its fit" in w for w in found) == said


def test_every_face_says_it() -> None:
    inputs = {T: 20.0, "pressure_hpa": 760.0}
    answer = calculate("oxygen-saturation", inputs)
    assert plain_answer(answer)["warnings"] == answer.warnings != []
    assert "Check: Below 800 hPa" in answer_text(answer)
    lines = [json.dumps({"calc": "oxygen-saturation", "inputs": inputs | {"pressure_hpa": p}}) for p in (760, 1000)]
    together = [json.loads(line)["warnings"] for line in batch(lines)]
    assert together == [answer.warnings, []]
    assert json.loads(next(batch(lines[:1])))["warnings"] == answer.warnings
    rows = column_file("oxygen-saturation", "temperature_c,pressure_hpa\n20,760\n20,1000\n99,760\n")
    assert [r["warnings"] for r in rows] == [answer.warnings[0], "", ""]
    assert "99 lies outside" in rows[2]["not_calculated_because"]


def test_the_scale_of_a_ph_stands_in_every_result() -> None:
    inputs = {"tan_mg_l": 1.0, "ph": 8.0, T: 20.0}
    assert calculate("unionized-ammonia", inputs).outputs["scale"] == "nist"
    lines = [json.dumps({"calc": "unionized-ammonia", "inputs": inputs | {T: t}}) for t in (20.0, 21.0)]
    assert [json.loads(line)["outputs"]["scale"] for line in batch(lines)] == ["nist", "nist"]
    rows = column_file("unionized-ammonia", "tan_mg_l,ph,temperature_c\n1,8,20\n1,8,21\n")
    assert [r["scale"] for r in rows] == ["nist", "nist"]


class TestTheScreen:
    def test_asks_for_pressure_or_altitude_before_it_answers(self) -> None:
        chosen = find("oxygen-saturation")
        waiting = work(chosen, {T: "20"})
        assert waiting.answer is None
        assert waiting.missing == ("Station pressure or altitude",)
        assert work(chosen, {T: "20", "altitude_m": "630"}).answer is not None
        assert work(chosen, {T: "20", "pressure_hpa": "940"}).questions == ()

    def test_asks_back(self) -> None:
        asked = work(find("oxygen-saturation"), {T: "20", "pressure_hpa": "760"})
        assert asked.answer is not None
        assert "was mmHg meant" in asked.questions[0]

    def test_shows_errors_before_it_asks_for_more(self) -> None:
        wrong = work(find("oxygen-saturation"), {T: "12,880"})
        assert "can be read in two ways" in wrong.errors[T]


@pytest.mark.parametrize("fahrenheit", [32, 95, 104, 113, 122])
def test_fahrenheit_meets_the_ends_of_ranges(fahrenheit: int) -> None:
    celsius = (fahrenheit - 32) / 1.8
    found = typed_inputs(find("nernst-slope"), {"temperature": f"{fahrenheit} °F"})
    assert found[T] == round(celsius, 9)
    name = {0: "oxygen-saturation", 35: "salinity", 40: "unionized-ammonia"}.get(round(celsius))
    if name:
        others = {"salinity": {"conductivity_ms_cm": 30}, "unionized-ammonia": {"tan_mg_l": 1, "ph": 8}}.get(name, {})
        calculate(name, typed_inputs(find(name), {"temperature": f"{fahrenheit}F"}) | others)


@pytest.mark.parametrize("t", [0.0, 15.0, 25.0, 35.0])
@pytest.mark.parametrize("digits", [3, 12])
def test_salinity_42_of_our_own_leads_back(t: float, digits: int) -> None:
    made = calculate("conductivity-from-salinity", {"salinity": 42.0, T: t}).outputs["conductivity_ms_cm"]
    back = calculate("salinity", {"conductivity_ms_cm": round(made, digits), T: t}).outputs["salinity"]
    assert back == pytest.approx(42.0, abs=0.0006)
    assert calculate("seawater-density", {"salinity": min(back, 42.0), T: t}).outputs
    with pytest.raises(InvalidInputs, match="up to salinity 42"):
        calculate("salinity", {"conductivity_ms_cm": made + 0.01, T: t})


@pytest.mark.parametrize(
    ("name", "typed", "value"),
    [
        ("pressure_hpa", "760 mm Hg", 1013.25),
        ("temperature_c", "20 ℃", 20.0),
        ("temperature_c", "68 ℉", 20.0),
        ("altitude_m", "1000 feet", 304.8),
        ("conductivity_ms_cm", "5000 mS/m", 50.0),
        ("conductivity_us_cm", "141,3 mS/m", 1413.0),
        ("conductivity_us_cm", "1 413 μS/cm", 1413.0),
    ],
)
def test_units_as_people_write_them(name: str, typed: str, value: float) -> None:
    chosen = {"conductivity_ms_cm": "salinity", "conductivity_us_cm": "conductivity-at-reference"}
    found = typed_inputs(find(chosen.get(name, "oxygen-saturation")), {name: typed})
    assert found[name] == pytest.approx(value, rel=1e-6)


class TestDoubledKeys:
    def test_by_name_and_by_stem(self) -> None:
        with pytest.raises(InvalidInputs, match="temperature_c is given twice"):
            typed_inputs(find("salinity"), {"temperature_c": "20", "temperature": "68 °F"})

    def test_in_a_line(self) -> None:
        line = '{"calc": "oxygen-saturation", "inputs": {"temperature_c": 20, "temperature_c": 21}}'
        assert json.loads(next(batch([line]))) == {"calc": None, "error": "temperature_c is given twice: give it once."}

    def test_in_a_column(self) -> None:
        with pytest.raises(InvalidInputs, match="temperature_c is given twice"):
            column_file("oxygen-saturation", "T,U\n1,2\n", temperature_c="@T", temperature="@U[degF]")


class TestFiles:
    def test_decimal_commas_and_semicolons(self) -> None:
        rows = column_file("oxygen-saturation", "T;S\n20,5;0\n68 F;1,5\n", temperature_c="@T", salinity="@S")
        assert rows[0]["oxygen_mg_l"] == "9,002930766"
        assert rows[1]["oxygen_mg_l"].startswith("9,01")
        points = column_file("oxygen-saturation", 'T,S\n"20,5",0\n', temperature_c="@T", salinity="@S")
        assert points[0]["oxygen_mg_l"] == "9,002930766"
        tabs = column_file("oxygen-saturation", "T\n20.5\n", temperature_c="@T")
        assert tabs[0]["oxygen_mg_l"] == "9.002930766"

    def test_an_altitude_in_a_column_is_named_in_each_row(self) -> None:
        rows = column_file("oxygen-saturation", "temperature_c,h\n20,630\n20,1200\n20,9000\n", altitude_m="@h")
        assert [r["oxygen_mg_l"][:4] for r in rows] == ["8.41", "7.84", ""]
        assert all("this row's altitude in the standard atmosphere" in r["warnings"] for r in rows[:2])
        assert rows[2]["warnings"] == ""
        assert "9000" in rows[2]["not_calculated_because"]

    def test_a_cells_own_unit_goes_before_its_columns(self) -> None:
        rows = column_file("oxygen-saturation", "T\n68 F\n293.15\n", temperature_c="@T[K]")
        assert rows[0]["oxygen_mg_l"] == rows[1]["oxygen_mg_l"] != ""

    @pytest.mark.parametrize(
        ("cell", "why"),
        [
            ("68 X", "temperature_c can't be in 'X': it takes °C, °F, K."),
            ('"12,880"', "'12,880' can be read in two ways"),
            ("warm", "temperature_c must be from 0 to 40 °C; 'warm' is not a number."),
            ("nan", "'nan' is not a number"),
            ('""', "temperature_c is missing: its cell is empty."),
        ],
    )
    def test_a_cell_that_cannot_be_read_says_why(self, cell: str, why: str) -> None:
        row = column_file("oxygen-saturation", f"T,x\n{cell},1\n", temperature_c="@T")[0]
        assert why in row["not_calculated_because"]
        assert row["oxygen_mg_l"] == row["warnings"] == ""


def test_nought_has_no_sign() -> None:
    assert (rounded(-0.0, 1), rounded(-1e-12, 2)) == ("0.0", "0.00")
