"""A sensing principle: how a signal follows from a value, linear in coefficients.

``signal = Σ c_j · x_j(value, conditions)``; the value stands in one term only, so that it comes back in closed form,
or in a second, small one that bends the line, and comes back in a few rounds.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from copy import copy
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.place.conditions import Conditions
from brumel.core.said import Amount, Named, Value
from brumel.core.uncertainty import Contribution
from brumel.core.wording import signed, upper_first
from brumel.core.words.catalogue import word

_FALLS = 0.2
"""A fall by this share of the end is told from noise (rule of this product)."""


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
    word, of
        What it is called, and what follows its unit in a sentence (`` of Nernst``), by key of the catalogue.
    inverse
        People read the reciprocal of what the term is multiplied by: a cell constant, not its reciprocal.
    minor
        A run is full without it: it may be taken over, and is small.
    renew_days
        Every so many days it is wise to take it anew; 0: nobody asks.
    """

    key: str
    word: str
    unit: str
    decimals: int
    usual: float
    u_usual: float
    fixed: bool = False
    least_apart: float = 0.0
    of: str = ""
    inverse: bool = False
    minor: bool = False
    renew_days: int = 0

    @property
    def called(self) -> Named:
        """Its name within a sentence."""
        return Named("coefficient", self.word)

    @property
    def of_what(self) -> Named | None:
        """The words that follow its unit in a sentence."""
        return Named("of-coefficient", self.of) if self.of else None

    @property
    def name(self) -> str:
        """Its name at the head of a line."""
        return upper_first(str(word(self.called)))

    def turned(self, value: float) -> float:
        """From what people read to what the term is multiplied by, or back: the way is the same."""
        return 1.0 / value if self.inverse else value

    def turned_u(self, value: float, u: float) -> float:
        """Return the standard uncertainty of the other of the two, from that of ``value``."""
        return u / value**2 if self.inverse else u

    def amount(self, value: float, *, plus: bool = False, digits: int | None = None) -> Amount:
        """Return a value of it, with its unit and digits."""
        return Amount(value, self.unit, self.decimals if digits is None else digits, plus)

    def words(self, value: float, *, plus: bool = False, digits: int | None = None) -> str:
        """Return a value of it as a sentence has it: ``98.6 %``."""
        unit = f" {self.unit}" if self.unit else ""
        return f"{signed(value, self.decimals if digits is None else digits, plus=plus)}{unit}"


OTHERWISE = "otherwise"
"""Of the catalogue: what may be otherwise than it should be at a step."""


@dataclass(frozen=True)
class Ask:
    """A question at a step: is it as it should be?"""

    key: str

    @property
    def so(self) -> Named:
        """The words for how it should be."""
        return Named("so", self.key)

    @property
    def otherwise(self) -> Named:
        """The words of a record where it is not so."""
        return Named(OTHERWISE, self.key)


