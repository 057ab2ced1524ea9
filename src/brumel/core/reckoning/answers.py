"""Working a calculation of the registry: checks, defaults, ranges, uncertainty and words, done here once."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.errors import CoreError
from brumel.core.numbers.arrays import is_numeric
from brumel.core.reckoning.caveats import Warned, caveats_of
from brumel.core.reckoning.definition import (
    LEFT_OUT,
    Calculation,
    InvalidInputs,
    Number,
    Points,
    Values,
    find,
)
from brumel.core.reckoning.intake import checked, stood_in
from brumel.core.said import Value
from brumel.core.uncertainty import Budget, Contribution
from brumel.core.wording import lower_first
from brumel.core.words.catalogue import word


@dataclass(frozen=True)
class Answer:
    """What a calculation gives.

    ``outputs`` holds each output, and NAME_u, its standard uncertainty (k = 1), where an input carried one;
    ``budgets`` where that comes from (scalar answers only); ``working`` the lines in words; ``warned`` what
    stands beside the answer: implausible values, likely wrong units, defaults that matter.
    """

    calculation: Calculation
    outputs: Values
    budgets: dict[str, Budget]
    working: tuple[Value, ...]
    warned: tuple[Warned, ...] = ()

    @property
    def in_words(self) -> tuple[str, ...]:
        """The lines of its working in words."""
        return tuple(str(word(line)) for line in self.working)

    @property
    def warnings(self) -> list[str]:
        """The sentences beside the answer."""
        return [w.sentence for w in self.warned]

    def row_warnings(self, rows: int) -> list[list[str]]:
        """Return the sentences beside each row of an answer over arrays of so many."""
        said: list[list[str]] = [[] for _ in range(rows)]
        for warned in self.warned:
            for at in np.flatnonzero(np.broadcast_to(warned.where, rows)):
                said[at].append(warned.sentence)
        return said


_AT_ONCE = 2
"""From so many uncertain inputs on, one call with arrays is quicker than two calls each."""


def calculate(
    name: str, inputs: Mapping[str, Any], *, strict: bool = True, explain: bool = True,
    said: Mapping[str, float] | None = None,
) -> Answer:  # fmt: skip
    """Check the inputs and calculate.

    Parameters
    ----------
    name
        The calculation's name in the registry.
    inputs
        By name, in the units of the registry; numbers may be arrays of shapes that fit together. ``NAME_u`` is
        the standard uncertainty (k = 1) of the input NAME.
    strict
        Whether a value outside its range refuses the whole call; otherwise its element becomes NaN.
    explain
        Whether working and budget are wanted.
    said
        Inputs as the working says them, where they carry more digits than people read.

    Raises
    ------
    InvalidInputs
        With a sentence for every input that can't be taken.

    Examples
    --------
    >>> calculate("pressure-at-altitude", {"altitude_m": 630}).in_words[0]
    '1013.25 hPa × (1 − 0.0000225577 × 630)^5.25588 = 939.8 hPa'
    """
    chosen = find(name)
    inputs, instead = stood_in(chosen, inputs, strict)
    values, uncertain = checked(chosen, inputs, strict)
    values, good = (values, np.True_) if strict else _inside(chosen, values)
    try:
        raw = _undone(chosen, values)
        good = _both(good, _raw_inside(chosen, values, raw, strict))
        outputs = _outputs(chosen, raw)
        good = _both(good, _conditions(chosen, raw, outputs, strict))
    except InvalidInputs:
        raise
    except CoreError as error:
        raise InvalidInputs({getattr(error, "field", chosen.inputs[0].name): str(error)}) from error
    good = _both(good, _finite(chosen, values, outputs, strict))
    warned = (*instead, *caveats_of(chosen, inputs, raw, outputs))
    if not np.all(good):
        given = [v for v in (*values.values(), *raw.values()) if isinstance(v, np.ndarray)]
        bad = ~np.asarray(good)
        places = np.flatnonzero(bad)
        outputs = {k: _masked(v, bad, places, given) for k, v in outputs.items()}
    varied = list(_variations(chosen, values, uncertain))
    shares = _shares(chosen, varied) if varied else {}
    scalar = all(np.ndim(v) == 0 for v in (*values.values(), *uncertain.values()) if is_numeric(v))
    for output, found in shares.items():
        outputs[f"{output}_u"] = _tidy(np.sqrt(sum(np.square(s) for _, _, s in found)), good)
    budgets: dict[str, Budget] = {}
    lines: tuple[Value, ...] = ()
    if explain and scalar and np.all(good):
        budgets = {k: _budget(found) for k, found in shares.items()}
        lines = tuple(_working(chosen, values, raw, outputs, dict(said or {})))
    return Answer(chosen, {k: _plain(v) for k, v in outputs.items()}, budgets, lines, warned)


def _undone(chosen: Calculation, values: Values) -> Values:
    undo = chosen.undo
    if undo is None:
        return values
    raw = undo.raw(SimpleNamespace(**values))
    rest = {i.name: values[i.name] for i in chosen.inputs}
    return rest if raw is None else rest | {undo.name: raw}


def _raw_inside(chosen: Calculation, values: Values, raw: Values, strict: bool) -> Any:
    """Say where what is left of an input once the meter's part is taken back still lies in that input's range."""
    undo = chosen.undo
    if undo is None or raw.get(undo.name) is values.get(undo.name):
        return np.True_
    i = chosen.input(undo.name)
    assert isinstance(i, Number)
    holds = i.holds(np.asarray(raw[undo.name]))
    if strict and not np.all(holds):
        worst = float(np.ravel(raw[undo.name])[int(np.argmin(np.ravel(holds)))])
        raise InvalidInputs(
            {i.name: f"With the meter's part taken back, {i.name} is {worst:.5g}; it must be {i.range_words}."}
        )
    return holds


def _inside(chosen: Calculation, values: Values) -> tuple[Values, Any]:
    """Return values with those out of range replaced by some within, and where nothing had to be replaced."""
    good: Any = np.True_
    kept = dict(values)
    for i in chosen.all_inputs:
        value = values[i.name]
        if isinstance(i, Number) and value is not None:
            holds = i.holds(np.asarray(value))
            good = _both(good, holds)
            if not np.all(holds):
                kept[i.name] = np.where(holds, value, _some_value(i))
    return kept, good


def _both(good: Any, fine: Any) -> Any:
    """Say where both hold; numpy takes five times as long to put a single truth value beside a long array."""
    if good is np.True_:
        return fine
    return good if fine is np.True_ else good & fine


def _some_value(i: Number) -> float:
    if i.allowed:
        return i.allowed[0]
    low, high = max(i.low, -1e3), min(i.high, 1e3)
    return (low + high) / 2


def _conditions(chosen: Calculation, raw: Values, outputs: Values, strict: bool) -> Any:
    good: Any = np.True_
    for condition in chosen.conditions:
        with np.errstate(all="ignore"):
            holds = condition.holds(SimpleNamespace(**raw, out=SimpleNamespace(**outputs)))
        if strict and not np.all(holds):
            at = int(np.argmin(np.ravel(holds)))
            shown = {k: _element(v, at, np.size(holds)) for k, v in raw.items()}
            raise InvalidInputs({condition.name: condition.sentence.format(**shown)})
        good = _both(good, holds)
    return good


def _element(value: Any, at: int, size: int) -> Any:
    return np.ravel(value)[at] if is_numeric(value) and np.size(value) == size else value


def _outputs(chosen: Calculation, raw: Values) -> Values:
    with np.errstate(all="ignore"):
        found = chosen.compute(**raw)
    if len(chosen.outputs) == 1:
        found = (found,)
    return {o.name: v for o, v in zip(chosen.outputs, found, strict=True) if v is not LEFT_OUT}


def _finite(chosen: Calculation, values: Values, outputs: Values, strict: bool) -> Any:
    good: Any = np.True_
    for o in chosen.outputs:
        value = outputs.get(o.name)
        if value is None or not is_numeric(value):
            continue
        with np.errstate(all="ignore"):  # a sum is finite only where all of it is; it takes one look
            fine = np.True_ if np.isfinite(np.sum(value)) else np.isfinite(value)
        if strict and not np.all(fine):
            words = f"No {lower_first(o.label)} comes out of these values together: check each of them."
            raise InvalidInputs({chosen.inputs[0].name: words})
        if np.ndim(fine) <= max((np.ndim(v) for v in values.values() if is_numeric(v)), default=0):
            good = _both(good, fine)
    return good


def _masked(value: Any, bad: Any, places: Any, given: Sequence[Any]) -> Any:
    """NaN where something was refused; an array that came out is filled in place: a copy costs more than a formula."""
    if not is_numeric(value):
        return value
    fits = isinstance(value, np.ndarray) and value.dtype == float and value.shape == bad.shape
    if (
        not fits
        or not value.flags.writeable
        or not value.flags.c_contiguous
        or any(np.may_share_memory(value, v) for v in given)
    ):
        return np.where(bad, np.nan, value)
    value.reshape(-1)[places] = np.nan
    return value


def _tidy(value: Any, good: Any) -> Any:
    return value if np.all(good) else np.where(good, value, np.nan)


Share = tuple[str, str, Any]
"""Name of an uncertain input, its unit and u."""
Variation = tuple[str, str, Any, Sequence[tuple[Any, Values]]]
"""Name, unit and u of an uncertain input; two values around it, each with the whole of the inputs then."""


def _shares(chosen: Calculation, varied: Sequence[Variation]) -> dict[str, list[tuple[Share, Any, Any]]]:
    """For each output: (name, u and unit), sensitivity, share; sensitivities by central differences."""
    found: dict[str, list[tuple[Share, Any, Any]]] = {}
    worked = _at_once(chosen, varied) or [
        (_outputs(chosen, _undone(chosen, low)), _outputs(chosen, _undone(chosen, high)))
        for _, _, _, ((_, low), (_, high)) in varied
    ]
    for (name, unit, u, ((low_at, _), (high_at, _))), (below, above) in zip(varied, worked, strict=True):
        for o in chosen.outputs:
            if o.name in above and is_numeric(above[o.name]) and np.ndim(above[o.name]) <= np.ndim(u + high_at):
                slope = (above[o.name] - below[o.name]) / (high_at - low_at)
                found.setdefault(o.name, []).append(((name, unit, u), slope, u * slope))
    for output, extras in chosen.inherent.items():
        if output in worked[0][0]:
            found.setdefault(output, []).extend(((n, "", u), 1.0, u) for n, u in extras)
    return found


def _at_once(chosen: Calculation, varied: Sequence[Variation]) -> list[tuple[Values, Values]] | None:
    """The outputs below and above each input, of one call with arrays; None where the inputs are not single numbers."""
    if len(varied) < _AT_ONCE or any(getattr(i, "scalar", True) for i in chosen.all_inputs if isinstance(i, Number)):
        return None
    every = [values for *_, around in varied for _, values in around]
    if any(isinstance(v, list) or np.ndim(v) for v in every[0].values()):
        return None
    changed = {name for name, *_ in varied}
    stacked = {k: np.array([v[k] for v in every]) if k in changed else v for k, v in every[0].items()}
    outputs = _outputs(chosen, _undone(chosen, stacked))
    if any(is_numeric(v) and np.shape(v) != (len(every),) for v in outputs.values()):
        return None
    each = [{k: v[n] if is_numeric(v) else v for k, v in outputs.items()} for n in range(len(every))]
    return list(zip(each[::2], each[1::2], strict=True))


def _variations(chosen: Calculation, values: Values, uncertain: Values) -> Iterator[Variation]:
    for i in chosen.all_inputs:
        if isinstance(i, Number) and i.name in uncertain:
            steps = _steps(i, values[i.name])
            yield i.name, i.unit, uncertain[i.name], [(at, values | {i.name: at}) for at in steps]
        if isinstance(i, Points) and values[i.name]:
            yield from _point_variations(i, values)


def _point_variations(i: Points, values: Values) -> Iterator[Variation]:
    points = values[i.name]
    for n, point in enumerate(points):
        for f in i.fields:
            if f"{f.name}_u" not in point:
                continue
            changed = []
            for at in _steps(f, point[f.name]):
                varied = [p if m != n else {**p, f.name: float(at)} for m, p in enumerate(points)]
                changed.append((at, values | {i.name: varied}))
            yield f"{f.name} of point {n + 1}", f.unit, point[f"{f.name}_u"], changed


def _steps(i: Number, value: Any) -> tuple[Any, Any]:
    """Two values around one, within the input's range, near enough for a slope."""
    step = 1e-5 * np.maximum(np.abs(value), 1e-2)
    low = value - step if np.isinf(i.low) else np.maximum(value - step, i.low)
    high = value + step if np.isinf(i.high) else np.minimum(value + step, i.high)
    return low, high


def _budget(found: Sequence[tuple[Share, Any, Any]]) -> Budget:
    return Budget.of(Contribution(name, float(u), unit, float(slope), name) for (name, unit, u), slope, _ in found)


def _working(chosen: Calculation, values: Values, raw: Values, outputs: Values, said: Values) -> Iterator[Value]:
    undo = chosen.undo
    if undo is not None and undo.name in raw and raw[undo.name] is not values[undo.name]:
        shown, found = _plain(values[undo.name]), _plain(raw[undo.name])
        yield undo.words(_one(values), shown, found)
    yield from chosen.words(_one(raw | outputs | said))


def _one(values: Values) -> SimpleNamespace:
    """Single values as a line says them."""
    return SimpleNamespace(**{name: _plain(value) for name, value in values.items()})


def _plain(value: Any) -> Any:
    """Floats for scalars, arrays for arrays, the rest as it is."""
    if isinstance(value, np.ndarray | np.generic) and np.ndim(value) == 0:
        return float(value)
    return value
