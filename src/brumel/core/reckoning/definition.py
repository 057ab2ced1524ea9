"""The registry of calculations: what each takes and gives, in which ranges, from which source.

One definition feeds every face: command line, files, JSON, screen and formula page. A definition is one
function over checked numbers (floats or arrays) with its inputs, outputs, source and words beside it; they
stand in :mod:`brumel.core.calculations` and are worked by :mod:`brumel.core.reckoning.answers`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.errors import CoreError
from brumel.core.said import Said, Value
from brumel.core.wording import plain_number

Values = dict[str, Any]
REQUIRED = object()
"""The default of an input that must be given."""
LEFT_OUT = object()
"""What a calculation gives for an output that was not asked for."""
_LONG = 10_000
_PIECE = 131_072
"""So many values are fetched from memory once for both ends."""
_ROUNDING = 1e-9
"""So much of a range's bound may a number lie beyond it: what floating point makes of a bound worked out elsewhere."""


class InvalidInputs(CoreError):
    """Inputs that can't be taken; ``fields`` holds a sentence for each."""

    def __init__(self, fields: dict[str, str]) -> None:
        super().__init__(" ".join(fields.values()))
        self.fields = fields


@dataclass(frozen=True)
class Number:
    """A number in a fixed unit, or an array of them.

    ``low`` and ``high`` are included, unless ``above`` says that ``low`` is not. ``allowed`` lists the only
    values where there are few. ``default`` is REQUIRED, None (may be left out) or a value. Outside ``usual`` the
    number is taken, and ``question`` asks whether it was meant. ``assumed`` says in words what a default that
    matters stands for: a screen asks for such an input, and every other answer names the default.
    """

    name: str
    label: str
    unit: str = ""
    low: float = -np.inf
    high: float = np.inf
    default: Any = REQUIRED
    above: bool = False
    allowed: tuple[float, ...] = ()
    scalar: bool = False
    """Whether one number only is taken, no array."""
    hint: str = ""
    usual: tuple[float, float] | None = None
    question: str = ""
    assumed: str = ""
    instead: Instead | None = None
    """Another input that this one can be worked out from."""

    @property
    def range_words(self) -> str:
        """The range as a sentence has it."""
        unit = f" {self.unit}" if self.unit else ""
        low, high = plain_number(self.low), plain_number(self.high)
        if self.allowed:
            return f"one of {', '.join(map(plain_number, self.allowed))}{unit}"
        if np.isinf(self.high):
            if np.isinf(self.low):
                return f"any number{unit and ' in'}{unit}"
            return f"{'above' if self.above else 'at least'} {low}{unit}"
        if self.above:
            return f"above {low} and up to {high}{unit}"
        return f"from {low} to {high}{unit}"

    def holds(self, values: Any) -> Any:
        """Say where the values lie within the range; a NaN never does."""
        if self.allowed:
            return np.isclose(np.asarray(values)[..., None], self.allowed, rtol=1e-9, atol=0).any(axis=-1)
        if within(values, self.low, self.high) and not self.above:
            return np.True_
        slack = _ROUNDING * max((abs(b) for b in (self.low, self.high) if np.isfinite(b)), default=0.0)
        holds = (values > self.low) if self.above else (values >= self.low - slack)
        holds &= values <= self.high + slack
        return holds if np.isfinite(self.high - self.low) else holds & np.isfinite(values)


def within(values: Any, low: float, high: float) -> bool:
    """Say whether all of a long array lies between two numbers, told by its ends: far sooner than value by value.

    False too where that can't be told so: for few values, and where one is no number.

    Examples
    --------
    >>> many = np.linspace(0.0, 1.0, 100_000)
    >>> within(many, 0.0, 1.0), within(many, 0.0, 0.9), within(many * np.nan, 0.0, 1.0), within(0.5, 0.0, 1.0)
    (True, False, False, False)
    """
    if np.size(values) < _LONG:
        return False
    flat = np.ravel(values)
    for begin in range(0, flat.size, _PIECE):
        piece = flat[begin : begin + _PIECE]
        least, most = piece.min(), piece.max()
        if not (low <= least and most <= high and np.isfinite(least) and np.isfinite(most)):
            return False
    return True


@dataclass(frozen=True)
class Instead:
    """An input that may be given in the place of another, how that follows from it, and what the answer says then.

    ``sentence`` has places for ``given`` and ``value``; ``of_rows`` is said of each row of an array.
    """

    number: Number
    value: Callable[[Any], Any]
    sentence: str
    of_rows: str


@dataclass(frozen=True)
class Choice:
    """One of a few named options."""

    name: str
    label: str
    options: Mapping[str, str]
    default: Any = REQUIRED
    hint: str = ""

    @property
    def range_words(self) -> str:
        """The options as a sentence has them."""
        return f"one of {', '.join(self.options)}"


