"""Other rules, every number of them: from the lot to a reading, no shipped one is used, and none is looked up."""

from __future__ import annotations

import ast
import uuid
from collections.abc import Iterator, Mapping
from dataclasses import fields, is_dataclass, replace
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
import pytest

from brumel.core import tables
from brumel.core.quantities.ph import millivolts_from_ph
from brumel.core.rules import Rules
from brumel.core.shipped_rules import shipped
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.shown import RunView
from brumel.services.calibrating.taking import TakePoint
from brumel.services.house import rules as in_services
from brumel.services.probes.care_log import NewCare
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Sheet
from tests.conftest import NOW
from tests.said import sentence
from tests.services.world import THREE, World

T = TypeVar("T")
MORE = 1.01
"""So much more is each number: a role must still admit its buffer."""


def changed(rule: T) -> T:
    """The same rule with every number in it another; what is whole stays so."""
    match rule:
        case bool() | str() | None:
            return rule
        case int():
            return rule + 1  # type: ignore[return-value]
        case float():
            return rule * MORE  # type: ignore[return-value]
        case Mapping():
            return {key: changed(value) for key, value in rule.items()}  # type: ignore[return-value]
        case tuple() | list() | frozenset():
            return type(rule)(changed(value) for value in rule)  # type: ignore[return-value]
    if is_dataclass(rule) and not isinstance(rule, type):
        return replace(rule, **{f.name: changed(getattr(rule, f.name)) for f in fields(rule) if f.init})
    return rule


def numbers(rule: Any) -> Iterator[float]:
    """Every number in a rule, in order."""
    match rule:
        case bool() | str() | None:
            return
        case int() | float():
            yield float(rule)
        case Mapping():
            for value in rule.values():
                yield from numbers(value)
        case tuple() | list():
            for value in rule:
                yield from numbers(value)
        case _ if is_dataclass(rule):
            for field in fields(rule):
                yield from numbers(getattr(rule, field.name))


def other_rules() -> Rules:
    return Rules(**{f.name: changed(getattr(shipped(), f.name)) for f in fields(Rules)})


def test_every_number_is_another() -> None:
    other = other_rules()
    for field in fields(Rules):
        pairs = list(zip(numbers(getattr(shipped(), field.name)), numbers(getattr(other, field.name)), strict=True))
        same = [was for was, now in pairs if was == now and was != 0.0 and np.isfinite(was)]
        assert same == [], field.name
    assert sum(1 for f in fields(Rules) for _ in numbers(getattr(other, f.name))) > 1000


def a_day(world: World) -> tuple[RunView, Any, Any]:
    """A probe put into service, calibrated from a device's samples and by typing, read; a visit beyond its limits."""
    probe = world.probe(device=True)
    services = world.at()
    services.kit.log(probe.id, NewCare(uuid.uuid4(), "cleaned", NOW), world.person)
    lots = {"neutral": world.lots["7.00"].id, "acid": world.lots["4.01"].id, "alkaline": world.lots["10.01"].id}
    begin = Begin(uuid.uuid4(), probe.id, THREE, "deionised-and-buffer", lots, [world.site.id], despite="only a test")
    services.calibrations.begin(begin, world.person)
    for step, ph in (("neutral", 7.00), ("acid", 4.01), ("alkaline", 10.01)):
        services.calibrations.begin_step(begin.run_id, uuid.uuid4(), step, world.person)
        end = float(millivolts_from_ph(ph, 25.0, 96.0, 2.0))
        world.samples(probe, (end + 0.01 * np.sin(np.arange(80.0))).tolist(), 25.0)
        services.calibrations.take(begin.run_id, TakePoint(uuid.uuid4(), step), world.person)
    signed = world.sign(begin.run_id)
    reading = world.read(probe)
    visit = uuid.uuid4()
    services.visits.open(NewVisit(visit, world.site.id), world.person)
    services.visits.save(visit, Sheet([TypedIn(uuid.uuid4(), "ammonium-n", "3.0")]), world.person)
    return signed, reading, services.visits.view(visit)


def test_from_begin_to_reading_no_shipped_number_is_used(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    a_day(world)  # what things are has been read by now
    other = other_rules()

    def nowhere(*_: object) -> None:
        raise AssertionError("a rule was looked up, not given")

    monkeypatch.setattr(tables, "files", nowhere)
    monkeypatch.setattr(in_services, "shipped", nowhere)
    with in_services.judged_by(other):
        signed, reading, _ = a_day(world)
    method, run = signed.run.method, signed.run
    theirs = {f"{n:g}" for n in numbers(other.tolerances["glass"])}
    assert {f"{n:g}" for n in numbers(method["tolerances"])} - theirs == {
        f"{n:g}" for n in other.kinds["ph-combination"].holds_days or ()
    } - theirs
    assert method["rinse"]["standard_share"] == 0.5 * MORE
    assert [s["minutes"] for s in method["steps"]] == [s.minutes for s in other.procedures[THREE].steps]
    slope = next(f for f in signed.findings if f.code == "slope")
    assert f"{95.0 * MORE:g}" in sentence(slope)
    point = run.points[-1]
    assert point.settling_s is not None
    assert reading.reading.level in ("sound", "doubtful")


def test_no_function_of_the_core_looks_a_rule_up() -> None:
    core = Path(tables.__file__).parent
    for path in core.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.ImportFrom) and node.module == "brumel.core.shipped_rules":
                raise AssertionError(f"{path.name} imports the rules that ship")


def test_rules_are_known_by_themselves() -> None:
    assert shipped() is shipped()
    assert other_rules() != other_rules()
    assert len({shipped(), shipped(), other_rules()}) == 2
    assert in_services.in_force() is shipped()
