"""Test kits, photometers, titrations and laboratories: they give values, within what they can see."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from brumel.core.kit.accuracy import Accuracy


class InstrumentKind(StrEnum):
    """What gives a value without a probe."""

    TEST_KIT = "test kit"
    PHOTOMETER = "photometer"
    TITRATION = "titration"
    LABORATORY = "laboratory"
    THERMOMETER = "thermometer"
    BAROMETER = "barometer"


@dataclass(frozen=True)
class Measures:
    """What an instrument can see of one quantity, in the quantity's unit, and how exactly; None where nobody said."""

    low: float | None = None
    high: float | None = None
    accuracy: Accuracy = field(default_factory=Accuracy)

    @classmethod
    def of(cls, plain: Mapping[str, Any] | None) -> Measures:
        """As a record keeps it."""
        given = dict(plain or {})
        return cls(given.get("low"), given.get("high"), Accuracy.of(given.get("accuracy")))

    @property
    def plain(self) -> dict[str, Any]:
        """What is known, fit for JSON."""
        ends = {name: value for name, value in (("low", self.low), ("high", self.high)) if value is not None}
        return ends | {"accuracy": self.accuracy.plain}

    def beyond(self, value: float) -> str:
        """``<`` or ``>`` where a value is beyond what it can see; empty within.

        Examples
        --------
        >>> Measures(0.02, 5.0).beyond(0.01), Measures(0.02, 5.0).beyond(0.02), Measures(0.02, 5.0).beyond(6.0)
        ('<', '', '>')
        """
        if self.low is not None and value < self.low:
            return "<"
        return ">" if self.high is not None and value > self.high else ""
