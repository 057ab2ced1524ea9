"""A calibration as a file: what leaves the ledger is judged again to the same verdict; what is wrong is named."""

from __future__ import annotations

import copy
import json
import re
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from jsonschema import Draft202012Validator

from brumel.cli import main
from brumel.core.calibrating.run_file import WrongFile, judge_file
from brumel.core.place.conditions import Conditions
from brumel.core.shipped_rules import shipped
from brumel.core.standards.targets import Bottle, target
from brumel.services.application import Services
from brumel.services.errors import NotFound
from brumel.services.ledger.records import Filter
from brumel.store.database import Database
from tests.conftest import CLOCK

FORMATS = Path(__file__).parents[2] / "docs" / "formats.md"
SCHEMA = Path(__file__).parents[2] / "src/brumel/core/calibrating/calibration.schema.json"
CELL, MEMBRANE, ELECTRODE = (
    json.loads(text) for text in re.findall(r"```json\n(.*?)```", FORMATS.read_text("utf-8"), re.S)
)


@pytest.fixture(scope="module")
def validator() -> Draft202012Validator:
    schema = json.loads(SCHEMA.read_text(encoding="utf-8"))
    Draft202012Validator.check_schema(schema)
    return Draft202012Validator(schema)


def changed(given: dict[str, Any], path: str, value: Any) -> dict[str, Any]:
    """A copy with one field changed, or without it where the value is ``...``."""
    data = copy.deepcopy(given)
    place: Any = data
    *way, last = re.findall(r"[a-z_]+|\d+", path)
    for step in way:
        place = place[int(step) if step.isdigit() else step]
    if value is ...:
        del place[last]
    else:
        place[last] = value
    return data


def test_the_examples_of_the_docs_are_judged_and_fit_the_schema(validator: Draft202012Validator) -> None:
    for example in (CELL, ELECTRODE):
        validator.validate(example)
    cell = judge_file(CELL, shipped())
    by_key = {c["key"]: c for c in cell["coefficients"]}
    aim = target(Bottle("conductivity", "kcl", 1413.0), Conditions(21.3)).value
    assert by_key["cell-constant"]["value"] == pytest.approx(aim / 1270.9)
    assert by_key["cell-constant"]["u"] == pytest.approx(0.0105, abs=5e-4)
    assert (cell["level"], cell["residuals"][0]["off"]) == ("sound", pytest.approx(0.0, abs=1e-9))
    membrane = judge_file(MEMBRANE, shipped())
    assert (membrane["level"], membrane["coefficients"][1]["key"]) == ("sound", "gain")
    electrode = judge_file(ELECTRODE, shipped())
    assert {c["key"] for c in electrode["coefficients"]} == {"offset", "slope"}
    assert "family-not-verified" in {f["code"] for f in electrode["findings"]}


@pytest.fixture(scope="module")
def template(demonstrated: str) -> str:
    return demonstrated


@pytest.fixture(scope="module")
def demonstration(database: Database) -> Services:
    return Services.over(database, CLOCK)


def test_every_run_of_the_demonstration_is_judged_again_to_the_same(
    demonstration: Services, validator: Draft202012Validator
) -> None:
    records = {str(r["calibration_id"]): r for r in
               json.loads(demonstration.ledger.calibrations_json(Filter()))["calibrations"]}  # fmt: skip
    lines = demonstration.ledger.calibrations_jsonl(Filter()).splitlines()
    assert len(lines) == sum(r["signed_at"] is not None for r in records.values()) > 150
    kinds = set()
    for line in lines:
        data = json.loads(line)
        validator.validate(data)
        kinds.add((data["probe"]["kind"], data["kept_by"]))
        answer, record = judge_file(data, shipped()), records[data["id"]]
        assert record["status"] in (answer["level"], "withdrawn"), data["id"]
        assert [(f["level"], f["code"], f["sentence"]) for f in answer["findings"]] == [
            (f["level"], f["code"], f["sentence"]) for f in record["findings"]
        ], data["id"]
        stored = {c["key"]: c["value"] for c in record["coefficients"]}
        assert {c["key"]: c["value"] for c in answer["coefficients"]} == pytest.approx(stored, rel=1e-9)
    assert {("ph-combination", "brumel"), ("orp", "brumel"), ("conductivity-1", "brumel"),
            ("conductivity-10", "meter"), ("oxygen-optical", "brumel"),
            ("oxygen-polarographic", "brumel")} <= kinds  # fmt: skip


