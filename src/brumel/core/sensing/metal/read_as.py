"""ORP as Eh, by the probe's own reference electrode."""

from __future__ import annotations

from collections.abc import Iterator

from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.quantities.redox import REFERENCES
from brumel.core.sensing.follows import Derived, ReadAs, worked
from brumel.core.sensing.principle import Principle
from brumel.core.uncertainty import Budget


def _eh(value: float, budget: Budget, at: Conditions, water: Compensation) -> Iterator[Derived]:
    del water
    if at.reference in REFERENCES:
        given = {"temperature_c": float(at.temperature_c), "reference": at.reference}
        if found := worked("eh", "mV", "orp-to-eh", "eh_mv", ("mv", value, budget), given):
            yield found


def read_as(own: Principle) -> ReadAs:
    """Return how ORP is read as Eh."""
    del own
    return ReadAs(_eh)
