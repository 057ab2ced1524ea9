"""A sensing principle: how a signal follows from a value, linear in coefficients.

``signal = Σ c_j · x_j(value, conditions)``; the value stands in one term only, so that it comes back in closed form.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from brumel.core.arrays import Array, Number
from brumel.core.uncertainty import Contribution
from brumel.core.wording import signed


@dataclass(frozen=True)
class Conditions:
    """In what a signal arises: temperature of the liquid, °C; the probe's own reference electrode, by key.

    Float or array of the signal's shape; the reference is one for all.
    """

    temperature_c: Number
    reference: str = ""

    def warmer(self, by_c: float) -> Conditions:
        """The same, warmer by so many degrees."""
        return Conditions(np.asarray(self.temperature_c, dtype=float) + by_c, self.reference)


@dataclass(frozen=True)
class Coefficient:
    """What a calibration finds, in the unit that people read it in.

    Attributes
    ----------
    usual, u_usual
        What is assumed where nothing is known, and its standard uncertainty.
    fixed
        The principle itself fixes it at its usual value.
    least_apart
        Points whose values lie nearer together (by :meth:`Principle.apart`) can't tell it; 0: any point does.
    of
        What follows its unit in a sentence: `` of Nernst``.
    """

    key: str
    name: str
    unit: str
    decimals: int
    usual: float
    u_usual: float
    fixed: bool = False
    least_apart: float = 0.0
    of: str = ""

    def words(self, value: float, *, plus: bool = False) -> str:
        """A value of it as a sentence has it: ``98.6 %``."""
        unit = f" {self.unit}" if self.unit else ""
        return f"{signed(value, self.decimals, plus=plus)}{unit}"


class Principle(ABC):
    """One way of sensing; a further one is one small module that is added to :mod:`brumel.core.sensing.principles`."""

    key: ClassVar[str]
    quantity: ClassVar[str]
    """Key of the one primary quantity; others follow from it by calculation."""
    signal_name: ClassVar[str]
    signal_unit: ClassVar[str]
    signal_decimals: ClassVar[int]
    signal_range: ClassVar[tuple[float, float]]
    """What an instrument can show of it at all."""
    u_signal: ClassVar[float]
    """Standard uncertainty of one settled signal: half the settling span (rule of this product)."""
    coefficients: ClassVar[tuple[Coefficient, ...]]
    value_term: ClassVar[int]
    """Which term the value stands in."""
    drift_per_day: ClassVar[float] = 0.0
    """Drift of the value as bounds ±, per day."""
    drawn: ClassVar[tuple[float, float]]
    """Values that a picture of the response shows at least."""
    usual_name: ClassVar[str] = "usual"
    """What the line of the usual coefficients is called."""
    patience: ClassVar[str] = ""
    """What is said before a water is read, where its approach is slow."""
    compensated: ClassVar[bool] = False
    """Whether a meter corrects its signal for temperature, and may be set to a fixed one."""

    @abstractmethod
    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """What each coefficient is multiplied by."""

    @abstractmethod
    def value_of_term(self, x: Number, at: Conditions) -> Number:
        """The value that makes its term ``x``."""

    @abstractmethod
    def term_per_value(self, value: Number, at: Conditions) -> Number:
        """How the value's term changes with the value."""

    def apart(self, values: Array) -> float:
        """How far values are apart, on the scale by which coefficients are told."""
        return float(np.ptp(values))

    def beyond_the_line(self, value: Number, at: Conditions, calibrated_c: float | None) -> list[Contribution]:
        """Contributions to a reading's uncertainty that no line knows of."""
        del value, at, calibrated_c
        return []

    def beyond_any_meter(self, value: Number, at: Conditions) -> list[Contribution]:
        """Contributions that stay whoever's calibration stands behind a value."""
        del value, at
        return []

    def recompensated(self, shown: float, setting_c: float, at: Conditions) -> tuple[float, list[str]]:
        """A shown value with its meter's fixed temperature setting undone, and the arithmetic, where it has one."""
        del setting_c, at
        return shown, []

    @abstractmethod
    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[str]:
        """The arithmetic from a signal to its value, in words."""

    def coefficient(self, key: str) -> Coefficient:
        """A coefficient by its key."""
        return next(c for c in self.coefficients if c.key == key)

    def signal_words(self, signal: float, digits: int | None = None, *, plus: bool = False) -> str:
        """A signal as a sentence has it."""
        return f"{signed(signal, self.signal_decimals if digits is None else digits, plus=plus)} {self.signal_unit}"

    def term_columns(self, value: Number, at: Conditions) -> Array:
        """The terms as columns, one row a value."""
        columns: Any = np.broadcast_arrays(*(np.atleast_1d(np.asarray(x, dtype=float)) for x in self.terms(value, at)))
        return np.column_stack(columns)