def test_one_run_is_saved_from_its_page(demonstration: Services) -> None:
    run = demonstration.ledger.calibrations(Filter()).rows[0].run
    assert json.loads(demonstration.ledger.calibration_file(run.id))["id"] == str(run.id)
    with pytest.raises(NotFound):
        demonstration.ledger.calibration_file(demonstration.states.sites()[0].id)


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [
        ("format", "other", "format must be one of brumel-calibration; 'other' is not."),
        ("version", 2, "version must be 1; 2 is not."),
        ("kept_by", "nobody", "kept_by must be one of brumel, meter; 'nobody' is not."),
        ("probe", ..., "probe is missing."),
        ("probe.kind", "litmus", "probe kind must be one of ph-combination"),
        ("probe.reference", "lead", "probe reference must be one of nothing, ag-agcl-3m"),
        ("method", "orp-check", "method must be one of conductivity-one"),
        ("method", {"steps": []}, "method principle is missing; method tolerances is missing; method weights"),
        ("points", [], "points must be a list of at least 1; [] is not."),
        ("points", [3], "points 1 must be an object; 3 is not."),
        ("points[0].step", "zero", "points 1 step must be one of standard; 'zero' is not."),
        ("points[0].signal", "1270", "points 1 signal must be a number from −100 to 5\u202f000\u202f000; '1270'"),
        ("points[0].signal", True, "points 1 signal must be a number from −100 to 5\u202f000\u202f000; true is not."),
        ("points[0].signal", float("nan"), "points 1 signal must be a number"),
        ("points[0].temperature_c", ..., "points 1 temperature_c is missing."),
        ("points[0].temperature_c", 300, "points 1 temperature_c must be a number from −5 to 105; 300 is not."),
        ("points[0].lot", ..., "points 1 lot is missing: give the point a lot or a target."),
        ("points[0].lot.nominal", None, "points 1 lot nominal must be a number"),
        ("points[0].lot.family", "gold", "points 1 lot can't be read: No family is named 'gold'; known are kcl, sea-"),
        ("points[0].target", {"value": "high"}, "points 1 target u is missing; points 1 target value must be a number"),
        ("points[0].target", {"value": 1413, "u": 14, "known": "yes"}, "points 1 target known must be true or false"),
        ("points[0].acceptance", "maybe", "points 1 acceptance must be one of settled, unsettled, by-eye"),
        ("points[0].deviations", "none", "points 1 deviations must be a list; 'none' is not."),
        ("waters", [9, 3], "waters must be two numbers, the lower first; [9, 3] is not."),
        ("previous", {"age_days": 1}, "previous coefficients is missing."),
        ("previous", {"age_days": 1, "coefficients": {}, "covariance": [[1]]},
         "previous covariance must be 3 rows of 3 numbers"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_named(path: str, value: Any, words: str) -> None:
    with pytest.raises(WrongFile) as refused:
        judge_file(changed(CELL, path, value), shipped())
    assert words in str(refused.value)


def test_each_fault_is_named_in_one_sentence() -> None:
    point = CELL["points"][0] | {"signal": "high", "temperature_c": 300, "use": "both"}
    wrong = CELL | {"version": 7, "points": [point, point | {"signal": 1270.0}], "waters": [9, 3], "note": "mine"}
    with pytest.raises(WrongFile) as refused:
        judge_file(wrong, shipped())
    faults = re.sub(r"; [^;]* is not", "", str(refused.value)).split("; ")
    assert [re.split(" must | is ", fault)[0] for fault in faults] == [
        "version", "points 1 signal", "points 1 temperature_c", "points 1 use", "points 2 temperature_c",
        "points 2 use", "waters",
    ]  # fmt: skip
    with pytest.raises(WrongFile, match=r"; and 14 more\.$"):
        judge_file(CELL | {"points": [point] * 8}, shipped())


def test_no_object_no_point_to_adjust_to() -> None:
    with pytest.raises(WrongFile, match="The file must be an object; 3 is not"):
        judge_file(3, shipped())
    air = changed(CELL, "method", "conductivity-two")
    with pytest.raises(WrongFile, match=r"points 1 step must be one of low, high"):
        judge_file(air, shipped())
    checked = changed(CELL, "points[0].use", "check")
    with pytest.raises(WrongFile, match="at least one that the response is adjusted to"):
        judge_file(checked, shipped())


class TestTheCommand:
    def run(self, text: str, file: str = "-") -> Any:
        return CliRunner().invoke(main, ["judge", file], input=text)

    def test_one_object_and_many_lines(self, tmp_path: Path) -> None:
        path = tmp_path / "run.json"
        path.write_text(json.dumps(CELL, indent=2), encoding="utf-8")
        one = self.run("", str(path))
        assert (one.exit_code, json.loads(one.output)["level"]) == (0, "sound")
        many = self.run(f"{json.dumps(CELL)}\n\n{json.dumps(ELECTRODE)}\n")
        assert [json.loads(line)["format"] for line in many.output.splitlines()] == ["brumel-calibration-verdict"] * 2

    @pytest.mark.parametrize(
        ("text", "words"),
        [
            ("nonsense", "The file is not JSON"),
            ("[" * 5_000, "The file is nested deeper than 40 levels."),
            (f'{{"version": {"9" * 5_000}}}', "999999999999… has 5000 digits: too large to be meant."),
            (json.dumps(changed(CELL, "version", 7)), "version must be 1; 7 is not."),
        ],
    )
    def test_a_bad_file_ends_with_two_and_one_sentence(self, text: str, words: str) -> None:
        found = self.run(text)
        assert found.exit_code == 2
        assert words in found.stderr
        assert "Traceback" not in found.output + found.stderr

    def test_a_wrong_line_stops_no_other(self) -> None:
        good = json.dumps(CELL)
        wrong = ["nonsense", json.dumps(changed(CELL, "version", 7)), '{"note": "\\ud800"}', "[" * 900 + "]" * 900]
        found = self.run("\n".join([good, *wrong, good]))
        said = [json.loads(line) for line in found.stdout.splitlines()]
        assert [answer.get("level") for answer in said] == ["sound", *[None] * len(wrong), "sound"]
        assert [answer["line"] for answer in said[1:-1]] == [2, 3, 4, 5]
        assert said[2]["error"] == "version must be 1; 7 is not."
        assert (found.exit_code, "4 of 6 lines could not be judged" in found.stderr) == (2, True)
