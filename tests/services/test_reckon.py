"""Units as typed, lines and files, finding, curves; and the command line in front of them."""

from __future__ import annotations

import csv
import io
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import InvalidInputs, Number, calculations, find
from brumel.services.reckon import batch as batch_module
from brumel.services.reckon.batch import answer_or_error, batch
from brumel.services.reckon.columns import append_columns
from brumel.services.reckon.faces import formulas_markdown
from brumel.services.reckon.finder import in_hand, needed, offers
from brumel.services.reckon.pictures import picture_of
from brumel.services.units import UNITS, in_unit, typed_inputs, units_of


class TestUnits:
    @pytest.mark.parametrize(
        ("typed", "name", "value"),
        # NIST SP 811, appendix B: conversion factors.
        [
            ({"temperature": "66degF"}, "temperature_c", 18.889),
            ({"temperature_c": "291.5 K"}, "temperature_c", 18.35),
            ({"pressure": "29.9inHg"}, "pressure_hpa", 1012.53),
            ({"pressure_hpa": "760 mmHg"}, "pressure_hpa", 1013.25),
            ({"pressure": "14.696 psi"}, "pressure_hpa", 1013.25),
            ({"pressure_hpa": "1013,25"}, "pressure_hpa", 1013.25),
            ({"temperature_c_u": "0.9 degF"}, "temperature_c_u", 0.5),
            ({"temperature_c": "−1.5"}, "temperature_c", -1.5),
        ],
    )
    def test_are_converted(self, typed: dict[str, str], name: str, value: float) -> None:
        found = typed_inputs(find("oxygen-saturation"), typed)
        assert set(found) == {name}
        assert found[name] == pytest.approx(value, abs=0.01)

    def test_conductivity_in_either_size(self) -> None:
        assert typed_inputs(find("salinity"), {"conductivity": "5300 µS/cm"})["conductivity_ms_cm"] == pytest.approx(
            5.3
        )
        assert typed_inputs(find("resistivity"), {"conductivity": "0.5 S/m"})["conductivity_us_cm"] == pytest.approx(
            5000
        )

    @pytest.mark.parametrize("unit", ["hPa", "furlong", "°", "degF*2", "__import__"])
    def test_of_something_else_are_refused(self, unit: str) -> None:
        with pytest.raises(InvalidInputs, match=r"takes °C, °F, K|not a number"):
            typed_inputs(find("salinity"), {"temperature_c": f"20 {unit}"})

    def test_a_name_without_its_unit_needs_one_typed(self) -> None:
        with pytest.raises(InvalidInputs) as refused:
            typed_inputs(find("salinity"), {"temperature": "20"})
        assert "temperature needs a unit (°C" in str(refused.value)

    def test_every_unit_that_is_offered_converts(self) -> None:
        for chosen in calculations().values():
            for i in chosen.all_inputs:
                if isinstance(i, Number):
                    assert not i.unit or i.unit in UNITS or i.unit in {"pH", "% of Nernst", "%/°C"}, i
                    for unit in units_of(i):
                        assert i.name in typed_inputs(chosen, {i.name: f"1 {unit}"})
                        assert in_unit(i, 1.0, unit) == typed_inputs(chosen, {i.name: f"1 {unit}"})[i.name]


LINES = [
    ("salinity", {"conductivity_ms_cm": 5.0, "temperature_c": 20.0}),
    ("oxygen-saturation", {"temperature_c": 10.0}),
    ("salinity", {"conductivity_ms_cm": 50.0, "temperature_c": 20.0}),
    ("salinity", {"conductivity_ms_cm": 50.0, "temperature_c": 99.0}),
    ("orp-to-eh", {"mv": 200, "temperature_c": 20, "reference": "ag-agcl-3m"}),
    ("orp-to-eh", {"mv": 201, "temperature_c": 20, "reference": "ag-agcl-3m"}),
    ("orp-to-eh", {"mv": 201, "temperature_c": 20, "reference": "mercury"}),
    ("salinity", {"conductivity_ms_cm": True, "temperature_c": 20.0}),
    ("salinity", {"conductivity_ms_cm": "53 mS/cm", "temperature_c": "77 °F"}),
    ("zobell-eh", {"temperature_c": 20}),
    ("zobell-eh", {"temperature_c": 21}),
    ("electrode-fit", {"points": [{"ph": 7, "mv": 3, "temperature_c": 25}]}),
    ("nothing", {}),
    ("oxygen-saturation", {"temperature_c": 10.0, "temperature_c_u": 0.1}),
    ("oxygen-saturation", {"temperature_c": 11.0, "temperature_c_u": 0.1}),
]