@dataclass(frozen=True)
class Deviation:
    """A way of doing otherwise than said; it ``carries`` something of the cup before, or of ``tap`` water."""

    key: str
    carries: bool = False
    tap: bool = False

    @property
    def said(self) -> Named:
        """The words of a record for it."""
        return Named(OTHERWISE, self.key)


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
    signal_signed: ClassVar[bool] = True
    """Whether a plus is shown before it."""
    u_signal: ClassVar[float]
    """Standard uncertainty of one settled signal: half the settling span, less where a trace tells what is left."""
    u_signal_percent: ClassVar[float] = 0.0
    """The same in percent of the signal, where that is more."""
    coefficients: tuple[Coefficient, ...]
    value_term: ClassVar[int]
    """Which term the value stands in."""
    bends: ClassVar[bool] = False
    """Whether another term holds the value too, by a few percent of the first."""
    assumed: ClassVar[str] = "what is usual of its kind"
    """What a value rests on without a calibration, in a sentence."""
    signal_plural: ClassVar[str] = "millivolts"
    """What a technician calls numbers of the signal."""
    drift_per_day: ClassVar[float] = 0.0
    """Drift of the value as bounds ±, per day."""
    drift_percent_per_day: ClassVar[float] = 0.0
    """The same in percent of the value, on top."""
    drawn: ClassVar[tuple[float, float]]
    """Values that a picture of the response shows at least."""
    by_decades: ClassVar[bool] = False
    """Whether values are drawn by decades."""
    picture: ClassVar[str] = ""
    """What is drawn beside the response; empty where nothing is."""
    usual_name: ClassVar[str] = "usual"
    """What the line of the usual coefficients is called."""
    into_standard: ClassVar[str] = "stir briefly, let stand."
    """How it is put into a standard, as the end of a sentence."""
    into_water: ClassVar[str] = "Sensor and junction covered, stir briefly, let stand."
    """How it is put into a water."""
    asks: ClassVar[Mapping[str, tuple[Ask, ...]]] = {}
    """What is asked before a point is taken, by the kind of step."""
    patience: ClassVar[str] = ""
    """What is said before a water is read, where its approach is slow."""
    meter_asks: ClassVar[str] = ""
    """What is asked of a meter: a fixed temperature ``setting``, ``compensation`` to a reference, or ``oxygen``: in
    which unit it shows and what is set in it."""
    meter_shows: ClassVar[Mapping[str, Mapping[str, Any]]] = {}
    """Quantities that a meter shows of it, beside its own, and what the meter does by showing them."""
    shows_signal: ClassVar[bool] = False
    """Whether its display shows the signal itself: then our calibration stands behind what is typed from it."""
    asks_temperature: ClassVar[bool] = True
    """Whether the temperature of a standard is asked beside its signal; not where the temperature is what is sensed."""
    needs_pressure: ClassVar[bool] = False
    """Whether station pressure counts in a standard and in a water."""
    slowest_s: ClassVar[float] = 0.0
    """A slower fall than with this time constant, s at 20 °C and twice it at 5 °C, is want of movement; 0: none."""
    needs_salinity: ClassVar[bool] = False
    """Whether what follows from a value needs the water's salinity."""
    needs_conductivity: ClassVar[bool] = False
    """Whether what follows from a value needs the water's conductivity."""

    @property
    def asks_place(self) -> bool:
        """Whether anything of the place of a reading counts."""
        return self.needs_pressure or self.needs_salinity or self.needs_conductivity

    setting: ClassVar[str] = ""
    """Key of the coefficient that is set in the meter, and stands between the signal and what it displays."""
    display_name: ClassVar[str] = ""
    """What a meter displays instead of the bare signal; empty where it displays that."""
    display_unit: ClassVar[str] = ""

    @property
    def typed_unit(self) -> str:
        """The unit of what is typed as its signal."""
        return self.display_unit or self.signal_unit

    @abstractmethod
    def terms(self, value: Number, at: Conditions) -> Sequence[Number]:
        """Return what each coefficient is multiplied by."""

    def value_of_term(self, x: Number, at: Conditions) -> Number:
        """Return the value that makes its term ``x``; ``x`` itself where the term is the value."""
        del at
        return x

    def term_per_value(self, value: Number, at: Conditions) -> Number:
        """Say how the value's term changes with the value; one where the term is the value."""
        del at
        return np.ones(np.shape(np.asarray(value)))

    def apart(self, values: Array) -> float:
        """Say how far values are apart, on the scale by which coefficients are told."""
        return float(np.ptp(values))

    def tells(self, values: Array, at: Conditions, about: Coefficient) -> bool:
        """Say whether points of these values, at these conditions, can tell a coefficient."""
        del at
        return self.apart(values) >= about.least_apart

    def warmed_by(self, values: Array) -> Array:
        """Say how much each point, by its value, says of how warm the calibration was; not all nought."""
        return np.ones(values.shape)

    def u_of(self, signal: Number) -> Number:
        """Return standard uncertainty of one settled signal (k = 1), in its unit."""
        if not self.u_signal_percent:
            return self.u_signal
        return np.maximum(self.u_signal, np.abs(signal) * (self.u_signal_percent / 100.0))

    def carried(self, before: float | None, value: float) -> float | None:
        """How much a hundredth of what came before, or of tap water (None), changes a standard; None: not to speak of.

        In the quantity's unit.
        """
        del before, value
        return None

    def drift(self, value: Number, days: float) -> Number:
        """Return standard uncertainty (k = 1) from the drift of a value in so many days."""
        return (self.drift_per_day + self.drift_percent_per_day / 100.0 * np.abs(value)) * days / 3**0.5

    def with_usual(self, usual: Mapping[str, float]) -> Principle:
        """Return this principle for a kind of probe whose coefficients are usually so, by key."""
        if not usual:
            return self
        other = copy(self)
        other.coefficients = tuple(
            replace(
                c,
                usual=usual[c.key],
                u_usual=c.u_usual * usual[c.key] / c.usual,
                decimals=c.decimals - round(np.log10(usual[c.key] / c.usual)),
            )
            if c.key in usual
            else c
            for c in self.coefficients
        )
        return other

    def beyond_the_line(self, value: Number, at: Conditions, calibrated_c: float | None) -> list[Contribution]:
        """Contributions to a reading's uncertainty that no line knows of."""
        del value, at, calibrated_c
        return []

    def beyond_any_meter(self, value: Number, at: Conditions) -> list[Contribution]:
        """Contributions that stay whoever's calibration stands behind a value."""
        del value, at
        return []

    def undone(self, shown: float, did: Mapping[str, Any], at: Conditions) -> tuple[float, list[Value]]:
        """Return a shown value with what its meter did to it undone, by :attr:`meter_asks`, and the arithmetic."""
        del did, at
        return shown, []

    def still_s(self, approach: tuple[float, float, float] | None, at: Conditions) -> float:
        """Return the time constant, s, of a fall that comes of want of movement; 0 where the approach shows none."""
        if not self.slowest_s or approach is None:
            return 0.0
        end, height, tau_s = approach
        slowest = self.slowest_s * 2.0 ** ((20.0 - float(at.temperature_c)) / 15.0)
        return tau_s if tau_s > slowest and height > _FALLS * abs(end) else 0.0

    def shown_quantity(self, did: Mapping[str, Any]) -> str:
        """Key of the quantity that a meter shows, by what it was said to do."""
        del did
        return self.quantity

    def shown_so(self, key: str) -> Mapping[str, Any] | None:
        """Return what a meter does by showing this quantity; None where it does not show it."""
        return {} if key == self.quantity else self.meter_shows.get(key)

    def from_display(self, shown: float, settings: Mapping[str, float]) -> float:
        """Return the signal behind what a meter displays of it, by what is set in the meter."""
        del settings
        return shown

    @abstractmethod
    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[Value]:
        """Return the arithmetic from a signal to its value, in words."""

    @property
    def ordered(self) -> tuple[Coefficient, ...]:
        """The coefficients as people want to hear them: the one that the value stands with first."""
        first = self.coefficients[self.value_term]
        return (first, *(c for c in reversed(self.coefficients) if c is not first))

    @property
    def minor(self) -> frozenset[str]:
        """Keys of the coefficients without which a run is full."""
        return frozenset(c.key for c in self.coefficients if c.minor)

    def coefficient(self, key: str) -> Coefficient:
        """Return a coefficient by its key."""
        return next(c for c in self.coefficients if c.key == key)

    def signal_amount(self, signal: float, digits: int | None = None, *, plus: bool = False) -> Amount:
        """Return a signal, with its unit and digits."""
        return Amount(signal, self.signal_unit, self.signal_decimals if digits is None else digits, plus)

    def signal_number(self, signal: float) -> str:
        """Return a signal's digits, with its sign where it has one to show."""
        return signed(signal, self.signal_decimals, plus=self.signal_signed)

    def term_columns(self, value: Number, at: Conditions) -> Array:
        """Return the terms as columns, one row a value."""
        columns: Any = np.broadcast_arrays(*(np.atleast_1d(np.asarray(x, dtype=float)) for x in self.terms(value, at)))
        return np.column_stack(columns)
