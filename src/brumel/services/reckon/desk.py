"""What the Reckon screen shows for what is typed so far: an answer, or what is still needed, or what is wrong."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from brumel.core.calculation import REQUIRED, Calculation, InvalidInputs
from brumel.core.reckoning import Answer, calculate
from brumel.services.reckon.pictures import Picture, picture_of
from brumel.services.reckon.units import typed_inputs


@dataclass(frozen=True)
class Worked:
    """The state of a calculation at the desk."""

    calculation: Calculation
    answer: Answer | None
    picture: Picture | None
    missing: tuple[str, ...]
    """Labels of what is not typed yet."""
    errors: dict[str, str]
    """For each input, what is wrong with it."""


def work(chosen: Calculation, typed: Mapping[str, Any]) -> Worked:
    """Work what is typed; empty fields are not errors, only not there yet."""
    missing = tuple(i.label for i in chosen.inputs if i.default is REQUIRED and i.name not in typed)
    try:
        inputs = typed_inputs(chosen, typed)
        answer = calculate(chosen.name, inputs)
    except InvalidInputs as wrong:
        errors = {k: v for k, v in wrong.fields.items() if k in typed or k.removesuffix("_u") in typed or not missing}
        return Worked(chosen, None, None, missing, errors)
    return Worked(chosen, answer, picture_of(answer, inputs), (), {})