@dataclass(frozen=True)
class Points:
    """A list of points, each with the same fields."""

    name: str
    label: str
    fields: tuple[Number, ...]
    default: Any = REQUIRED
    hint: str = ""

    @property
    def range_words(self) -> str:
        """The fields as a sentence has them."""
        return f"a list of points with {', '.join(f.name for f in self.fields)}"


@dataclass(frozen=True)
class Moment:
    """A time: ISO 8601 with its offset from UTC."""

    name: str
    label: str
    default: Any = REQUIRED
    hint: str = ""
    range_words: str = "a time such as 2026-05-06T19:30:00+02:00"


Input = Number | Choice | Points | Moment


@dataclass(frozen=True)
class Output:
    """A number that comes out, and to how many digits people read it."""

    name: str
    label: str
    unit: str = ""
    digits: int = 2
    plausible: tuple[float, float] | None = None
    """Outside, the answer is given and ``question`` asks what is wrong."""
    question: str = ""


@dataclass(frozen=True)
class Caveat:
    """What is said beside an answer that is given all the same: ``where`` gives a truth for every element.

    ``field`` names the input that it asks about; empty where it speaks of the whole.
    """

    where: Callable[[SimpleNamespace], Any]
    sentence: str
    field: str = ""


@dataclass(frozen=True)
class Condition:
    """What must hold beyond the ranges: ``holds`` gives a truth for every element, from the inputs and, as ``out``,
    what comes out.
    """

    name: str
    holds: Callable[[SimpleNamespace], Any]
    sentence: str
    """May name values in braces."""


@dataclass(frozen=True)
class Curve:
    """The picture beside the answer: an output against an input, once for each option of ``by``."""

    x: str
    y: str
    by: str = ""
    low: float | None = None
    """Where the picture begins and ends; the input's own range where None."""
    high: float | None = None
    fill: Mapping[str, float] = field(default_factory=dict)
    """For the other options: what stands in where an input is left out; the line's name says so."""


@dataclass(frozen=True)
class Undo:
    """What a meter did to an input already, taken back before anything else.

    ``extra`` are inputs that say what it did; ``raw`` gives the untouched value, or None where nothing was done.
    """

    name: str
    extra: tuple[Input, ...]
    raw: Callable[[SimpleNamespace], Any]
    words: Callable[[SimpleNamespace, float, float], Said]


@dataclass(frozen=True)
class Calculation:
    """One calculation of the trade."""

    name: str
    title: str
    formula: str
    inputs: tuple[Input, ...]
    outputs: tuple[Output, ...]
    source: str
    compute: Callable[..., Any]
    words: Callable[[SimpleNamespace], Iterable[Value]]
    note: str = ""
    conditions: tuple[Condition, ...] = ()
    inherent: Mapping[str, tuple[tuple[str, float], ...]] = field(default_factory=dict)
    """For an output: named standard uncertainties of the relation itself, in the output's unit."""
    curve: Curve | None = None
    undo: Undo | None = None
    group: str = ""
    caveats: tuple[Caveat, ...] = ()

    @property
    def all_inputs(self) -> tuple[Input, ...]:
        """The inputs, with those that say what a meter did already."""
        return self.inputs + (self.undo.extra if self.undo else ())

    @property
    def accepted(self) -> tuple[Input, ...]:
        """All inputs, with those that may stand in another's place."""
        return self.all_inputs + tuple(
            i.instead.number for i in self.all_inputs if isinstance(i, Number) and i.instead is not None
        )

    def input(self, name: str) -> Input:
        """Return the input of this name."""
        return next(i for i in self.accepted if i.name == name)


_registry: dict[str, Calculation] = {}


def calculation(**definition: Any) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Register the decorated function as a calculation; it takes checked inputs by name, gives the outputs in order."""

    def register(compute: Callable[..., Any]) -> Callable[..., Any]:
        made = Calculation(compute=compute, group=compute.__module__.rsplit(".", 1)[-1], **definition)
        if made.name in _registry:
            raise ValueError(f"two calculations are named {made.name}")
        _registry[made.name] = made
        return compute

    return register


@cache
def calculations() -> Mapping[str, Calculation]:
    """Return all calculations by name."""
    package = import_module("brumel.core.calculations")
    for module in iter_modules(package.__path__):
        import_module(f"{package.__name__}.{module.name}")
    return dict(_registry)


def find(name: str) -> Calculation:
    """Return the calculation of this name; refuses an unknown one with those that sound alike."""
    try:
        return calculations()[name]
    except KeyError:
        from difflib import get_close_matches

        alike = get_close_matches(name, calculations(), n=3, cutoff=0.4)
        hint = f" Did you mean {' or '.join(alike)}?" if alike else ""
        raise InvalidInputs({"calc": f"No calculation is named {name!r}.{hint}"}) from None


def moment_of(text: Any) -> float:
    """Seconds since the epoch of an ISO 8601 time with its offset."""
    found = datetime.fromisoformat(str(text).strip().replace("Z", "+00:00"))
    if found.tzinfo is None:
        raise ValueError("no offset")
    return found.timestamp()
