"""A probe that gives nothing, or the same in every standard: a finding, never a crash, an infinity or a line."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import product

import pytest
from tests.calibration_files import file
from tests.exact_points import Points, exact, with_signal
from tests.said import remedy, sentence
from tests.simulated_bench import KINDS

from brumel.core.calibrating.judging import judge
from brumel.core.calibrating.run_file import WrongFile, judge_file
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import PreviousRun
from brumel.core.shipped_rules import shipped

METHODS = [
    ("glass", "ph-neutral-acid-alkaline"), ("glass", "ph-one-point"), ("metal", "orp-check"), ("metal", "orp-offset"),
    ("conductivity", "conductivity-one"), ("conductivity", "conductivity-air-one"),
    ("conductivity", "conductivity-two"), ("membrane", "membrane-air"), ("membrane", "membrane-zero-air"),
    ("luminescence", "luminescence-zero-air"),
    ("ammonium-tip", "ammonium-two"), ("ammonium-tip", "ammonium-four"), ("thermometer", "thermometer-three"),
]  # fmt: skip


def shown(points: Points, signals: tuple[float, ...]) -> Points:
    return [with_signal(p, s) for p, s in zip(points, signals, strict=True)]


@pytest.mark.filterwarnings("error")
@pytest.mark.parametrize(("kind", "code"), METHODS)
def test_whatever_it_gives_every_number_is_one(kind: str, code: str) -> None:
    found = exact(KINDS[kind], code)
    assert found is not None
    frozen, usual, points = found
    for signals in product((0.0, -0.02, points[0].point.signal), repeat=len(points)):
        for before in (None, PreviousRun(usual, 2.0)):
            response, findings = judge(frozen, shown(points, signals), before, rules=shipped())
            assert not any("nan" in sentence(f) or "inf" in sentence(f) for f in findings)
            if response is None:
                assert [f.code for f in findings] == ["no-response"]
                continue
            numbers = [n for c in response.principle.coefficients for n in (response[c.key], response.u(c.key))]
            read = [float(response.value(p.point.signal, p.point.at)) for p in shown(points, signals)]
            assert all(map(math.isfinite, [*numbers, *read])), signals


@pytest.mark.parametrize(
    ("kind", "code", "signals", "words"),
    [
        ("glass", "ph-neutral-acid-alkaline", (0.0, 0.0, 0.0), "the probe gave 0.0 mV in neutral, 0.0 mV in acid"),
        ("conductivity", "conductivity-one", (0.0,), "the probe gave 0.0 µS in standard"),
        ("conductivity", "conductivity-air-one", (6.0, 6.0), "the probe gave 6.0 µS in air, 6.0 µS in standard"),
        ("conductivity", "conductivity-two", (0.0, 12_000.0), "0.0 µS in low, 12000.0 µS in high"),
        ("membrane", "membrane-zero-air", (40.0, 40.0), "the probe gave 40.0"),
        ("ammonium-tip", "ammonium-two", (150.0, 150.0), "150.0 mV in high, 150.0 mV in low"),
    ],
)  # fmt: skip
def test_it_is_said_what_it_gave(kind: str, code: str, signals: tuple[float, ...], words: str) -> None:
    found = exact(KINDS[kind], code)
    assert found is not None
    frozen, _, points = found
    response, (only,) = judge(frozen, shown(points, signals), None, rules=shipped())
    assert response is None
    assert (only.code, only.level, only.minutes) == ("no-response", "unfit", 5)
    assert words in sentence(only)
    assert "plugged in" in remedy(only)


def test_a_file_of_one_is_judged() -> None:
    found = judge_file(file(0.0), shipped())
    assert (found["level"], [f["code"] for f in found["findings"]]) == ("unfit", ["no-response"])
    assert (found["coefficients"], found["residuals"]) == ([], [])


def test_a_cell_constant_of_nothing_is_refused_in_a_file() -> None:
    last = {"age_days": 1.0, "coefficients": {"cell-constant": 0}}
    with pytest.raises(WrongFile, match=r"cell-constant must be a number other than 0"):
        judge_file(file(1330.0, previous=last), shipped())


def test_a_factor_of_nothing_reads_nothing() -> None:
    usual = Response.usual(exact(KINDS["conductivity"], "conductivity-one")[1].principle)  # type: ignore[index]
    assert not usual.tells_nothing
    assert replace(usual, values=(0.0, 0.0, 0.0)).tells_nothing
    assert replace(usual, values=(0.0, -1.0, 0.0)).tells_nothing
