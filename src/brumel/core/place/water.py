"""How a water's conductivity is brought to a reference temperature, and how its salts are counted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from brumel.core.quantities.conductivity import COMPENSATIONS, OF_WATERS

METHODS: Mapping[str, str] = {**OF_WATERS, "none": "not at all: at the water's own temperature"}
"""Ways of compensating by key."""
COEFFICIENTS = (0.0, 10.0)
"""% per °C."""
REFERENCES_C = (25.0, 20.0)
SOLIDS_FACTORS = (0.45, 1.0)
"""mg/L per µS/cm."""


BY_METERS: Mapping[str, str] = {"none": "nothing: it was off", **COMPENSATIONS}
"""What a meter may have done, by key."""


def wrong_with(given: Mapping[str, Any], ways: Mapping[str, str]) -> dict[str, str]:
    """Return what can't be of a compensation as typed, by field: ``method``, ``coefficient``, ``reference_c``."""
    wrong = {}
    low, high = COEFFICIENTS
    coefficient = given.get("coefficient")
    if given.get("method") not in ways:
        wrong["method"] = f"Choose one of: {', '.join(ways.values())}."
    elif given["method"] == "linear" and (coefficient is None or not low < coefficient <= high):
        wrong["coefficient"] = (
            f"Give the coefficient in percent per °C, above {low:g} to {high:g}; 1.9 to 2.1 is usual."
        )
    if given.get("reference_c", REFERENCES_C[0]) not in REFERENCES_C:
        wrong["reference_c"] = "The reference is 25 or 20 °C."
    return wrong


@dataclass(frozen=True)
class Compensation:
    """How a site's water is compensated; natural waters where nobody said otherwise."""

    method: str = "natural-water"
    coefficient_percent_per_c: float | None = None
    reference_c: float = 25.0
    solids_factor: float | None = None
    """Dissolved solids in mg/L for each µS/cm at the reference; none are given where it is None."""

    @classmethod
    def of(cls, stored: Mapping[str, Any]) -> Compensation:
        """As a site keeps it."""
        return cls(**stored)

    @property
    def inputs(self) -> dict[str, Any]:
        """As the calculations take it."""
        given = {"method": self.method, "reference_c": self.reference_c}
        linear = {"coefficient_percent_per_c": self.coefficient_percent_per_c} if self.method == "linear" else {}
        return given | linear

    @property
    def salt(self) -> bool:
        """Whether the water has the proportions of sea salt."""
        return self.method == "sea-salt"

    @property
    def words(self) -> str:
        """For people."""
        how = METHODS[self.method]
        if self.method == "none":
            return how
        if self.method == "linear":
            how = f"linear, {self.coefficient_percent_per_c:g} %/°C"
        return f"{how} to {self.reference_c:g} °C"
