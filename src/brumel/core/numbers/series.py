"""Samples in time: the trace of a calibration, what a page watches, the record of a logger are one noun."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]
BLOCK_MOST = 1000
"""Samples that a block of a series holds at most."""


@dataclass(frozen=True, eq=False)
class Series:
    """Values with their own times, s since any moment, rising; and the conditions of each sample by name.

    All arrays have shape (n,). ``temperature_c`` is the condition that traces have.
    """

    times_s: Array
    values: Array
    conditions: Mapping[str, Array] = field(default_factory=dict)

    @classmethod
    def of(cls, times_s: ArrayLike, values: ArrayLike, **conditions: ArrayLike) -> Series:
        """Take samples as they are.

        Raises
        ------
        ValueError
            Where the arrays differ in length.

        Examples
        --------
        >>> trace = Series.of([0.0, 2.0, 4.0], [177.0, 176.0, 176.0], temperature_c=[21.0, 21.0, 21.1])
        >>> len(trace), trace.span(1.0, 4.0).values.tolist()
        (3, [176.0, 176.0])
        """
        found = {name: np.asarray(given, dtype=float) for name, given in conditions.items()}
        times, sampled = np.asarray(times_s, dtype=float), np.asarray(values, dtype=float)
        if any(array.shape != times.shape for array in (sampled, *found.values())):
            raise ValueError("times, values and conditions of a series must have one length")
        return cls(times, sampled, found)

    @classmethod
    def joined(cls, parts: Iterable[Series]) -> Series:
        """Put parts together that have the same conditions, in their order; the first moment of all is theirs."""
        all_of = list(parts)
        if not all_of:
            return cls.of([], [])
        return cls(
            np.concatenate([p.times_s for p in all_of]),
            np.concatenate([p.values for p in all_of]),
            {name: np.concatenate([p.conditions[name] for p in all_of]) for name in all_of[0].conditions},
        )

    def __len__(self) -> int:
        return int(self.times_s.size)

    def __getitem__(self, which: Any) -> Series:
        """Take those samples that a slice, a mask or an array of places names."""
        return Series(self.times_s[which], self.values[which], {n: c[which] for n, c in self.conditions.items()})

    @property
    def temperature_c(self) -> Array:
        """Temperature with each sample, °C."""
        return self.conditions["temperature_c"]

    def followed_by(self, time_s: float, value: float, **conditions: float) -> Series:
        """Add one sample at the end."""
        return Series(
            np.append(self.times_s, time_s),
            np.append(self.values, value),
            {name: np.append(self.conditions.get(name, ()), given) for name, given in conditions.items()},
        )

    def begun(self) -> Series:
        """Count its times from its first sample, to the ms."""
        return Series(np.round(self.times_s - self.times_s[:1], 3), self.values, self.conditions)

    def span(self, first_s: float = -np.inf, last_s: float = np.inf) -> Series:
        """Take the samples from one time to another, s, both included."""
        return self[(self.times_s >= first_s) & (self.times_s <= last_s)]

    def known(self) -> Series:
        """Take the samples of which time, value and each condition are finite."""
        arrays = (self.times_s, self.values, *self.conditions.values())
        return self[np.logical_and.reduce([np.isfinite(array) for array in arrays])]

    def seen_as(self, values: ArrayLike) -> Series:
        """Put other values to the same samples: what they are when they are corrected."""
        return Series(self.times_s, np.asarray(values, dtype=float), self.conditions)

    def blocks(self, most: int = BLOCK_MOST) -> Iterator[Series]:
        """Yield it in blocks of so many samples at most; an empty one has none.

        Examples
        --------
        >>> [len(b) for b in Series.of(range(2500), range(2500)).blocks()]
        [1000, 1000, 500]
        """
        for first in range(0, len(self), most):
            yield self[first : first + most]