class TestBatch:
    def test_gives_in_order_what_each_line_gives_alone(self) -> None:
        asked = [json.dumps({"calc": name, "inputs": inputs}) + "\n" for name, inputs in LINES]
        found = [json.loads(line) for line in batch(asked)]
        alone = [json.loads(json.dumps(answer_or_error(name, inputs))) for name, inputs in LINES]
        assert [set(f) for f in found] == [set(a) for a in alone]
        for one, other in zip(found, alone, strict=True):
            assert one["calc"] == other["calc"]
            assert one.get("error") == other.get("error")
            for key, value in other.get("outputs", {}).items():
                assert one["outputs"][key] == pytest.approx(value, rel=1e-12)

    def test_a_bad_line_stops_nothing(self) -> None:
        bad = [
            "nonsense\n",
            "[1]\n",
            "{}\n",
            '{"calc": 5}\n',
            '{"calc": "salinity"}\n',
            '{"calc": ["x"], "inputs": {}}\n',
            '{"calc": "salinity", "inputs": [1]}\n',
            "\n",
            '{"calc": "salinity", "inputs": {"temperature_c": NaN}}\n',
            "[" * 5000 + "\n",
        ]
        good = '{"calc": "nernst-slope", "inputs": {"temperature_c": 25}}\n'
        found = [json.loads(line) for line in batch([*bad, good, good])]
        assert len(found) == len(bad) - 1 + 2
        assert all("error" in f for f in found[:-2])
        assert found[-1]["outputs"]["slope_mv_per_decade"] == pytest.approx(59.159, abs=0.001)

    @pytest.mark.parametrize(
        "inputs",
        [
            '"ab"',
            '["temperature_c"]',
            '{"temperature_c": 1e999}',
            '{"temperature_c": NaN}',
            '{"temperature_c": -Infinity}',
            f'{{"temperature_c": 1{"0" * 400}}}',
            '{"temperature_c": "\\ud800"}',
            '{"temperature_c": 25, "temperature_c": 26}',
        ],
    )
    def test_the_same_bad_line_twice_is_refused_twice(self, inputs: str) -> None:
        """Alike lines are worked together: what can't be is refused one by one, each for its own reason."""
        line = f'{{"calc": "nernst-slope", "inputs": {inputs}}}\n'
        good = '{"calc": "nernst-slope", "inputs": {"temperature_c": 25}}\n'
        one, other, last = (json.loads(answer) for answer in batch([line, line, good]))
        assert one == other
        assert "error" in one
        assert last["outputs"]["slope_mv_per_decade"] == pytest.approx(59.159, abs=0.001)

    @given(
        st.lists(
            st.recursive(
                st.none() | st.booleans() | st.floats() | st.text() | st.integers(),
                lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(), inner, max_size=3),
            ),
            max_size=8,
        )
    )
    def test_whatever_comes_each_line_has_its_answer(self, things: list[Any]) -> None:
        inputs = [json.dumps({"calc": "salinity", "inputs": thing}) for thing in things]
        lines = [json.dumps(thing) for thing in things] + inputs
        found = [json.loads(line) for line in batch(f"{line}\n" for line in lines)]
        assert len(found) == len(lines)
        assert all("error" in f or "outputs" in f for f in found)

    def test_across_chunks(self, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(batch_module, "CHUNK", 4)
        lines = [json.dumps({"calc": "nernst-slope", "inputs": {"temperature_c": t}}) + "\n" for t in range(11)]
        slopes = [json.loads(line)["outputs"]["slope_mv_per_decade"] for line in batch(lines)]
        assert np.allclose(
            slopes, calculate("nernst-slope", {"temperature_c": list(range(11))}).outputs["slope_mv_per_decade"]
        )


def appended(name: str, given_: dict[str, str], text: str) -> list[dict[str, str]]:
    target = io.StringIO()
    append_columns(name, given_, io.StringIO(text), target, lambda rows: None)
    return list(csv.DictReader(target.getvalue().splitlines()))


class TestColumns:
    def test_points_do_not_stand_in_a_row(self) -> None:
        with pytest.raises(InvalidInputs, match="takes points, which a row of a table can't hold: use --batch"):
            appended("electrode-fit", {}, "ph,mv\n7,0\n")

    def test_appends_and_keeps_what_was_there(self) -> None:
        text = 'when,Temp,oxygen_mg_l,remark\n1,68,9.09,"a, b"\n2,50,11.3,\n'
        rows = appended("oxygen-percent", {"temperature": "@Temp[degF]", "salinity": "0"}, text)
        assert [r["remark"] for r in rows] == ["a, b", ""]
        assert [float(r["oxygen_percent"]) for r in rows] == pytest.approx([100.0, 100.1], abs=0.1)

    def test_a_row_that_cannot_be_has_its_reason_and_no_number(self) -> None:
        rows = appended("oxygen-percent", {}, "temperature_c,oxygen_mg_l\n20,9\nwarm,9\n99,9\n20\n")
        assert [bool(r["oxygen_percent"]) for r in rows] == [True, False, False, False]
        assert "lies outside" in rows[2]["not_calculated_because"]
        assert "missing" in rows[3]["not_calculated_because"]

    @pytest.mark.parametrize("column", ["@Temp[degF]", "@Temp"])
    def test_an_empty_cell_is_missing_and_takes_no_default(self, column: str) -> None:
        given_ = {"temperature": column, "salinity": "@S"}
        rows = appended("oxygen-percent", given_, "Temp,S,oxygen_mg_l\n30,,9\n ,2,9\n")
        assert [r["oxygen_percent"] for r in rows] == ["", ""]
        assert [r["not_calculated_because"] for r in rows] == [
            "salinity is missing: its cell is empty.",
            "temperature_c is missing: its cell is empty.",
        ]

    def test_never_writes_over_a_column(self) -> None:
        rows = appended(
            "conductivity-at-reference", {"method": "natural-water"}, "conductivity_us_cm,temperature_c\n500,25\n"
        )
        assert rows[0]["conductivity_us_cm"] == "500"
        assert float(rows[0]["conductivity_us_cm_corrected"]) == pytest.approx(500)

    def test_all_of_a_probe_at_once(self) -> None:
        text = "temperature_c,conductivity_us_cm,oxygen_percent,pressure_hpa\n20,5000,80,1000\n"
        row = appended("corrected-readings", {}, text)[0]
        assert float(row["salinity"]) == pytest.approx(2.998, abs=0.001)
        assert float(row["oxygen_mg_l"]) == pytest.approx(7.05, abs=0.01)

    @pytest.mark.parametrize(
        ("given_", "text", "words"),
        [
            ({"temperature_c": "@Nowhere"}, "a\n1\n", "no column 'Nowhere'"),
            ({}, "a\n1\n", "temperature_c is missing"),
            ({}, "", "file is empty"),
            ({"temperature_c": "@a[hPa]"}, "a,oxygen_mg_l\n1,2\n", "can't be in 'hPa'"),
        ],
    )
    def test_a_plan_that_cannot_be_is_refused_before_anything_is_written(
        self, given_: dict[str, str], text: str, words: str
    ) -> None:
        with pytest.raises(InvalidInputs, match=words):
            appended("oxygen-percent", given_, text)


class TestFinder:
    def test_salinity_from_conductivity_and_temperature(self) -> None:
        found = offers(["conductivity", "temperature"], "Practical salinity")
        assert found[0].calculation.name == "salinity"
        assert found[0].needs == ()

    def test_everything_can_be_found_by_something_in_hand(self) -> None:
        for chosen in calculations().values():
            assert needed(chosen), chosen.name
        for hand in in_hand():
            assert offers([hand]), hand


@pytest.mark.parametrize("name", [c.name for c in calculations().values() if c.curve])
def test_the_answer_lies_on_its_curve(name: str) -> None:
    from tests.calculated import good

    inputs = {k: float(v) if isinstance(v, int) else v for k, v in good(name).items()}
    picture = picture_of(calculate(name, inputs), inputs)
    assert picture is not None
    line = next(line for line in picture.lines if line.chosen)
    x, y = np.array(line.x), np.array(line.y)
    known = np.isfinite(y)
    near = np.interp(picture.point[0], x[known], y[known])
    assert near == pytest.approx(picture.point[1], abs=0.02 * max(np.ptp(y[known]), 1e-9))


def calc(*arguments: str, text: str = "") -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-X", "importtime", "-m", "brumel", "calc", *arguments],
        input=text,
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, "BRUMEL_DATA": "/nowhere"},
    )


