"""What a service refuses, in words for the technician."""

from __future__ import annotations

import math

from brumel.core.quantities.quantity import Quantity
from brumel.core.wording import from_to, grouped, upper_first


class ServiceError(Exception):
    """Base of every refusal of a service."""


class NotFound(ServiceError):
    """There is no such record."""


class CantBeShown(ServiceError):
    """A record stands, but of something that is not known here."""


class Forbidden(ServiceError):
    """The person's role does not allow it."""


class InvalidInput(ServiceError):
    """Input can't be taken: ``fields`` maps each bad field to its sentence, all at once."""

    def __init__(self, fields: dict[str, str]) -> None:
        super().__init__(" ".join(fields.values()))
        self.fields = fields


def check_number(
    wrong: dict[str, str], name: str, value: float | None, bounds: tuple[float, float], unit: str, what: str
) -> None:
    """Put a sentence into ``wrong`` where a typed value is missing or outside its bounds; ``what`` it is, in words."""
    low, high = bounds
    after = f" {unit}" if unit and unit != what else ""
    if value is None:
        wrong.setdefault(name, f"{upper_first(what)} is missing" + (f": type it in {unit}." if after else "."))
    elif not (math.isfinite(value) and low <= value <= high):
        wrong[name] = f"{upper_first(what)} must be {from_to(low, high)}{after}; {grouped(value)} was typed."


def check_value(wrong: dict[str, str], name: str, value: float | None, about: Quantity) -> None:
    """The same for a value of a quantity: within what may be typed of it."""
    check_number(wrong, name, value, about.typed, about.stated_in, about.name)
