"""How a sensed value is read as another quantity: one calculation of the registry each, with its own budget."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from brumel.core.numbers.arrays import Array
from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.reckoning.answers import Answer, calculate
from brumel.core.reckoning.definition import InvalidInputs
from brumel.core.said import Value
from brumel.core.sensing.principle import Principle
from brumel.core.uncertainty import Budget, Contribution
from brumel.core.words.kept_findings import working_plain


@dataclass(frozen=True)
class Derived:
    """A quantity that was worked out: its value, its budget in its own unit, and how."""

    quantity: str
    value: float
    budget: Budget
    unit: str
    working: tuple[Value, ...]

    @property
    def plain(self) -> dict[str, Any]:
        """As a reading keeps it beside its own value."""
        return {
            "quantity": self.quantity, "value": self.value, "unit": self.unit, "u": self.budget.u,
            **working_plain(self.working),
        }  # fmt: skip


Follows = Callable[[float, Budget, Conditions, Compensation], Iterator[Derived]]


def nothing(value: float, budget: Budget, at: Conditions, water: Compensation) -> Iterator[Derived]:
    """Let nothing follow: what is sensed is what people read."""
    del value, budget, at, water
    return iter(())


@dataclass(frozen=True)
class ReadAs:
    """Holds what follows from a sensed value, and for whole traces how it is read as what people ask for."""

    follows: Follows = nothing
    heads: Mapping[str, Callable[[Array, Conditions, Compensation], Array]] = field(default_factory=dict)
    """By quantity: bare formulas, for each look at a trace works all of it; the same as ``follows`` says of one."""


def as_sensed(own: Principle) -> ReadAs:
    """Read a value as it is sensed: nothing follows."""
    del own
    return ReadAs()


def worked(
    quantity: str, unit: str, name: str, output: str, of: tuple[str, float, Budget], others: Mapping[str, Any],
    factor: float = 1.0,
) -> Derived | None:  # fmt: skip
    """Work one calculation: ``of`` names the input that the budget speaks of; ``factor`` brings it to its unit.

    None where it is not defined there: a half-cell beyond its table, a brine beyond PSS-78.
    """
    main, value, behind = of
    given = {main: value * factor, f"{main}_u": max(behind.u * factor, 1e-12), **others}
    try:
        answer = calculate(name, given)
    except InvalidInputs:
        return None
    budget = _budget(answer, output, main, behind, factor)
    return Derived(quantity, answer.outputs[output], budget, unit, tuple(answer.working))


_AT_A_VISIT = {"temperature_c": "conversion-temperature", "conductivity_us_cm": "salts"}
"""Inputs of calculations, by what they are at a visit."""


def _budget(answer: Answer, output: str, main: str, behind: Budget, factor: float) -> Budget:
    """Join what stands behind the value itself with what the calculation adds."""
    found: list[Contribution] = []
    for c in answer.budgets[output].contributions:
        if c.key == main:
            found += [replace(b, sensitivity=b.sensitivity * c.sensitivity * factor) for b in behind.contributions]
        else:
            found.append(replace(c, key=_AT_A_VISIT[c.key], of="") if c.key in _AT_A_VISIT else c)
    return Budget.of(found)
