"""All sensing principles: each folder of this room is one, or a few of one make, in three parts.

``terms.principles()`` gives them, ``signs.SIGNS`` what their signal shows, ``read_as.read_as(own)`` how a value is
read as another quantity. A folder that lacks a part stops whoever asks, with its name.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from importlib import import_module
from pkgutil import iter_modules
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.numbers.arrays import Array
from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.sensing.follows import Derived, ReadAs
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.shows import OfMeter, Signs
from brumel.core.tables import read_once
from brumel.core.uncertainty import Budget

_ROOM = "brumel.core.sensing"
_FIRST = ("glass", "metal", "conductivity", "oxygen", "ion_tip")
"""Lists begin with these; what else there is follows by name."""
_PARTS = (("terms", "principles"), ("signs", "SIGNS"), ("read_as", "read_as"))
_added: dict[str, Sensing] = {}


@dataclass(frozen=True)
class Sensing:
    """A principle with all its parts."""

    principle: Principle
    signs: Signs
    read_as: ReadAs


def sensing_in(folder: str) -> tuple[Sensing, ...]:
    """Return the principles of a folder, by its dotted name.

    Raises
    ------
    CoreError
        Where it lacks a part.
    """
    found: list[Any] = []
    for module, name in _PARTS:
        try:
            found.append(getattr(import_module(f"{folder}.{module}"), name))
        except (ModuleNotFoundError, AttributeError) as error:
            short = folder.rpartition(".")[2]
            raise CoreError(f"The sensing principle {short!r} lacks {name!r} in its part {module!r}.") from error
    principles_of, signs, read_as = found
    return tuple(Sensing(own, signs, read_as(own)) for own in principles_of())


@read_once
def _shipped() -> dict[str, Sensing]:
    folders = sorted(m.name for m in iter_modules(import_module(_ROOM).__path__) if m.ispkg)
    ordered = [*_FIRST, *(f for f in folders if f not in _FIRST)]
    return {s.principle.key: s for folder in ordered for s in sensing_in(f"{_ROOM}.{folder}")}


def _every() -> dict[str, Sensing]:
    return _shipped() | _added if _added else _shipped()


def sensing(key: str) -> Sensing:
    """Return a principle with its parts.

    Raises
    ------
    CoreError
        Where there is none of that key, with those that there are.
    """
    every = _every()
    try:
        return every[key]
    except KeyError:
        raise CoreError(f"There is no sensing principle {key!r}; known are {', '.join(every)}.") from None


def principle(key: str) -> Principle:
    """Return the principle of a key."""
    return sensing(key).principle


def principles() -> tuple[Principle, ...]:
    """Return all of them."""
    return tuple(s.principle for s in _every().values())


def known(key: str) -> bool:
    """Say whether there is a principle of a key."""
    return key in _every()


def signs_of(key: str) -> Signs:
    """Return what a principle's signal can show."""
    return sensing(key).signs


def of_meters(quantity: str) -> OfMeter | None:
    """Return what is known of meters that keep their own calibration of a quantity; None where nothing is."""
    return next((s.signs.of_meters[quantity] for s in _every().values() if quantity in s.signs.of_meters), None)


def derived_from(own: Principle, value: float, budget: Budget, at: Conditions, water: Compensation) -> list[Derived]:
    """Return all that follows from a sensed value; what can't be said of it at these conditions is left out.

    Examples
    --------
    >>> found = derived_from(principle("metal"), 300.0, Budget(()), Conditions(25.0, "ag-agcl-3m"), Compensation())
    >>> found[0].quantity, found[0].value
    ('eh', 509.0)
    >>> cell, brine = principle("conductivity"), Compensation(solids_factor=0.7)
    >>> [(d.quantity, round(d.value)) for d in derived_from(cell, 500.0, Budget(()), Conditions(10.0), brine)]
    [('specific-conductance', 714), ('dissolved-solids', 500), ('resistivity', 2000)]
    """
    return list(sensing(own.key).read_as.follows(value, budget, at, water))


def as_read(own: Principle, head: str, values: Array, at: Conditions, water: Compensation) -> Array:
    """Return sensed values as the quantity that people read; as they are where the two are one, or it is not known.

    Examples
    --------
    >>> import numpy as np
    >>> sensed = np.array([500.0])
    >>> as_read(principle("conductivity"), "specific-conductance", sensed, Conditions(10.0), Compensation()).round()
    array([714.])
    """
    way = sensing(own.key).read_as.heads.get(head)
    return values if way is None else way(values, at, water)


@contextmanager
def added(further: Principle, signs: Signs, read_as: ReadAs) -> Iterator[None]:
    """Let there be a further principle within the context."""
    _added[further.key] = Sensing(further, signs, read_as)
    try:
        yield
    finally:
        del _added[further.key]
