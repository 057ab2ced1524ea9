"""What the core refuses, each sentence once: what was found, and what to do."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from brumel.core.calibrating.run_file import WrongFile, judge_file
from brumel.core.errors import CoreError
from brumel.core.kit import kinds
from brumel.core.numbers.curves import MonotoneCurve
from brumel.core.numbers.series import Series
from brumel.core.quantities.ph import nernst_slope_mv, ph_from_millivolts
from brumel.core.quantities.quantity import quantity
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import calculation, find
from brumel.core.sensing.fit import fit
from brumel.core.sensing.principles import principle
from brumel.core.sensing.run import targets_range
from brumel.core.settling.judgement import judge_settling
from brumel.core.shipped_rules import shipped
from brumel.core.standards.buffers import buffer
from brumel.core.standards.targets import Bottle, check_bottle
from brumel.core.typed import number_typed

POINTS = [{"activity": 0.01, "mv": 0.0, "temperature_c": 20.0}] * 2
RULE = shipped().settled("ph", calibrating=True)
A_POINT = {"step": "neutral", "signal": 1.0, "temperature_c": 25.0, "target": {"value": 7.0, "u": 0.01}}
RUN = {"format": "brumel-calibration", "version": 1, "probe": {"kind": "ph-combination"}, "method": "ph-one-point",
       "points": [A_POINT]}  # fmt: skip

NAMED_TWICE: dict[str, Any] = dict.fromkeys(("title", "formula", "source"), "") | {
    "name": "nernst-slope", "inputs": (), "outputs": (), "words": list,
}  # fmt: skip

REFUSALS: dict[str, Callable[[], object]] = {
    "is missing: a linear compensation always names it, from 0 to 10 %/°C.": lambda: calculate(
        "conductivity-at-reference",
        {"conductivity_us_cm": 500.0, "temperature_c": 20.0, "method": "linear"},
    ),
    "Give molarity or standard_us_cm, one of the two: which bottle is it?": lambda: calculate(
        "kcl-conductivity", {"temperature_c": 20.0}
    ),
    "slope needs two activities, best a decade apart; take another point.": lambda: calculate(
        "ion-electrode-fit", {"points": POINTS, "charge": 1}
    ),
    "No procedure has the code 'tea'": lambda: shipped().procedure("tea"),
    "A run without points covers no range.": lambda: targets_range([]),
    "There is no quantity 'tea'": lambda: quantity("tea"),
    "No rule says when": lambda: shipped().settled("hardness", calibrating=True),
    "No care has the name 'sung to'": lambda: kinds._care("sung to", shipped().care),
    "a curve needs at least two places that rise": lambda: MonotoneCurve.through([1.0], [1.0]),
    "There is no sensing principle 'tea'": lambda: principle("tea"),
    "An ion has a charge other than 0; 0 was given.": lambda: nernst_slope_mv(25.0, 0),
    "lies outside: check the thermometer.": lambda: nernst_slope_mv(150.0),
    "A slope of 0 % measures nothing: calibrate the electrode.": lambda: ph_from_millivolts(0.0, 25.0, 0.0),
    "times, values and conditions of a series must have one length": lambda: judge_settling(
        Series.of(np.arange(9.0), np.arange(8.0), temperature_c=np.arange(9.0)), RULE
    ),
    "A fit needs at least one calibration point; none was given: take a point.": lambda: fit(principle("glass"), []),
    "No buffer is named 'tea'": lambda: buffer("tea"),
    "A lot's table needs at least two temperatures, rising from line to line.": lambda: check_bottle(
        Bottle("ph-buffer", "technical", 7.0, ((25.0, 7.0), (20.0, 7.02)))
    ),
    "A lot's table needs temperatures that rise from line to line.": lambda: check_bottle(
        Bottle("conductivity", "kcl", 1413.0, ((25.0, 1413.0), (20.0, 1278.0)))
    ),
    "This lot has no value on its label: it is no standard to calibrate in.": lambda: (
        Bottle("ph-buffer", "", None).label
    ),
    "'7,2,5' is not a number: write it like 7.25, −12.4 or 12880.": lambda: number_typed("7,2,5"),
    "'tea' is not a number: write it like 7.25 or −12.4.": lambda: number_typed("tea"),
    "two calculations are named nernst-slope": lambda: calculation(**NAMED_TWICE)(lambda v: v),
    "No calculation is named 'tea'": lambda: find("tea"),
    "temperature_c is empty: it must be": lambda: calculate("nernst-slope", {"temperature_c": None}),
    "must be one number here, not a list: ": lambda: calculate(
        "night-oxygen", {name: [1.0, 2.0] for name in [i.name for i in find("night-oxygen").inputs]}
    ),
    "mv_u of point 1 must be a number from 0.": lambda: calculate(
        "electrode-fit", {"points": [{"ph": 7.0, "mv": 0.0, "temperature_c": 25.0, "mv_u": -1.0}]}
    ),
    "With the meter's part taken back, conductivity_us_cm is": lambda: calculate(
        "conductivity-at-reference",
        {
            "conductivity_us_cm": 490_000.0,
            "temperature_c": 45.0,
            "method": "natural-water",
            "meter_method": "linear",
            "meter_coefficient_percent_per_c": 10.0,
        },
    ),
    "points must hold at least one that the response is adjusted to.": lambda: judge_file(
        RUN | {"method": "ph-neutral-side-check", "waters": [7.2, 8.2], "points": [A_POINT | {"step": "opposite"}]},
        shipped(),
    ),
    "conditions must be an object; ": lambda: judge_file(RUN | {"conditions": [1]}, shipped()),
    "conditions can't be read: 29.9 hPa is no air pressure": lambda: judge_file(
        RUN | {"conditions": {"pressure": {"typed": 29.9}}}, shipped()
    ),
    "method can't be read: ": lambda: judge_file(
        RUN | {"method": {"principle": "tea", "steps": [], "tolerances": {}, "weights": "equal"}}, shipped()
    ),
}


@pytest.mark.parametrize("words", REFUSALS)
def test_is_refused_in_words(words: str) -> None:
    with pytest.raises((CoreError, WrongFile, ValueError, KeyError)) as refused:
        REFUSALS[words]()
    assert words in str(refused.value)
