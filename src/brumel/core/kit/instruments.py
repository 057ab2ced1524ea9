"""Test kits, photometers, titrations and laboratories: they give values, within what they can see."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any

from brumel.core.kit.accuracy import Accuracy
from brumel.core.quantities.quantity import Gives, quantity


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
    gives: str = ""
    """What its method gives, by key, where a quantity says that methods differ."""

    @classmethod
    def of(cls, plain: Mapping[str, Any] | None) -> Measures:
        """As a record keeps it."""
        given = dict(plain or {})
        return cls(given.get("low"), given.get("high"), Accuracy.of(given.get("accuracy")), given.get("gives", ""))

    @property
    def plain(self) -> dict[str, Any]:
        """What is known, fit for JSON."""
        ends = {name: value for name, value in (("low", self.low), ("high", self.high)) if value is not None}
        return ends | {"accuracy": self.accuracy.plain} | ({"gives": self.gives} if self.gives else {})

    def times(self, factor: float) -> Measures:
        """Return the same for values that its method's are ``factor`` times of.

        Examples
        --------
        >>> Measures(0.02, 5.0, Accuracy(absolute=0.1, percent_of_reading=5.0)).times(0.5).plain
        {'low': 0.01, 'high': 2.5, 'accuracy': {'absolute': 0.05, 'percent_of_reading': 5.0}}
        """
        low, high = (None if end is None else end * factor for end in (self.low, self.high))
        return replace(self, low=low, high=high, accuracy=self.accuracy.times(factor))

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


@dataclass(frozen=True)
class Measuring:
    """How an instrument measures a quantity that it is asked for."""

    asked: str
    """The quantity that it stands under."""
    measures: Measures
    """In what its method gives."""
    given: Gives | None = None
    """What that is; None where it is the quantity itself, or where methods differ and nobody said."""

    @property
    def known(self) -> bool:
        """Whether it is known what its numbers are of."""
        return self.given is not None or not quantity(self.asked).gives

    @property
    def quantity(self) -> str:
        """The quantity that its numbers become."""
        return self.given.quantity if self.given else self.asked

    @property
    def factor(self) -> float:
        """By which its numbers become values of that quantity."""
        return self.given.factor if self.given else 1.0


def method_for(measures: Mapping[str, Mapping[str, Any]], key: str) -> Measuring | None:
    """Say how an instrument measures a quantity, by all that it measures; None where it does not.

    A method may give another quantity than is asked for: total ammonia in the place of ammonium.

    Examples
    --------
    >>> drops = {"ammonium-n": {"gives": "total-nh4"}}
    >>> [method_for(drops, key).given.words for key in ("ammonium-n", "total-ammonia-n")]
    ['total ammonia, as NH₄⁺', 'total ammonia, as NH₄⁺']
    >>> method_for(drops, "ph")
    """
    for asked, plain in measures.items():
        own = Measures.of(plain)
        found = Measuring(asked, own, next((g for g in quantity(asked).gives if g.key == own.gives), None))
        if key in (asked, found.quantity):
            return found
    return None
