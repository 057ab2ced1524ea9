"""What the Reckon screen shows for what is typed so far: an answer, or what is still needed, or what is wrong."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from brumel.core.reckoning.answers import Answer, calculate
from brumel.core.reckoning.definition import REQUIRED, Calculation, Input, InvalidInputs, Number
from brumel.services.reckon.pictures import CurvePicture, picture_of
from brumel.services.units import typed_inputs


@dataclass(frozen=True)
class WorkedAnswer:
    """The state of a calculation at the desk."""

    calculation: Calculation
    answer: Answer | None
    picture: CurvePicture | None
    missing: tuple[str, ...]
    """Labels of what is not typed yet."""
    errors: dict[str, str]
    """For each input, what is wrong with it."""
    questions: tuple[str, ...] = ()
    """What is asked about an answer that is given all the same."""


def work(chosen: Calculation, typed: Mapping[str, Any]) -> WorkedAnswer:
    """Work what is typed; empty fields are not errors, only not there yet. A default that matters is asked for."""
    missing = tuple(_asked_label(i) for i in chosen.inputs if _is_missing(i, typed))
    try:
        inputs = typed_inputs(chosen, typed)
        answer = calculate(chosen.name, inputs)
    except InvalidInputs as wrong:
        errors = {k: v for k, v in wrong.fields.items() if k in typed or k.removesuffix("_u") in typed or not missing}
        return WorkedAnswer(chosen, None, None, missing, errors)
    if missing:
        return WorkedAnswer(chosen, None, None, missing, {})
    return WorkedAnswer(chosen, answer, picture_of(answer, inputs), (), {}, tuple(answer.warnings))


def _is_missing(i: Input, typed: Mapping[str, Any]) -> bool:
    if i.name in typed:
        return False
    if not isinstance(i, Number) or not i.assumed:
        return i.default is REQUIRED
    return i.instead is None or i.instead.number.name not in typed


def _asked_label(i: Input) -> str:
    instead = i.instead if isinstance(i, Number) else None
    return f"{i.label} or {instead.number.label.lower()}" if instead else i.label
