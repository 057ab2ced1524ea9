"""What a round is about: the parameters, what each site is expected to show, and which probe goes for which site."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

PARAMETERS = ("pH", "oxygen", "conductivity", "ORP", "ammonium", "nitrate", "chlorine", "temperature")
"""What a round can measure, in the order of a list."""
UNITS = {
    "pH": "", "oxygen": "mg/L", "conductivity": "µS/cm", "ORP": "mV", "ammonium": "mg/L", "nitrate": "mg/L",
    "chlorine": "mg/L", "temperature": "°C",
}  # fmt: skip
"""Unit of each parameter's expected range; conductivity at 25 °C, ions as N, ORP as shown against Ag/AgCl."""


@dataclass(frozen=True)
class Expected:
    """What a site is expected to show of one parameter."""

    site: str
    parameter: str
    low: float
    high: float


@dataclass(frozen=True)
class Going:
    """A probe that goes along, what it measures, and at which sites."""

    label: str
    parameter: str
    sites: tuple[str, ...]


def sites_of(waters: Iterable[Expected], parameter: str) -> list[str]:
    """The sites that ask for a parameter, each once."""
    return list(dict.fromkeys(w.site for w in waters if w.parameter == parameter))


def unit_of(parameter: str) -> str:
    """A parameter's unit as it follows a number; empty for pH.

    Examples
    --------
    >>> unit_of("oxygen"), unit_of("pH")
    (' mg/L', '')
    """
    return f" {UNITS[parameter]}" if UNITS[parameter] else ""
