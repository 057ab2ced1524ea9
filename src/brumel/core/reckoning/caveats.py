"""What is said beside an answer that is given all the same: unusual inputs, implausible results, defaults."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.numbers.arrays import is_numeric
from brumel.core.reckoning.definition import Calculation, Number, Values, within
from brumel.core.wording import plain_number


@dataclass(frozen=True)
class Warned:
    """A caveat that applies: to which elements, what it asks or says, and of which input (empty: of the whole)."""

    where: Any
    sentence: str
    field: str = ""


def caveats_of(chosen: Calculation, inputs: Mapping[str, Any], raw: Values, outputs: Values) -> Iterator[Warned]:
    """Yield all that has to be said, in the order of inputs, outputs and the calculation's own caveats.

    Parameters
    ----------
    inputs
        As given: what is missing here has its default.
    raw, outputs
        The checked inputs with a meter's part taken back, and what came out of them.
    """
    for said in _possible(chosen, inputs, raw, outputs):
        if np.any(said.where):
            yield said


def _possible(chosen: Calculation, inputs: Mapping[str, Any], raw: Values, outputs: Values) -> Iterator[Warned]:
    numbers = [i for i in chosen.inputs if isinstance(i, Number)]
    for i in numbers:
        if i.usual is not None and is_numeric(raw.get(i.name)):
            yield Warned(_outside(raw[i.name], i.usual), i.question, i.name)
        if i.assumed and inputs.get(i.name) is None:
            words = f"{i.name} was not given: {plain_number(i.default)} {i.unit} was taken, {i.assumed}."
            yield Warned(np.True_, words, i.name)
    for o in chosen.outputs:
        if o.plausible is not None and is_numeric(outputs.get(o.name)):
            yield Warned(_outside(outputs[o.name], o.plausible), o.question)
    given = SimpleNamespace(**raw, out=SimpleNamespace(**outputs))
    for caveat in chosen.caveats:
        with np.errstate(invalid="ignore"):
            yield Warned(np.asarray(caveat.where(given)), caveat.sentence, caveat.field)


def _outside(values: Any, usual: tuple[float, float]) -> Any:
    low, high = usual
    if within(values, low, high):
        return np.False_
    with np.errstate(invalid="ignore"):
        return np.asarray((values < low) | (values > high))
