"""What a calculation is given: texts and numbers taken, ranges held, a sentence for all that can't be taken."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from brumel.core.numbers.arrays import is_numeric
from brumel.core.reckoning.caveats import Warned
from brumel.core.reckoning.definition import (
    REQUIRED,
    Calculation,
    Choice,
    Input,
    InvalidInputs,
    Moment,
    Number,
    Points,
    Values,
    moment_of,
)
from brumel.core.wording import lower_first, plain_number

_WIDEST_U = 1e12
"""Most that a standard uncertainty can be where its input has no end; else it is the width of the input's range."""


def stood_in(chosen: Calculation, inputs: Mapping[str, Any], strict: bool) -> tuple[Mapping[str, Any], list[Warned]]:
    """Return the inputs, with those that another was given for worked out from it."""
    found, said = dict(inputs), []
    for i in chosen.all_inputs:
        instead = i.instead if isinstance(i, Number) else None
        if instead is None or found.get(instead.number.name) is None:
            continue
        name = instead.number.name
        if found.get(i.name) is not None:
            raise InvalidInputs({name: f"Give {i.name} or {name}, not both."})
        try:
            given = _taken(instead.number, found.pop(name), strict)
        except ValueError as error:
            raise InvalidInputs({name: str(error)}) from None
        found[i.name] = value = instead.value(given)
        one = np.ndim(value) == 0
        words = instead.sentence.format(given=float(given), value=float(value)) if one else instead.of_rows
        said.append(Warned(np.isfinite(value), words, name))
    return found, said


def checked(chosen: Calculation, inputs: Mapping[str, Any], strict: bool) -> tuple[Values, Values]:
    """Return values of all inputs by name, defaults included, and the standard uncertainties given with them.

    Raises
    ------
    InvalidInputs
        With a sentence for each that can't be taken; out of range only where ``strict``.
    """
    known = {i.name: i for i in chosen.all_inputs}
    wrong: dict[str, str] = {}
    values: Values = {}
    uncertain: Values = {}
    for name, given in inputs.items():
        if name in known:
            continue
        about = known.get(name.removesuffix("_u"))
        if name.endswith("_u") and isinstance(about, Number) and not about.allowed:
            u = _numbers(given)
            wide = about.high - about.low
            widest = wide if np.isfinite(wide) else _WIDEST_U
            if u is None or not np.all((u >= 0) & (u <= widest)):
                unit = about.unit or "the input’s unit"
                wrong[name] = f"{name} is a standard uncertainty in {unit}: a number from 0 to {widest:g}."
            else:
                uncertain[about.name] = u
        else:
            takes = ", ".join(i.name for i in chosen.accepted)
            wrong[name] = f"{chosen.name} has no input {name!r}; it takes {takes}."
    for i in chosen.all_inputs:
        given = inputs.get(i.name)
        if given is None:
            if i.name in inputs and i.default is REQUIRED:
                wrong[i.name] = f"{i.name} is empty: it must be {i.range_words}."
            elif i.default is REQUIRED:
                wrong[i.name] = f"{i.name} is missing: {lower_first(i.label)}, {i.range_words}."
            else:
                values[i.name] = i.default
            continue
        try:
            values[i.name] = _taken(i, given, strict)
        except ValueError as error:
            wrong[i.name] = str(error)
    if not wrong:
        wrong = _misfits({**values, **{f"{k}_u": v for k, v in uncertain.items()}})
    if wrong:
        raise InvalidInputs(wrong)
    return values, {k: v for k, v in uncertain.items() if values[k] is not None}


def _misfits(values: Values) -> dict[str, str]:
    shapes = {k: np.shape(v) for k, v in values.items() if is_numeric(v) and np.ndim(v)}
    try:
        np.broadcast_shapes(*shapes.values())
    except ValueError:
        lengths = ", ".join(f"{k} {'×'.join(map(str, shape))}" for k, shape in shapes.items())
        return {next(iter(shapes)): f"Lists must be of one length; given were {lengths}."}
    return {}


def _taken(i: Input, given: Any, strict: bool) -> Any:
    if isinstance(i, Choice):
        if not isinstance(given, str) or given not in i.options:
            raise ValueError(f"{i.name} must be {i.range_words}; {_shown(given)} was given.")
        return given
    if isinstance(i, Moment):
        try:
            moment_of(given)
        except ValueError:
            raise ValueError(f"{i.name} must be {i.range_words}; {_shown(given)} was given.") from None
        return str(given).strip()
    if isinstance(i, Points):
        return _taken_points(i, given)
    found = _numbers(given)
    if found is None:
        raise ValueError(f"{i.name} must be {i.range_words}; {_shown(given)} is not a number.")
    if i.scalar and np.ndim(found):
        raise ValueError(f"{i.name} must be one number here, not a list: {i.range_words}.")
    if strict and not np.all(i.holds(found)):
        first = found[~i.holds(found)].flat[0] if np.ndim(found) else found
        raise ValueError(f"{i.name} must be {i.range_words}; {plain_number(float(first))} lies outside.")
    return found


def _taken_points(i: Points, given: Any) -> list[Values]:
    if not isinstance(given, Sequence) or isinstance(given, str) or not given:
        raise ValueError(f"{i.name} must be {i.range_words}; {_shown(given)} was given.")
    names = {f.name for f in i.fields}
    found = []
    for number, point in enumerate(given, 1):
        if not isinstance(point, Mapping):
            raise ValueError(f"{i.name} must be {i.range_words}; point {number} is {_shown(point)}.")
        if unknown := [k for k in point if k.removesuffix("_u") not in names]:
            raise ValueError(f"Point {number} of {i.name} has no {unknown[0]}; it takes {', '.join(sorted(names))}.")
        row: Values = {}
        for f in i.fields:
            value = point.get(f.name, f.default)
            if value is REQUIRED:
                raise ValueError(f"Point {number} of {i.name} lacks {f.name}: {f.range_words}.")
            number_of = _numbers(value)
            if number_of is None or np.ndim(number_of) or not f.holds(number_of):
                raise ValueError(f"{f.name} of point {number} must be {f.range_words}; {_shown(value)} was given.")
            row[f.name] = float(number_of)
            if f"{f.name}_u" in point:
                u = _numbers(point[f"{f.name}_u"])
                if u is None or np.ndim(u) or u < 0:
                    raise ValueError(f"{f.name}_u of point {number} must be a number from 0.")
                row[f"{f.name}_u"] = float(u)
        found.append(row)
    return found


def _numbers(given: Any) -> Any:
    """Return a float or an array of floats; None where it is neither. Text and truth values are no numbers."""
    if isinstance(given, bool | str):
        return None
    if isinstance(given, float | int):
        try:
            return np.float64(given)
        except OverflowError:
            return np.float64(np.inf)
    if isinstance(given, list):
        if any(isinstance(g, bool) for g in given):
            return None
        given = [np.nan if g is None else g for g in given]
    try:
        found = np.asarray(given)
    except (TypeError, ValueError):
        return None
    if found.dtype.kind not in "fiu":
        return None
    return found.astype(float, copy=False)


def _shown(given: Any) -> str:
    text = repr(given)
    return text if len(text) <= 40 else f"{text[:37]}…"
