"""The curve that an answer lies on: the output against one input, all others as they are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from brumel.core.reckoning.answers import Answer, calculate
from brumel.core.reckoning.definition import Calculation, Choice, InvalidInputs, Number

_PLACES = 121


@dataclass(frozen=True)
class Line:
    """One line of the picture: its name where there are several, its places and values; NaN where it has none."""

    name: str
    x: tuple[float, ...]
    y: tuple[float, ...]
    chosen: bool


@dataclass(frozen=True)
class CurvePicture:
    """A curve with the answer on it."""

    lines: tuple[Line, ...]
    point: tuple[float, float]
    x_label: str
    y_label: str


def picture_of(answer: Answer, inputs: Mapping[str, Any]) -> CurvePicture | None:
    """Return the curve that a scalar answer lies on; None where the calculation has none, or it can't be drawn."""
    chosen = answer.calculation
    curve = chosen.curve
    if curve is None:
        return None
    along = chosen.input(curve.x)
    here = inputs.get(curve.x)
    value = answer.outputs.get(curve.y)
    if not isinstance(along, Number) or not isinstance(here, int | float) or not isinstance(value, float):
        return None
    plain = {k: v for k, v in inputs.items() if not k.endswith("_u")}
    places = np.linspace(*_reach(chosen, float(here)), _PLACES)
    lines = []
    for option, name in _options(chosen, plain):
        given = plain | ({curve.by: option} if curve.by else {})
        try:
            given, name = _filled(chosen, given, name)
            found = calculate(chosen.name, given | {curve.x: places}, strict=False, explain=False)
        except InvalidInputs:
            continue
        y = np.broadcast_to(np.asarray(found.outputs[curve.y], dtype=float), places.shape)
        lines.append(Line(name, tuple(places), tuple(y), chosen=not curve.by or plain.get(curve.by) == option))
    if not lines or not any(np.isfinite(line.y).any() for line in lines):
        return None
    output = next(o for o in chosen.outputs if o.name == curve.y)
    return CurvePicture(
        tuple(lines), (float(here), value), _axis(along.label, along.unit), _axis(output.label, output.unit)
    )


def _filled(chosen: Calculation, given: dict[str, Any], name: str) -> tuple[dict[str, Any], str]:
    """Give an option that lacks an input the usual one, and say so in its name."""
    try:
        calculate(chosen.name, given, explain=False)
    except InvalidInputs as wrong:
        fill = chosen.curve.fill if chosen.curve else {}
        for key in wrong.fields.keys() & fill.keys():
            if given.get(key) is None:
                return given | {key: fill[key]}, f"{name} ({fill[key]:g} {_unit(chosen, key)})"
        raise
    return given, name


def _unit(chosen: Calculation, key: str) -> str:
    i = chosen.input(key)
    return i.unit if isinstance(i, Number) else ""


def _options(chosen: Calculation, inputs: Mapping[str, Any]) -> list[tuple[str, str]]:
    by = chosen.curve.by if chosen.curve else ""
    if not by:
        return [("", "")]
    choice = chosen.input(by)
    assert isinstance(choice, Choice)
    return list(choice.options.items())


def _reach(chosen: Calculation, here: float) -> tuple[float, float]:
    """From where to where the curve is drawn; the answer's place is always within."""
    curve = chosen.curve
    assert curve is not None
    along = chosen.input(curve.x)
    assert isinstance(along, Number)
    low = curve.low if curve.low is not None else along.low
    high = curve.high if curve.high is not None else along.high
    return min(low, here), max(high, here)


def _axis(label: str, unit: str) -> str:
    return f"{label}, {unit}" if unit else label
