"""By what a calibration is judged: bounds with what is to be done, as they are frozen into every run."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from brumel.core.findings import Bounds, Level, beyond
from brumel.core.sensing.within import Within


@dataclass(frozen=True)
class Remedy:
    """What is to be done, and how long it takes."""

    words: str = ""
    minutes: int | None = None


@dataclass(frozen=True)
class Tolerance:
    """Bounds of one coefficient, what is to be done below and above them, and how much it may change between runs."""

    bounds: Bounds
    low: Remedy
    high: Remedy
    change: float | None = None

    def remedy(self, value: float) -> Remedy:
        """Return what is to be done about a value; nothing where it is sound."""
        if self.bounds.level(value) is Level.SOUND:
            return Remedy()
        return self.low if value < self.bounds.sound_low else self.high


@dataclass(frozen=True)
class Tolerances:
    """The tolerances of a run; residuals and checks on the quantity's error scale, signals in the principle's unit."""

    standard: str
    brackets: bool
    residual: Within
    residual_remedy: str
    check_remedy: str
    scatter_remedy: str
    few_remedy: str
    """What else is to be taken where a coefficient that counts was taken over; ``minor_remedy``: where a minor one."""
    minor_remedy: str
    change_remedy: str
    bracket_remedy: str
    redo_minutes: int
    temperature_spread_c: float
    same_signal_share: float
    change_signal: float
    look: float
    look_percent: float
    by_agreement: bool
    """Whether a check is judged by the uncertainties of both, E_n, not by how far off it is."""
    coefficients: Mapping[str, Tolerance]
    holds_days: tuple[float, float]
    """How long a calibration may be used: soundly, and at most, days; as the probe's kind has it."""

    def alike(self, signal: float, expected: float, unknown: float = 0.0) -> bool:
        """Say whether a signal is what a cup is expected to give, roughly; ``unknown`` is what is not known of that."""
        return not beyond(abs(signal - expected), max(self.look, abs(expected) * self.look_percent / 100.0, unknown))

    @classmethod
    def of(cls, frozen: Mapping[str, Any]) -> Tolerances:
        """Tolerances from plain data, as they are kept with a run."""
        low, high = frozen["holds_days"]
        return cls(
            **{"look_percent": 0.0, "by_agreement": False, "minor_remedy": frozen["few_remedy"]}
            | dict(frozen)
            | {
                "residual": _within(frozen["residual"]),
                "coefficients": {key: _tolerance(entry) for key, entry in frozen["coefficients"].items()},
                "holds_days": (float(low), float(high)),
            }
        )


def _within(entry: Any) -> Within:
    """Bounds of residuals: two numbers in the unit, or a table that says ``percent`` and ``least`` too."""
    return Within(**entry) if isinstance(entry, Mapping) else Within(*entry)


def _tolerance(entry: Mapping[str, Any]) -> Tolerance:
    def remedy(side: str) -> Remedy:
        found = entry.get(side, {})
        return Remedy(found.get("remedy", ""), found.get("minutes"))

    return Tolerance(Bounds(*entry["bounds"]), remedy("low"), remedy("high"), entry.get("change"))
