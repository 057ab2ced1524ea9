"""Every quantity that is measured: its unit, its digits, what is plausible, when a value of it is stable."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.settling.rules import SettlingRule
from brumel.core.tables import read_once, table
from brumel.core.wording import grouped, signed

_GROUPED = 10_000
"""From here on digits stand in groups, and none behind the point counts."""
_SLOW = ("slow_percent", "slow_s")
_MOST_DIGITS = 6
"""More digits after the point than anybody types."""


class ErrorScale(StrEnum):
    """How far two values are apart: in the unit, in percent, or by the larger of both."""

    ABSOLUTE = "absolute"
    RELATIVE = "relative"
    LARGER = "larger"


@dataclass(frozen=True)
class Gives:
    """What a method may give of a quantity: its value times the factor is of ``quantity``."""

    key: str
    words: str
    quantity: str
    factor: float = 1.0


@dataclass(frozen=True)
class Quantity:
    """One quantity, as ``quantities.toml`` has it.

    Attributes
    ----------
    key
        As records keep it.
    unit
        Unit that it is kept in; empty where it has none.
    decimals
        Digits after the point that people are shown.
    plausible
        Values of natural and pool waters, both ends included.
    typed
        What a form takes at all.
    unknown_u
        ±U (k = 2) of a value from a meter of which nothing is known; None where none is typed from a meter.
        ``unknown_percent`` of the value where that is more.
    reference_c
        Temperature that it is stated at, whatever the water's own; None where it is the water's.
    round_order
        Its place among what a round can measure; None where no round plans it.
    calibrating, reading
        Rules for stability: of the raw signal, and of the value; None where there is none.
    """

    key: str
    name: str
    symbol: str
    unit: str
    decimals: int
    plausible: tuple[float, float]
    typed: tuple[float, float]
    error: ErrorScale
    error_decimals: int
    shown: tuple[str, ...] = ()
    unknown_u: float | None = None
    unknown_percent: float = 0.0
    round_order: int | None = None
    also: Mapping[str, float] = field(default_factory=dict, hash=False)
    """Units that it may be typed in beside those that its own can be converted from, each as so much of its own."""
    elsewhere: Mapping[str, str] = field(default_factory=dict, hash=False)
    """Units that belong to another quantity which people call by the same name, and that quantity."""
    note: str = ""
    dilutes: bool = False
    """Whether a sample that is too strong may be diluted: what is measured in it counts by volume and stays in it."""
    gives: tuple[Gives, ...] = ()
    """What methods without a probe may give of it; empty where all give it as it is."""
    condition: bool = False
    """Whether it is a condition of a visit, and not of the water."""
    reference_c: float | None = None
    calibrating: SettlingRule | None = None
    reading: SettlingRule | None = None

    def unknown_at(self, value: float) -> float:
        """±U (k = 2) of such a value.

        Examples
        --------
        >>> quantity("ph").unknown_at(7.4), quantity("specific-conductance").unknown_at(50_000.0)
        (0.2, 5000.0)
        """
        return max(self.unknown_u or 0.0, abs(value) * self.unknown_percent / 100.0)

    @property
    def stated_in(self) -> str:
        """The unit that values are stated in; the symbol where it has none."""
        return self.unit or self.symbol

    @property
    def after(self) -> str:
        """The unit as it follows a number; empty where there is none."""
        return f" {self.unit}" if self.unit else ""

    def lies_in(self, ends: tuple[float, float], value: float) -> bool:
        """Say whether a value, as people read it, lies between two ends, both included.

        Examples
        --------
        >>> [quantity("ph").lies_in((6.5, 8.5), ph) for ph in (8.504, 8.506)]
        [True, False]
        """
        return ends[0] <= round(value, self.decimals) <= ends[1]

    def number(self, value: float) -> str:
        """Return a value's digits for people, with a true minus sign.

        Examples
        --------
        >>> quantity("orp").number(-231.4), quantity("specific-conductance").number(52_810)
        ('−231', '52\\u202f810')
        """
        return signed(value, self.decimals) if abs(value) < _GROUPED else grouped(round(value, self.decimals))

    def exact(self, value: float) -> str:
        """Return a value that somebody typed, with all its digits.

        Examples
        --------
        >>> quantity("turbidity").exact(0.02), quantity("ph").exact(7.4)
        ('0.02', '7.40')
        """
        typed = len(f"{value:.{_MOST_DIGITS}f}".rstrip("0").partition(".")[2])
        return self.number(value) if typed <= self.decimals or abs(value) >= _GROUPED else signed(value, typed)

    def exact_words(self, value: float, qualifier: str = "") -> str:
        """Return a value that somebody typed as a sentence has it, with all its digits."""
        return f"{self.symbol} {qualifier}{self.exact(value)}{self.after}"

    def words(self, value: float, qualifier: str = "") -> str:
        """Return a value as a sentence has it; ``<`` and ``>`` stand before its number.

        Examples
        --------
        >>> quantity("ph").words(7.4), quantity("orp").words(231.0), quantity("free-chlorine").words(0.02, "<")
        ('pH 7.40', 'ORP 231 mV', 'free Cl₂ <0.02 mg/L')
        """
        return f"{self.symbol} {qualifier}{self.number(value)}{self.after}"


@read_once
def quantities() -> Mapping[str, Quantity]:
    """Return all quantities by key."""
    return {key: _quantity(key, entry) for key, entry in table("quantities", "quantities.toml").items()}


def quantity(key: str) -> Quantity:
    """Return the quantity of a key; refuses an unknown one with the known ones.

    Examples
    --------
    >>> quantity("ph").reading.name
    'reading-ph'
    """
    try:
        return quantities()[key]
    except KeyError:
        raise CoreError(f"There is no quantity {key!r}; known are {', '.join(quantities())}.") from None


@read_once
def of_a_round() -> tuple[Quantity, ...]:
    """Return what a round can measure, in the order of a list."""
    found = [q for q in quantities().values() if q.round_order is not None]
    return tuple(sorted(found, key=lambda q: q.round_order or 0))


def settling_rules() -> Mapping[str, SettlingRule]:
    """Read all rules for stability by name."""
    both = [rule for q in quantities().values() for rule in (q.calibrating, q.reading)]
    return {rule.name: rule for rule in both if rule is not None}


def _quantity(key: str, entry: dict[str, Any]) -> Quantity:
    rules = {
        use: SettlingRule(
            f"{'calibration' if use == 'calibrating' else use}-{key}",
            **rule | {name: (float(rule[name][0]), float(rule[name][1])) for name in _SLOW if name in rule},
        )
        for use, rule in entry.pop("settling", {}).items()
    }
    pairs = {name: (float(entry[name][0]), float(entry[name][1])) for name in ("plausible", "typed")}
    return Quantity(
        **entry
        | rules
        | pairs
        | {
            "key": key,
            "error": ErrorScale(entry["error"]),
            "error_decimals": entry.get("error_decimals", entry["decimals"]),
            "shown": tuple(entry.get("shown", ())),
            "gives": tuple(Gives(**given) for given in entry.get("gives", ())),
        }
    )
