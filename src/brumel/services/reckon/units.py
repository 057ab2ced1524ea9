"""Numbers as people type them, with a unit of their own, into the units of the registry."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from functools import cache
from typing import Any

from brumel.core.calculation import Calculation, Choice, Input, InvalidInputs, Moment, Number, Points
from brumel.core.wording import number_typed

UNITS: dict[str, dict[str, str]] = {
    "°C": {"°C": "degC", "°F": "degF", "K": "kelvin", "degC": "degC", "degF": "degF", "C": "degC", "F": "degF"},
    "hPa": {
        "hPa": "hPa",
        "mbar": "mbar",
        "kPa": "kPa",
        "mmHg": "mmHg",
        "inHg": "inHg",
        "atm": "atm",
        "psi": "psi",
        "Pa": "Pa",
        "bar": "bar",
        "torr": "torr",
    },
    "dbar": {"dbar": "dbar", "bar": "bar", "kPa": "kPa", "psi": "psi"},
    "µS/cm": {"µS/cm": "uS/cm", "mS/cm": "mS/cm", "dS/m": "dS/m", "mS/m": "mS/m", "S/m": "S/m", "uS/cm": "uS/cm"},
    "mS/cm": {"mS/cm": "mS/cm", "µS/cm": "uS/cm", "dS/m": "dS/m", "S/m": "S/m", "uS/cm": "uS/cm"},
    "mg/L": {
        "mg/L": "mg/L",
        "µg/L": "ug/L",
        "g/L": "g/L",
        "g/m³": "g/m**3",
        "ug/L": "ug/L",
        "g/m3": "g/m**3",
        "mg/l": "mg/L",
        "ppm": "mg/L",
    },
    "mV": {"mV": "mV", "V": "V"},
    "m": {"m": "m", "ft": "ft", "km": "km"},
    "mol/L": {"mol/L": "mol/L", "mmol/L": "mmol/L"},
    "1/cm": {"1/cm": "1/cm", "1/m": "1/m"},
    "%": {"%": "percent"},
}
"""For each unit of the registry, what may be typed instead, and its name in the unit library."""

_SUFFIXES = {
    "°C": ("_c",),
    "hPa": ("_hpa",),
    "dbar": ("_dbar",),
    "µS/cm": ("_us_cm",),
    "mS/cm": ("_ms_cm",),
    "mg/L": ("_mg_l_caco3", "_mg_l"),
    "m": ("_m",),
    "1/cm": ("_per_cm",),
    "%/°C": ("_percent_per_c",),
    "%": ("_percent",),
}
_NUMBER = re.compile(r"\s*([+\-−]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?)\s*(.*?)\s*$", re.DOTALL)


def stem(i: Input) -> str:
    """An input's name without its unit: ``temperature`` for ``temperature_c``."""
    if isinstance(i, Number):
        for suffix in _SUFFIXES.get(i.unit, ()):
            if i.name.endswith(suffix):
                return i.name.removesuffix(suffix)
    return i.name


def units_of(i: Input) -> list[str]:
    """The units that an input may be typed in, its own first; one way of writing each."""
    if not isinstance(i, Number) or not i.unit:
        return []
    seen: dict[str, str] = {}
    for typed, known in UNITS.get(i.unit, {i.unit: ""}).items():
        seen.setdefault(known, typed)
    return list(seen.values())


def typed_inputs(chosen: Calculation, given: Mapping[str, Any]) -> dict[str, Any]:
    """Inputs as typed, into the names and units of the registry.

    Text that is a number becomes one; a number with a unit is converted; ``temperature=66degF`` may stand
    for ``temperature_c``. What is no text is passed on as it is.

    Raises
    ------
    InvalidInputs
        For a unit of something else, or a name without its unit that has none typed either.
    """
    by_name = {i.name: i for i in chosen.all_inputs}
    by_stem = {stem(i): i for i in chosen.all_inputs}
    found: dict[str, Any] = {}
    wrong: dict[str, str] = {}
    for key, value in given.items():
        name = key.removesuffix("_u")
        spread = "_u" if key != name and name in by_name | by_stem else ""
        i = by_name.get(key) or by_name.get(name if spread else key) or by_stem.get(name if spread else key)
        if i is None:
            found[key] = value
            continue
        try:
            if i.name not in (key, name) and not (isinstance(value, str) and _NUMBER.match(value) and _unit(value)):
                raise ValueError(
                    f"{key} needs a unit ({', '.join(units_of(i))}); or write {i.name}=… in {_unit_of(i)}."
                )
            found[i.name + spread] = _value(i, value, spread=bool(spread))
        except ValueError as error:
            wrong[key] = str(error)
    if wrong:
        raise InvalidInputs(wrong)
    return found


def in_unit(i: Number, value: float, unit: str, *, spread: bool = False) -> float:
    """A value of an input in a typed unit, into the input's own; ``spread`` says that it is an uncertainty.

    Raises
    ------
    ValueError
        For a unit of something else, with those that fit.
    """
    known = UNITS.get(i.unit, {i.unit: i.unit} if i.unit else {})
    unit = unit.replace("μ", "µ")
    if unit not in known:
        fitting = f"it takes {', '.join(units_of(i))}" if known else "it has no unit"
        raise ValueError(f"{i.name} can't be in {unit!r}: {fitting}.")
    if known[unit] == known[i.unit]:
        return value
    source, target = known[unit], known[i.unit]
    if spread:  # a difference: 0.2 °F is 0.11 °C, not −17.7
        source, target = (f"delta_{u}" if u.startswith("deg") else u for u in (source, target))
    return float(_registry().Quantity(value, source).to(target).magnitude)


def from_unit(i: Number, value: float, unit: str) -> float:
    """A value in the input's own unit, into another that it may be typed in."""
    known = UNITS[i.unit]
    return float(_registry().Quantity(value, known[i.unit]).to(known[unit]).magnitude)


def _value(i: Input, value: Any, *, spread: bool) -> Any:
    if not isinstance(value, str) or isinstance(i, Choice | Moment):
        return value
    if isinstance(i, Points):
        try:
            return json.loads(value)
        except json.JSONDecodeError as error:
            raise ValueError(f"{i.name} must be {i.range_words}, as JSON: {error}.") from None
    if not value.strip():
        return None
    match = _NUMBER.match(value)
    if match is None:
        return value
    number = number_typed(match[1])
    return number if not match[2] else in_unit(i, number, match[2], spread=spread)


def _unit(text: str) -> str:
    match = _NUMBER.match(text)
    return match[2] if match else ""


def _unit_of(i: Input) -> str:
    return i.unit if isinstance(i, Number) else ""


@cache
def _registry() -> Any:
    import pint  # imported late: only where a unit was typed, for it costs half a second

    return pint.UnitRegistry(autoconvert_offset_to_baseunit=False)
