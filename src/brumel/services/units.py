"""Numbers as people type them, with a unit of their own, into the units of the registry."""

from __future__ import annotations

import math
import unicodedata
from collections.abc import Mapping
from functools import cache
from typing import Any

from brumel.core.outside_data import UnreadableText, read_json
from brumel.core.reckoning.definition import Calculation, Choice, Input, InvalidInputs, Moment, Number, Points
from brumel.core.typed import NotANumber, number_and_rest, number_typed

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
    "mS/cm": {
        "mS/cm": "mS/cm",
        "µS/cm": "uS/cm",
        "dS/m": "dS/m",
        "mS/m": "mS/m",
        "S/m": "S/m",
        "uS/cm": "uS/cm",
    },
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
    "m": {"m": "m", "ft": "ft", "km": "km", "feet": "ft", "foot": "ft"},
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
_DIGITS_KEPT = 12
"""A conversion is kept to so many digits of what was typed: 104 °F is 40 °C, not 40.00000000000006."""


def stem(i: Input) -> str:
    """Return an input's name without its unit: ``temperature`` for ``temperature_c``."""
    if isinstance(i, Number):
        for suffix in _SUFFIXES.get(i.unit, ()):
            if i.name.endswith(suffix):
                return i.name.removesuffix(suffix)
    return i.name


def units_of(i: Input) -> list[str]:
    """Return the units that an input may be typed in, its own first; one way of writing each."""
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
    by_name = {i.name: i for i in chosen.accepted}
    by_stem = {stem(i): i for i in chosen.accepted}
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
            if i.name not in (key, name) and not (isinstance(value, str) and _unit(value)):
                raise ValueError(
                    f"{key} needs a unit ({', '.join(units_of(i))}); or write {i.name}=… in {_unit_of(i)}."
                )
            if i.name + spread in found:
                raise ValueError(f"{i.name + spread} is given twice: give it once.")
            found[i.name + spread] = _value(i, value, spread=bool(spread))
        except ValueError as error:
            wrong[key] = str(error)
    if wrong:
        raise InvalidInputs(wrong)
    return found


def in_unit(i: Number, value: float, unit: str, *, spread: bool = False) -> float:
    """Return a value of an input in a typed unit, into the input's own; ``spread`` says that it is an uncertainty.

    Raises
    ------
    ValueError
        For a unit of something else, with those that fit.
    """
    known = _known(i)
    written = _written(unit)
    if written not in known:
        fitting = f"it takes {', '.join(units_of(i))}" if known else "it has no unit"
        raise ValueError(f"{i.name} can't be in {unit!r}: {fitting}.")
    source, target = known[written], known[_written(i.unit)]
    if source == target:
        return value
    if spread:  # a difference: 0.2 °F is 0.11 °C, not −17.7
        source, target = (f"delta_{u}" if u.startswith("deg") else u for u in (source, target))
    converted = float(_registry().Quantity(value, source).to(target).magnitude)
    largest = max(abs(value), abs(converted))
    return converted if largest == 0 else round(converted, _DIGITS_KEPT - 1 - math.floor(math.log10(largest)))


def linear_factor(unit: str, kept: str) -> float | None:
    """By what a value in a unit is multiplied to be in the unit that it is kept in; None where that does not do.

    Examples
    --------
    >>> linear_factor("mS/cm", "µS/cm"), linear_factor("°F", "°C")
    (1000.0, None)
    """
    known = _units_written(kept)
    if unit == kept:
        return 1.0
    if (source := known.get(_written(unit), "")).startswith("deg") or not source:
        return None
    return round(float(_registry().Quantity(1.0, source).to(known[_written(kept)]).magnitude), _DIGITS_KEPT)


def takes_unit(i: Input, unit: str) -> bool:
    """Say whether an input may be typed in this unit."""
    return isinstance(i, Number) and _written(unit) in _known(i)


def number_in(i: Number, text: str, unit: str = "", *, spread: bool = False) -> float:
    """Return a number as typed, in its own unit or else in ``unit``, into the unit of the input.

    Raises
    ------
    ValueError
        Where it is no number, can be read in two ways, or carries a unit of something else.
    """
    parts = number_and_rest(text)
    if parts is None:
        raise NotANumber(f"{i.name} must be {i.range_words}; {text.strip()!r} is not a number.")
    try:
        number = number_typed(parts[0])
    except NotANumber as error:
        raise NotANumber(f"{i.name}: {error}") from None
    unit = parts[1] or unit
    return number if not unit else in_unit(i, number, unit, spread=spread)


def _written(unit: str) -> str:
    """Return one way of writing a unit: ℃ is °C, mm Hg is mmHg."""
    return "".join(unicodedata.normalize("NFKC", unit).replace("μ", "µ").split()).replace("⁻", "-")


@cache
def _units_written(unit: str) -> dict[str, str]:
    return {_written(typed): known for typed, known in UNITS.get(unit, {unit: unit}).items()}


def _known(i: Number) -> dict[str, str]:
    return _units_written(i.unit) if i.unit else {}


def _value(i: Input, value: Any, *, spread: bool) -> Any:
    if isinstance(i, Points) and isinstance(value, list):
        return [_point(i, number, point) for number, point in enumerate(value, 1)]
    if not isinstance(value, str) or isinstance(i, Choice | Moment):
        return value
    if isinstance(i, Points):
        try:
            return _value(i, read_json(value, i.name), spread=spread)
        except UnreadableText as error:
            raise ValueError(f"{error} It must be {i.range_words}.") from None
    if not value.strip():
        return None
    return number_in(i, value, spread=spread)


def _point(i: Points, number: int, point: Any) -> Any:
    """Return a point of a list, its numbers read as they were typed."""
    if not isinstance(point, dict):
        return point
    fields = {f.name: f for f in i.fields}
    found = dict(point)
    for name, value in point.items():
        if isinstance(value, str) and name in fields:
            try:
                found[name] = number_in(fields[name], value)
            except ValueError as error:
                raise ValueError(f"Point {number}: {error}") from None
    return found


def _unit(text: str) -> str:
    parts = number_and_rest(text)
    return parts[1] if parts else ""


def _unit_of(i: Input) -> str:
    return i.unit if isinstance(i, Number) else ""


@cache
def _registry() -> Any:
    import pint  # imported late: only where a unit was typed, for it costs half a second

    return pint.UnitRegistry(autoconvert_offset_to_baseunit=False)