class TestCommandLine:
    def test_prints_answer_working_and_source(self) -> None:
        said = calc("oxygen-percent", "oxygen_mg_l=6.1", "temperature_c=13.2", "pressure_hpa=742").stdout
        assert "Percent saturation: 79.8 %" in said
        assert "saturation at 13.2 °C, 742 hPa: 7.64 mg/L" in said
        assert "Benson & Krause" in said

    def test_prints_one_json_object(self) -> None:
        done = calc("oxygen-saturation", "temperature_c=20", "pressure_hpa=1013.25", "salinity=0", "--json")
        assert json.loads(done.stdout)["outputs"]["oxygen_mg_l"] == pytest.approx(9.092, abs=0.001)

    def test_refuses_with_the_range(self) -> None:
        done = calc("salinity", "conductivity_ms_cm=50", "temperature_c=45")
        assert done.returncode == 2
        assert "temperature_c must be from -2 to 35 °C; 45 lies outside." in done.stderr
        as_json = calc("salinity", "conductivity_ms_cm=50", "temperature_c=45", "--json")
        assert json.loads(as_json.stdout)["fields"]["temperature_c"]

    def test_lists_and_explains(self) -> None:
        assert len(calc("--list").stdout.splitlines()) == len(calculations())
        helped = calc("conductivity-at-reference", "--help").stdout
        assert "coefficient_percent_per_c" in helped
        assert "ISO 7888" in helped

    def test_batch_from_standard_input(self) -> None:
        line = '{"calc": "nernst-slope", "inputs": {"temperature_c": 25, "charge": -1}}\n'
        found = [json.loads(x) for x in calc("--batch", "-", text=line + "no\n").stdout.splitlines()]
        assert found[0]["outputs"]["slope_mv_per_decade"] == pytest.approx(-59.159, abs=0.001)
        assert "error" in found[1]

    def test_a_file_in_a_file_out(self, tmp_path: Path) -> None:
        source, target = tmp_path / "in.csv", tmp_path / "out.csv"
        source.write_text("temperature_c\n20\n")
        done = calc("oxygen-saturation", "--csv", str(source), "--out", str(target))
        assert done.returncode == 0
        assert "1 rows" in done.stderr
        assert float(next(csv.DictReader(target.open()))["oxygen_mg_l"]) == pytest.approx(9.092, abs=0.001)
        assert calc("oxygen-saturation", "--csv", str(source), "--out", str(source)).returncode == 2
        assert "can't be read" in calc("--batch", str(tmp_path / "none")).stderr

    def test_starts_with_few_imports(self) -> None:
        imported = calc("salinity", "conductivity_ms_cm=50", "temperature_c=20").stderr
        for heavy in ("scipy", "sqlalchemy", "psycopg", "flask", "pint"):
            assert f"| {heavy}\n" not in imported.replace("|   ", "| ").replace("  ", "")
            assert f" {heavy}\n" not in imported


def test_the_formula_page_in_the_docs_is_this_registrys(root: Path) -> None:
    page = (root / "docs" / "formulas.md").read_text(encoding="utf-8")
    assert page == formulas_markdown(calculations()), "run ./brumel calc --formulas > docs/formulas.md"
