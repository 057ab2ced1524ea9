"""What is to be said, as facts hold it: a key of the catalogue and values; no words but those that people typed.

A value is a number with its unit and digits (:class:`Amount`), a number of a quantity (:class:`Of`), a count of things
(:class:`Count`), a day (:class:`Day`), a word of the catalogue by its key (:class:`Named`), something said within
(:class:`Said`), several of them, or text that a person typed, a label, a name of data.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Union

VERBATIM = "verbatim"
"""Says words as they stand: of records older than the keys, and of data that a house may change (remedies)."""


@dataclass(frozen=True)
class Amount:
    """A number with its unit, ``digits`` decimals (None: as many as it takes), and a plus where its sign tells."""

    value: float
    unit: str = ""
    digits: int | None = None
    plus: bool = False


@dataclass(frozen=True)
class Of:
    """A value of a quantity, by its key; ``<`` and ``>`` before it where it is a bound.

    ``exact``: it was typed, and keeps all its digits.
    """

    quantity: str
    value: float
    qualifier: str = ""
    exact: bool = False


@dataclass(frozen=True)
class Count:
    """So many of something that the catalogue names: days, hours, points."""

    value: float
    of: str


@dataclass(frozen=True)
class Day:
    """A day, ISO 8601, as it is said on another: with its year where that is not the same."""

    on: str
    said_on: str = ""


@dataclass(frozen=True)
class Named:
    """A word of the catalogue: ``table`` says of what, ``key`` which."""

    table: str
    key: str


@dataclass(frozen=True)
class Said:
    """A sentence, or a part of one: its key in the catalogue, and the values that stand in it."""

    key: str
    values: Mapping[str, Value] = field(default_factory=dict, hash=False)

    @property
    def plain(self) -> dict[str, Any]:
        """As a record keeps it: JSON that :meth:`of` reads back.

        Examples
        --------
        >>> said = Said("slope", {"value": Amount(98.2, "%", 1), "at": ("neutral", Count(2.0, "day"))})
        >>> said.plain["values"]["value"]
        {'value': 98.2, 'unit': '%', 'digits': 1}
        >>> Said.of(said.plain).plain == said.plain
        True
        """
        return {"key": self.key} | ({"values": {k: as_plain(v) for k, v in self.values.items()}} if self.values else {})

    @classmethod
    def of(cls, plain: Mapping[str, Any]) -> Said:
        """From what :attr:`plain` gave."""
        return cls(plain["key"], {k: as_value(v) for k, v in plain.get("values", {}).items()})


Value = Union[Amount, Of, Count, Day, Named, Said, str, "Sequence[Value]", None]


def says(key: str, **values: Value) -> Said:
    """Say something by its key in the catalogue."""
    return Said(key, values)


def celsius(value: Any) -> Amount:
    """Say a temperature, °C, to a tenth."""
    return Amount(float(value), "°C", 1)


def figures(value: Any, count: int, unit: str = "") -> Amount:
    """Say a number to so many significant figures."""
    return Amount(float(f"{float(value):.{count}g}"), unit)


def three_digits(value: float) -> float:
    """Round to three significant digits: a bound as people read it."""
    return float(f"{value:.3g}")


def verbatim(words: str) -> Said | None:
    """Say words as they stand; nothing where there are none."""
    return Said(VERBATIM, {"words": words}) if words else None


_KINDS: Mapping[str, Any] = {"unit": Amount, "quantity": Of, "of": Count, "on": Day, "table": Named}
"""By the name that only its plain form has."""


def as_plain(value: Value) -> Any:
    """Return a value as a record keeps it: JSON."""
    if isinstance(value, Said):
        return value.plain
    if value is None or isinstance(value, str):
        return value
    if isinstance(value, Sequence):
        return [as_plain(v) for v in value]
    always = "unit" if isinstance(value, Amount) else ""
    return {k: v for k, v in vars(value).items() if k == always or not (v is None or v is False or v == "")}


def as_value(plain: Any) -> Value:
    """From what :func:`as_plain` gave."""
    if isinstance(plain, list):
        return tuple(as_value(v) for v in plain)
    if not isinstance(plain, Mapping):
        return None if plain is None else str(plain)
    kind = next((kind for name, kind in _KINDS.items() if name in plain), None)
    found: Value = Said.of(plain) if kind is None else kind(**plain)
    return found
