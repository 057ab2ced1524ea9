"""What follows from a reading by calculation: worked by the same registry as every other calculation."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from brumel.core.quantities.redox import REFERENCES
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import InvalidInputs
from brumel.core.sensing.principle import Conditions


@dataclass(frozen=True)
class Derived:
    """A quantity that was worked out: its value and standard uncertainty, in its unit, and how."""

    quantity: str
    value: float
    u: float
    unit: str
    working: tuple[str, ...]

    @property
    def plain(self) -> dict[str, Any]:
        """As a reading keeps it."""
        return asdict(self) | {"working": list(self.working)}


def derived_from(key: str, value: float, u: float, at: Conditions) -> list[Derived]:
    """All that follows from a value of a quantity.

    Examples
    --------
    >>> found = derived_from("orp", 300.0, 2.0, Conditions(25.0, "ag-agcl-3m"))
    >>> found[0].quantity, found[0].value
    ('eh', 509.0)
    """
    return list(_WAYS[key](value, u, at)) if key in _WAYS else []


def _eh(value: float, u: float, at: Conditions) -> Iterator[Derived]:
    if at.reference not in REFERENCES:
        return
    given = {"mv": value, "mv_u": u, "temperature_c": float(at.temperature_c), "reference": at.reference}
    try:
        answer = calculate("orp-to-eh", given)
    except InvalidInputs:  # the half-cell is not tabled at this temperature
        return
    yield Derived("eh", answer.outputs["eh_mv"], answer.outputs["eh_mv_u"], "mV", tuple(answer.working))


_WAYS: Mapping[str, Callable[[float, float, Conditions], Iterator[Derived]]] = {"orp": _eh}
