"""Recorded traces judged from a file, as the command line does it."""

from __future__ import annotations

import io
import json
import math
import os
import subprocess
import sys
from pathlib import Path

import pytest

from brumel.services.errors import InvalidInput
from brumel.services.reckon.settle import rule_named, settle, settled_text

KEYS = [
    "state", "stable", "stable_at_s", "value", "temperature_c", "left_s", "left_low_s", "left_high_s", "words",
]  # fmt: skip


def trace(until_s: float, tau: float = 8.0, separator: str = ",", decimal: str = ".") -> str:
    lines = [separator.join(("time_s", "value", "temperature_c"))]
    for n in range(int(until_s * 2)):
        cells = (n / 2, 10 + 150 * math.exp(-n / 2 / tau), 21.5)
        lines.append(separator.join(f"{c:.4f}".replace(".", decimal) for c in cells))
    return "\n".join(lines) + "\n"


def judged(text: str, rule: str = "calibration-ph") -> dict[str, object]:
    return settle(io.StringIO(text), rule_named(rule)).plain


def test_a_trace_on_its_way_and_at_its_end() -> None:
    on_its_way, at_its_end = judged(trace(40)), judged(trace(120))
    assert list(on_its_way) == list(at_its_end) == KEYS
    assert on_its_way["state"] == "settling"
    assert on_its_way["stable_at_s"] is None
    assert at_its_end["stable_at_s"] == pytest.approx(39.5 + float(str(on_its_way["left_s"])), abs=6.0)
    assert at_its_end["left_s"] == at_its_end["left_low_s"] == at_its_end["left_high_s"] == 0.0
    assert at_its_end["value"] == pytest.approx(10.0, abs=0.05)
    assert at_its_end["temperature_c"] == 21.5


def test_files_as_people_have_them() -> None:
    assert judged(trace(60, separator=";", decimal=",")) == judged(trace(60))
    bare = "\n".join(line.rsplit(",", 1)[0] for line in trace(120).splitlines())
    assert judged(bare) | {"temperature_c": 21.5} == judged(trace(120))
    assert judged(bare)["temperature_c"] is None


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "The file is empty: its first line must be time_s,value[,temperature_c]."),
        ("t,v\n1,2\n", "The file has no column time_s and no column value; it has t, v."),
        ("time_s,value\n1,x\n", "Line 2, value: 'x' is not a number"),
        ('time_s,value\n1,"1,413"\n', "Line 2, value: '1,413' can be read in two ways"),
        ("time_s,value\n2,1\n1,1\n", "Line 3: time_s must rise; 1 comes after more."),
    ],
)
def test_what_cannot_be_read_is_said_with_its_line(text: str, why: str) -> None:
    with pytest.raises(InvalidInput) as refused:
        judged(text)
    assert why in str(refused.value)


def test_a_rule_that_there_is_not() -> None:
    with pytest.raises(InvalidInput, match="No rule is named 'x'; there are calibration-ph, reading-ph, "):
        rule_named("x")


def test_another_rule_judges_otherwise() -> None:
    wide = "time_s,value\n" + "".join(f"{t},{7.4 + 0.015 * (t % 2)}\n" for t in range(60))
    assert judged(wide, "reading-ph")["stable"] is True
    narrow = wide.replace("7.4", "177.4").replace("0.015", "0.5")
    assert judged(narrow)["state"] == "stable"
    assert judged("time_s,value\n")["state"] == "empty"


def test_the_command(tmp_path: Path) -> None:
    file = tmp_path / "trace.csv"
    file.write_text(trace(40), encoding="utf-8")

    def said(*words: str, given: str | None = None) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "brumel", "settle", *words], input=given, capture_output=True, text=True,
            check=False, env=dict(os.environ),
        )  # fmt: skip

    assert json.loads(said(str(file), "--json").stdout) == judged(trace(40))
    assert json.loads(said("-", "--json", given=trace(40)).stdout) == judged(trace(40))
    words = said(str(file)).stdout
    assert words == settled_text(settle(io.StringIO(trace(40)), rule_named("calibration-ph"))) + "\n"
    assert "never held in this trace" in words
    refused = said(str(file), "--rule", "x")
    assert refused.returncode == 2
    assert refused.stderr.startswith("brumel: No rule is named 'x'; there are calibration-ph, reading-ph, ")
    assert "can't be read" in said(str(tmp_path / "none")).stderr
