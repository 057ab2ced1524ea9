"""Whatever a file of a calibration holds: a verdict in numbers that JSON has, or one sentence."""

from __future__ import annotations

import copy
import json
import random
from collections.abc import Callable, Iterator
from importlib.resources import files
from typing import Any

import pytest
from jsonschema import Draft202012Validator
from tests.calibration_files import file as of_a_cell
from tests.calibration_files import run as of_an_ion
from tests.simulated_bench import KINDS, frozen_for

from brumel.core.calibrating.run_file import WrongFile, judge_file
from brumel.core.shipped_rules import shipped

SCHEMA = Draft202012Validator(json.loads(
    files("brumel.core.calibrating").joinpath("calibration.schema.json").read_text("utf-8")))  # fmt: skip
Path = tuple[str | int, ...]
ODD: list[Any] = [
    None, "", "x", -1, 0, True, [], {}, [[]], [None], {"a": 1}, 1e308, -1e308, 1e-308, -0.0, float("nan"), float("inf"),
    10**400, "NaN", "ph-buffer",
]  # fmt: skip
WHOLE = json.loads(json.dumps(frozen_for(KINDS["conductivity"], "conductivity-one")))
FILES = [
    of_an_ion("four"), of_a_cell(1330.0, previous={"age_days": 1.0, "coefficients": {"cell-constant": 1.02}}),
    of_a_cell(1330.0, method=WHOLE),
]  # fmt: skip


def places(within: Any, path: Path = ()) -> Iterator[Path]:
    inner = within.items() if isinstance(within, dict) else enumerate(within) if isinstance(within, list) else ()
    for key, value in inner:
        yield (*path, key)
        yield from places(value, (*path, key))


def spoilt(file: dict[str, Any], path: Path, value: Any) -> dict[str, Any]:
    made = copy.deepcopy(file)
    *way, last = path
    at: Any = made
    for key in way:
        at = at[key]
    at[last] = value
    return made


@pytest.mark.filterwarnings("ignore::RuntimeWarning")
@pytest.mark.parametrize("number", range(len(FILES)))
def test_one_odd_value_anywhere(number: int) -> None:
    drawn, judged, refused = random.Random(number), 0, 0
    for path in places(FILES[number]):
        for value in drawn.sample(ODD, 7):
            file = spoilt(FILES[number], path, value)
            try:
                json.dumps(judge_file(file, shipped()), allow_nan=False)
                judged += 1
                assert SCHEMA.is_valid(file), (path, value)
            except WrongFile:
                refused += 1
    assert judged >= 5
    assert refused > 50


@pytest.mark.parametrize(
    "change",
    [
        lambda m: m.update(steps=["x"]), lambda m: m.update(tolerances=[]),
        lambda m: m["tolerances"].update(coefficients=None), lambda m: m.update(usual={"cell-constant": 0}),
    ],
)  # fmt: skip
def test_a_method_that_is_none_is_refused(change: Callable[[dict[str, Any]], None]) -> None:
    method = copy.deepcopy(WHOLE)
    change(method)
    with pytest.raises(WrongFile, match=r"method( or lot)? can't be read: ."):
        judge_file(of_a_cell(1330.0, method=method), shipped())
