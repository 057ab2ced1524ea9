"""What is typed of a meter's display: what the meter may have done to it, and the signal behind it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from brumel.core.reading.water import BY_METERS, wrong_with
from brumel.core.sensing.principle import Conditions, Principle

_ABOUT = 1.6
"""Within this factor of a thousandth a unit is asked for."""


def wrong_of_meter(own: Principle, did: Mapping[str, Any]) -> dict[str, str]:
    """What can't be of a meter's compensation as typed, by field."""
    if own.meter_asks != "compensation":
        return {}
    return {f"meter_{name}": words for name, words in wrong_with(did or {"method": "none"}, BY_METERS).items()}


def asked_thousandth(own: Principle, shown: float, likely: tuple[float, float]) -> str:
    """A question where a typed value is a thousandth of what is likely, mS/cm typed as µS/cm; else nothing."""
    low, high = likely
    if own.display_unit != "µS/cm" or shown <= 0 or not low / _ABOUT <= shown * 1000.0 <= high * _ABOUT:
        return ""
    return f"{shown:g} µS/cm is a thousandth of what is likely here: was mS/cm meant? Type {shown * 1000:g}."


def signal_behind(
    own: Principle, shown: float, did: Mapping[str, Any], temperature_c: float, settings: Mapping[str, float]
) -> float:
    """The signal behind a displayed value, by what the meter did to it and what is set in it."""
    displayed, _ = own.undone(shown, did, Conditions(temperature_c))
    return own.from_display(displayed, settings)
