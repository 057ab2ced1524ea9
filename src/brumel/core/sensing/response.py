"""What a fit gives: coefficients with their covariance, and readings taken with them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import Any

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.quantity import quantity
from brumel.core.sensing.principle import Principle
from brumel.core.uncertainty import Budget, Contribution

_NOTHING = 1e-9
"""So small a share of what is usual is what rounding leaves of equal signals."""
_ROUNDS = 12
"""A bend is a few percent: each round leaves that share of what the one before left."""
LEFT_OVER, LINE, SIGNAL, TEMPERATURE = "left-over", "line", "signal", "temperature"
"""Keys of these parts of a budget."""


class Origin(StrEnum):
    """Where a coefficient comes from."""

    FITTED = "fitted"
    CARRIED = "carried"
    """From the last full run."""
    ASSUMED = "assumed"
    """From what is usual: no run is known."""
    FIXED = "fixed"
    """By the principle."""
    REPORTED = "reported"
    """As a meter gave it."""


TAKEN_OVER = frozenset({Origin.CARRIED, Origin.ASSUMED})


@dataclass(frozen=True)
class Response:
    """How a probe responds.

    Attributes
    ----------
    values, origins
        One for each coefficient of the principle, in its order; values as the terms are multiplied by them.
    covariance
        Of the coefficients, k = 1.
    residuals
        For each point, the value by the response minus the target.
    consistency
        Probability of at least this much scatter from the stated uncertainties; None where no points are to spare.
    temperature_c
        Mean temperature of the points, °C; None where it is not known.
    """

    principle: Principle
    values: tuple[float, ...]
    covariance: tuple[tuple[float, ...], ...]
    origins: tuple[Origin, ...]
    residuals: tuple[float, ...] = ()
    consistency: float | None = None
    temperature_c: float | None = None

    @classmethod
    def usual(cls, principle: Principle) -> Response:
        """Return what is assumed of a probe before anything is known."""
        return cls(
            principle,
            tuple(c.turned(c.usual) for c in principle.coefficients),
            diagonal([0.0 if c.fixed else c.turned_u(c.usual, c.u_usual) for c in principle.coefficients]),
            tuple(Origin.FIXED if c.fixed else Origin.ASSUMED for c in principle.coefficients),
        )

    @classmethod
    def known(
        cls, principle: Principle, read: Mapping[str, float], covariance: Array, origins: Mapping[str, Origin],
        temperature_c: float | None = None,
    ) -> Response:  # fmt: skip
        """From what was kept of it: coefficients as people read them, by key; what is not among them is as usual.

        Parameters
        ----------
        covariance
            Of the terms' coefficients, k = 1, those that are known: as many rows, in the principle's order.
        """
        usual = cls.usual(principle)
        whole = np.array(usual.covariance)
        whole[: len(covariance), : len(covariance)] = covariance
        return cls(
            principle,
            tuple(c.turned(read.get(c.key, c.usual)) for c in principle.coefficients),
            as_rows(whole),
            tuple(origins.get(c.key, u) for c, u in zip(principle.coefficients, usual.origins, strict=True)),
            temperature_c=temperature_c,
        )

    @property
    def full(self) -> bool:
        """Whether every coefficient that can be was fitted, none but a minor one taken over."""
        return not any(
            o in TAKEN_OVER and not c.minor for c, o in zip(self.principle.coefficients, self.origins, strict=True)
        )

    @property
    def by_a_factor(self) -> bool:
        """Whether people read the reciprocal of one of its coefficients, which must not be nothing."""
        return any(c.inverse for c in self.principle.coefficients)

    @property
    def tells_nothing(self) -> bool:
        """Whether its signal hardly hangs on the value, or a factor that must not be is none or below."""
        p = self.principle
        usual = p.coefficients[p.value_term]
        least = _NOTHING * abs(usual.turned(usual.usual))
        return abs(self.values[p.value_term]) < least or any(
            c.inverse and v <= 0 for c, v in zip(p.coefficients, self.values, strict=True)
        )

    def __getitem__(self, key: str) -> float:
        """Return a coefficient as people read it, by its key."""
        return self.principle.coefficient(key).turned(self.values[self._index(key)])

    def u(self, key: str) -> float:
        """Return a coefficient's standard uncertainty, as people read it."""
        index = self._index(key)
        return self.principle.coefficient(key).turned_u(
            self.values[index], float(np.sqrt(self.covariance[index][index]))
        )

    def origin(self, key: str) -> Origin:
        """Say where a coefficient comes from."""
        return self.origins[self._index(key)]

    def value(self, signal: Number, at: Conditions) -> Any:
        """Return the value that a signal means; not a number where the principle has none. Float or array."""
        p = self.principle
        found: Number = 0.0 if p.bends else np.nan
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            for _ in range(_ROUNDS if p.bends else 1):
                rest = np.asarray(signal, dtype=float)
                for index, x in enumerate(p.terms(found, at)):
                    if index != p.value_term:
                        rest = rest - self.values[index] * np.asarray(x, dtype=float)
                before = found
                found = p.value_of_term(rest / np.float64(self.values[p.value_term]), at)
                if np.array_equal(before, found):
                    break
        return float(found) if np.ndim(found) == 0 else found

    def signal(self, value: Number, at: Conditions) -> Any:
        """Return the signal that this probe gives where the value is so. Float or array."""
        found = sum(
            c * np.asarray(x, dtype=float) for c, x in zip(self.values, self.principle.terms(value, at), strict=True)
        )
        return float(found) if np.ndim(found) == 0 else found

    def u_of_signal(self, value: float, at: Conditions) -> float:
        """Return standard uncertainty (k = 1) of the signal that this probe gives, from that of its coefficients."""
        terms = self.principle.term_columns(value, at)[0]
        return float(np.sqrt(max(terms @ np.array(self.covariance) @ terms, 0.0)))

    def signal_per_value(self, value: Number, at: Conditions) -> Any:
        """Say how the signal changes with the value."""
        return self.values[self.principle.value_term] * np.asarray(self.principle.term_per_value(value, at))

    def signal_per_degree(self, value: Number, at: Conditions) -> Any:
        """Say how the signal of one value changes with the temperature, per °C."""
        return np.asarray(self.signal(value, at.warmer(0.5))) - np.asarray(self.signal(value, at.warmer(-0.5)))

    def budget(
        self, signal: Number, at: Conditions, *, u_signal: float | None = None, age_days: float = 0.0,
        left_over: float = 0.0,
    ) -> Budget:  # fmt: skip
        """Say where the uncertainty of a reading comes from, in the quantity's unit.

        Parameters
        ----------
        signal, at
            The reading; floats, or arrays of one shape.
        u_signal
            Standard uncertainty of the signal (k = 1); the principle's own where None.
        age_days
            Days since the calibration, for the drift.
        left_over
            What was left of the approach when the reading was accepted, in the quantity's unit.

        Notes
        -----
        Source: JCGM 100:2008, first order, the coefficients with their covariance.
        """
        p = self.principle
        value = self.value(signal, at)
        per_value = self.signal_per_value(value, at)
        about = quantity(p.quantity)
        unit = about.stated_in
        by_coefficient = -p.term_columns(value, at) / np.atleast_1d(np.asarray(per_value, dtype=float))[:, None]
        variance = np.einsum("ni,ij,nj->n", by_coefficient, np.array(self.covariance), by_coefficient)
        line = np.sqrt(np.maximum(variance, 0.0))
        return Budget.of(
            [
                Contribution(LINE, float(line[0]) if np.ndim(value) == 0 else line, unit, 1.0),
                Contribution(
                    SIGNAL,
                    p.u_of(signal) if u_signal is None else u_signal,
                    p.signal_unit,
                    1.0 / per_value,
                    p.signal_name,
                ),
                Contribution(TEMPERATURE, at.u_temperature_c, "°C", -self.signal_per_degree(value, at) / per_value),
                *p.beyond_the_line(value, at, self.temperature_c),
                Contribution(LEFT_OVER, left_over, unit, 1.0),
                Contribution("drift", p.drift(value, age_days), unit, 1.0),
            ]
        )

    @cached_property
    def by_key(self) -> dict[str, float]:
        """The coefficients as people read them, by key."""
        return {c.key: c.turned(v) for c, v in zip(self.principle.coefficients, self.values, strict=True)}

    def _index(self, key: str) -> int:
        return next(i for i, c in enumerate(self.principle.coefficients) if c.key == key)


def diagonal(us: Sequence[float]) -> tuple[tuple[float, ...], ...]:
    """Return a covariance of uncorrelated coefficients from their standard uncertainties."""
    return as_rows(np.diag(np.asarray(us, dtype=float) ** 2))


def as_rows(matrix: Array) -> tuple[tuple[float, ...], ...]:
    """Return a matrix as plain numbers."""
    return tuple(tuple(float(v) for v in row) for row in matrix)
