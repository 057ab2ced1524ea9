"""What a service refuses, in words for the technician."""

from __future__ import annotations

import math

from brumel.core.quantities.quantity import Quantity


class ServiceError(Exception):
    """Base of every refusal of a service."""


class NotFound(ServiceError):
    """There is no such record."""


class Forbidden(ServiceError):
    """The person's role does not allow it."""


class InvalidInput(ServiceError):
    """Input can't be taken: ``fields`` maps each bad field to its sentence, all at once."""

    def __init__(self, fields: dict[str, str]) -> None:
        super().__init__(" ".join(fields.values()))
        self.fields = fields


def check_number(wrong: dict[str, str], name: str, value: float | None, bounds: tuple[float, float], unit: str) -> None:
    """Put a sentence into ``wrong`` where a typed value is missing or outside its bounds."""
    low, high = bounds
    if value is None:
        wrong.setdefault(name, f"A number in {unit} is needed.")
    elif not (math.isfinite(value) and low <= value <= high):
        wrong[name] = f"{value:g} {unit} can't be: from {low:g} to {high:g} {unit}.".replace("-", "−")


def check_value(wrong: dict[str, str], name: str, value: float | None, about: Quantity) -> None:
    """The same for a value of a quantity: within what may be typed of it."""
    check_number(wrong, name, value, about.typed, about.stated_in)
