"""What is typed of a meter's display: what the meter may have done to it, and the signal behind it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from brumel.core.place.conditions import Conditions
from brumel.core.place.station_pressure import STATION_HPA
from brumel.core.place.surroundings import SALINITY
from brumel.core.place.water import BY_METERS, wrong_with
from brumel.core.sensing.oxygen.shared import SHOWN_AS
from brumel.core.sensing.principle import Principle
from brumel.core.standards.buffers import FAMILIES
from brumel.services.errors import check_number

_ABOUT = 1.6
"""Within this factor of a thousandth a unit is asked for."""


def wrong_of_meter(own: Principle, did: Mapping[str, Any]) -> dict[str, str]:
    """Return what can't be of a meter's compensation as typed, by field."""
    wrong = _ASKED[own.meter_asks](did) if own.meter_asks in _ASKED else {}
    return {f"meter_{name}": words for name, words in wrong.items()}


def _compensation(did: Mapping[str, Any]) -> dict[str, str]:
    return wrong_with(did or {"method": "none"}, BY_METERS)


def _oxygen(did: Mapping[str, Any]) -> dict[str, str]:
    wrong: dict[str, str] = {}
    if did.get("shown_as", "percent") not in SHOWN_AS:
        wrong["shown_as"] = f"Choose one of: {', '.join(SHOWN_AS.values())}."
    if did.get("salinity") is not None:
        check_number(wrong, "salinity", did["salinity"], SALINITY, "", "salinity")
    if did.get("pressure_hpa") is not None:
        check_number(wrong, "pressure_hpa", did["pressure_hpa"], STATION_HPA, "hPa", "pressure")
    return wrong


_ASKED: Mapping[str, Callable[[Mapping[str, Any]], dict[str, str]]] = {"compensation": _compensation, "oxygen": _oxygen}
"""What can't be, by what is asked of a meter."""


ITSELF = "itself"
"""Under this key stands what a meter does whatever it shows."""
BESIDES = ("shown_as", "buffers", "auto_off_min")
"""What a reading keeps of its meter that is no arithmetic, or no setting of it."""
_AUTO_OFF_MIN = (1.0, 1440.0)


def _buffers(did: Mapping[str, Any]) -> dict[str, str]:
    known = did.get("buffers") in FAMILIES
    return {} if known else {"buffers": f"Choose one of: {', '.join(FAMILIES.values())}."}


def _itself(did: Mapping[str, Any]) -> dict[str, str]:
    wrong: dict[str, str] = {}
    check_number(
        wrong, "auto_off_min", did.get("auto_off_min"), _AUTO_OFF_MIN, "min", "time until it switches itself off"
    )
    return wrong


_DOES: Mapping[str, Callable[[Mapping[str, Any]], dict[str, str]]] = {
    "specific-conductance": _compensation,
    "oxygen": _oxygen,
    "ph": _buffers,
    ITSELF: _itself,
}
"""What is known once of a meter, by the quantity that it shows."""


def wrong_does(does: Mapping[str, Mapping[str, Any]]) -> dict[str, str]:
    """Return what can't be of what a meter is said to do, by field."""
    wrong: dict[str, str] = {}
    for key, did in does.items():
        if key not in _DOES:
            wrong["does"] = f"Known are {', '.join(_DOES)}."
            continue
        wrong |= {f"meter_{name}": words for name, words in _DOES[key](did).items()}
    return wrong


def said_once(does: Mapping[str, Mapping[str, Any]], key: str, own: Principle) -> dict[str, Any]:
    """Return what a meter's page says of a shown value and no form asks again."""
    of_value = {} if own.meter_asks in _ASKED else does.get(key, {})
    return {**of_value, **does.get(ITSELF, {})}


def meter_words(did: Mapping[str, Any]) -> str:
    """Return what a meter had done to a shown value, in words; empty where nothing."""
    return ", ".join(filter(None, (_arithmetic(did), *_besides(did))))


def _besides(did: Mapping[str, Any]) -> Iterator[str]:
    if "buffers" in did:
        yield f"its meter is calibrated with buffers of the family {FAMILIES[did['buffers']]}"
    if "auto_off_min" in did:
        yield f"it switches itself off after {did['auto_off_min']:g} min"


def _arithmetic(did: Mapping[str, Any]) -> str:
    if "shown_as" in did:
        salinity = f", salinity {did['salinity']:g} set in it" if did.get("salinity") is not None else ""
        pressure = f", calibrated with {did['pressure_hpa']:g} hPa" if did.get("pressure_hpa") is not None else ""
        return f"its meter showed {SHOWN_AS[did['shown_as']]}{salinity}{pressure}"
    if "method" in did:
        coefficient = f", {did['coefficient']} %/°C" if did.get("coefficient") else ""
        return f"its meter compensated {BY_METERS[did['method']]}{coefficient} to {did['reference_c']:.0f} °C"
    return ""


def asked_thousandth(own: Principle, shown: float, likely: tuple[float, float]) -> str:
    """Return a question where a typed value is a thousandth of what is likely, mS/cm typed as µS/cm; else nothing."""
    low, high = likely
    if own.display_unit != "µS/cm" or shown <= 0 or not low / _ABOUT <= shown * 1000.0 <= high * _ABOUT:
        return ""
    return f"{shown:g} µS/cm is a thousandth of what is likely here: was mS/cm meant? Type {shown * 1000:g}."


def signal_behind(
    own: Principle, shown: float, did: Mapping[str, Any], at: Conditions, settings: Mapping[str, float]
) -> float:
    """Return the signal behind a displayed value, by what the meter did to it and what is set in it."""
    displayed, _ = own.undone(shown, did, at) if own.display_name else (shown, [])
    return own.from_display(displayed, settings)
