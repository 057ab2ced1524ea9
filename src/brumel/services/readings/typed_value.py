"""A value as it is typed at the water: with a unit of its own, below or above what could be seen."""

from __future__ import annotations

from dataclasses import dataclass

from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.reckoning.definition import Number
from brumel.core.typed import number_and_rest
from brumel.core.wording import upper_first
from brumel.services.errors import InvalidInput, check_value
from brumel.services.units import number_in, units_of

_SIDES = "<>"


@dataclass(frozen=True)
class TypedValue:
    """A value in the quantity's unit; ``typed_as`` where another unit was typed."""

    value: float
    qualifier: str = ""
    typed_as: str = ""


def units_for(about: Quantity) -> list[str]:
    """Return the units that a quantity may be typed in, the one that it is kept in first."""
    return [*(units_of(_input(about)) or ([""] if about.also else [])), *about.also]


def read_value(about: Quantity, text: str, unit: str = "", name: str = "") -> TypedValue:
    """Return what was typed of a quantity: ``7.4``, ``66 F``, ``<0.02``; ``unit`` where the text has none.

    Raises
    ------
    InvalidInput
        In the field ``name``, else the quantity's key: no number, a unit of something else, a value that can't be.

    Examples
    --------
    >>> from brumel.core.quantities.quantity import quantity
    >>> read_value(quantity("temperature"), "66.2 F")
    TypedValue(value=19.0, qualifier='', typed_as='66.2 F')
    >>> read_value(quantity("free-chlorine"), "<0.02")
    TypedValue(value=0.02, qualifier='<', typed_as='')
    """
    name = name or about.key
    bare = text.strip()
    qualifier = bare[0] if bare[:1] in _SIDES and bare else ""
    bare = bare.removeprefix(qualifier).strip()
    try:
        value = _in_its_unit(about, bare, unit)
    except ValueError as error:
        raise InvalidInput({name: str(error)}) from None
    wrong: dict[str, str] = {}
    check_value(wrong, name, value, about)
    if wrong:
        raise InvalidInput(wrong)
    own = f"{bare} {unit}".strip() if unit and unit != about.unit and not _has_unit(bare) else bare
    return TypedValue(value, qualifier, own if own != bare or _has_unit(bare) else "")


def _in_its_unit(about: Quantity, text: str, unit: str) -> float:
    parts = number_and_rest(text)
    typed = (parts[1] if parts else "") or unit
    factor = about.also.get(typed)
    if typed in about.elsewhere:
        other = quantity(about.elsewhere[typed]).name
        raise ValueError(f"{upper_first(about.name)} is not in {typed}: choose {other}, which is.")
    if parts is None or factor is None:
        return number_in(_input(about), text, unit)
    # What is a hundredth of a degree stays one: a conversion is kept to the digits that count.
    return float(f"{number_in(_bare(about), parts[0]) * factor:.12g}")


def _bare(about: Quantity) -> Number:
    return Number(about.name, about.name, "", *about.typed)


def _input(about: Quantity) -> Number:
    return Number(about.name, about.name, about.unit, *about.typed)


def _has_unit(text: str) -> bool:
    return text[-1:].isalpha() or text.endswith(("%", "°"))
