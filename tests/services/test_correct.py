"""A logger's record without dirt and drift, as the command line does it."""

from __future__ import annotations

import io
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from brumel.services.errors import InvalidInput
from brumel.services.reckon.correct import CorrectedSeries, correct, read_checks, series_text

CHECKS: dict[str, Any] = {
    "quantity": "ph", "unit": "", "start": "2026-05-01T08:00:00Z", "end": "2026-05-11T08:00:00Z",
    "fouling": {"sensor_before": 8.2, "sensor_after": 8.0}, "drift": [{"standard": 7.0, "reading": 7.1}],
}  # fmt: skip
SERIES = "time,value\n2026-05-01T08:00:00Z,8.10\n2026-05-06T10:00:00+02:00,8.20\n2026-05-11T08:00:00Z,8.20\n"


def found(series: str = SERIES, **other: Any) -> CorrectedSeries:
    return correct(io.StringIO(series), read_checks(json.dumps(CHECKS | other)))


def test_in_proportion_to_time_wherever_its_clock_stands() -> None:
    """Half of 0.2 and of 0.1 after half the time: 8.20 − 0.10 − 0.05."""
    assert series_text(found()).splitlines() == [
        "time,raw,corrected", "2026-05-01T08:00:00Z,8.10,8.1", "2026-05-06T10:00:00+02:00,8.20,8.05",
        "2026-05-11T08:00:00Z,8.20,7.9",
    ]  # fmt: skip
    assert found().plain == {
        "quantity": "ph", "unit": "", "at": 8.2, "errors_in": "", "dirt": 0.2, "drift": 0.1, "total": 0.3,
        "corrected": True, "grade": "good", "publish": True, "samples": 3, "outside_span": 0, "beyond_standards": 3,
    }  # fmt: skip


def test_what_moved_little_is_left_as_it_is() -> None:
    little = found(fouling={"sensor_before": 8.1, "sensor_after": 8.0}, drift=[])
    assert [row[2] for row in little.rows()] == ["8.1", "8.2", "8.2"]
    assert (little.plain["corrected"], little.plain["grade"]) == (False, "excellent")


def test_gaps_and_samples_outside_stand_empty() -> None:
    more = "2026-05-03T08:00:00Z,\n2026-04-30T08:00:00Z,8.1\n2026-05-12T08:00:00Z,8.1\n"
    series = found(SERIES + more)
    assert [row[2] for row in series.rows()][3:] == ["", "", ""]
    assert (series.plain["samples"], series.plain["outside_span"]) == (5, 2)
    assert "2 samples lie outside the span." in series.sentence


def test_in_the_unit_of_the_file_and_with_its_decimal_comma() -> None:
    both = {
        "quantity": "specific-conductance", "fouling": {"sensor_before": 0.455, "sensor_after": 0.477},
        "drift": [{"standard": 1.413, "reading": 1.401}], "unit": "mS/cm",
    }  # fmt: skip
    series = found("time;value\n2026-05-11T08:00:00Z;0,455\n", **both)
    assert [*series.rows()] == [("2026-05-11T08:00:00Z", "0,455", "0.481086")]
    assert series.plain["errors_in"] == "%"


@pytest.mark.parametrize(
    ("other", "why"),
    [
        ({"quantity": "orp"}, "quantity must be one of temperature, specific-conductance, oxygen, ph; 'orp' is not"),
        ({"unit": "mg/L"}, "unit must be one of pH"),
        ({"unit": 7}, "unit must be text; 7 is not"),
        ({"start": "2026-05-01"}, "start must be a time with its offset from UTC"),
        ({"start": "soon"}, "start must be a time with its offset from UTC; 'soon' is not"),
        ({"end": "2026-05-01T08:00:00Z"}, "end must come after start"),
        ({"fouling": {"sensor_before": 8.0}}, "fouling sensor_after is missing"),
        ({"fouling": CHECKS["fouling"] | {"field_after": 8.0}}, "fouling needs both field_before and field_after"),
        ({"drift": [{"standard": 7.0, "reading": "7"}]}, "drift 1 reading must be a number; '7' is not"),
        ({"drift": [{"standard": s, "reading": 7.0} for s in (4.0, 7.0)]}, "drift: the same value was read in two"),
        ({"mood": 1}, "'mood' is not known"),
    ],
)
def test_wrong_checks_name_field_rule_and_value(other: dict[str, Any], why: str) -> None:
    with pytest.raises(InvalidInput, match="The checks: ") as refused:
        found(**other)
    assert why in str(refused.value)


@pytest.mark.parametrize(
    ("series", "why"),
    [
        ("", "its first line must be time,value"),
        ("t,v\n1,2\n", "The file has no column time and no column value; it has t, v."),
        ("time,value\n2026-05-02 08:00,8\n", "Line 2, time: must be a time with its offset"),
        ("time,value\n2026-05-02T08:00Z,high\n", "Line 2, value: 'high' is not a number"),
        ("time,value\n2026-06-02T08:00Z,8\n", "No sample lies between"),
        ("time,value\n", "No sample lies between"),
    ],
)
def test_wrong_series_name_the_line(series: str, why: str) -> None:
    with pytest.raises(InvalidInput) as refused:
        found(series)
    assert why in str(refused.value)


def test_no_json_is_told() -> None:
    with pytest.raises(InvalidInput, match="The file is not JSON"):
        read_checks("{")


def test_the_command_writes_beside_the_original_and_never_over_it(tmp_path: Path) -> None:
    series, checks, out = (tmp_path / name for name in ("a.csv", "c.json", "b.csv"))
    series.write_text(SERIES)
    checks.write_text(json.dumps(CHECKS))

    def said(*words: object) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "brumel", "correct", str(series), "--checks", str(checks), *map(str, words)]
        return subprocess.run(command, env=os.environ, capture_output=True, text=True, check=False)

    done = said("--out", out, "--json")
    assert json.loads(done.stdout)["grade"] == "good"
    assert out.read_text() == series_text(found())
    assert "corrected in proportion to time. The record is good." in done.stderr
    refused = said("--out", series)
    assert (refused.returncode, refused.stdout) == (2, "")
    assert "never overwritten" in refused.stderr
    checks.write_text("[]")
    assert said().stderr == "brumel: The checks: must be an object; [] is not.\n"
