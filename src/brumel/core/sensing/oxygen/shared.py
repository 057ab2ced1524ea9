"""What probes of dissolved oxygen share: they answer to its partial pressure, and mean percent of local saturation."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping
from typing import Any, ClassVar

import numpy as np

from brumel.core.arrays import Array, Number
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA, saturation_mg_l, vapour_pressure_hpa
from brumel.core.sensing.principle import Coefficient, Principle
from brumel.core.uncertainty import Contribution
from brumel.core.wording import signed, taken_off

SHOWN_AS: Mapping[str, str] = {
    "percent": "% of saturation here",
    "percent-standard": "% of saturation at 1013.25 hPa",
    "mg-l": "mg/L",
}
"""In what a meter may show oxygen, by key."""
WITHOUT_PERCENT = 5.0
"""A standard below this has no oxygen to speak of: only then does a point tell the zero (rule of this product)."""
_LABEL_C = 25.0
_DRY_HPA = ATMOSPHERE_HPA - float(vapour_pressure_hpa(_LABEL_C))


class Oxygen(Principle):
    """Partial pressure counts as a share of that in saturated air at 25 °C and 1013.25 hPa."""

    quantity = "oxygen-saturation"
    signal_signed = False
    value_term = 1
    drawn = (0.0, 110.0)
    picture = "saturation"
    usual_name = "new probe"
    needs_pressure = True
    needs_salinity = True
    meter_asks = "oxygen"
    meter_shows: ClassVar[Mapping[str, Mapping[str, Any]]] = {
        "oxygen": {"shown_as": "mg-l"},
        "oxygen-saturation": {"shown_as": "percent"},
        "oxygen-saturation-standard": {"shown_as": "percent-standard"},
    }
    drift_percent_per_day: ClassVar[float]

    def tells(self, values: Array, at: Conditions, about: Coefficient) -> bool:
        """The zero is told without oxygen, the gain with it."""
        without = values < WITHOUT_PERCENT
        return bool(without.any() if about.key == "zero" else not without.all())

    def warmed_by(self, values: Array) -> Array:
        """Points with oxygen, where there are any: sulfite that is warmer than the air says nothing of the gain."""
        found = np.asarray(values >= WITHOUT_PERCENT, dtype=float)
        return found if found.any() else np.ones(values.shape)

    def term_per_value(self, value: Number, at: Conditions) -> Number:
        """The value's term for each percent, at a temperature and a station pressure."""
        del value
        return self.warmth(at) * (np.asarray(at.pressure_hpa) - vapour_pressure_hpa(at.temperature_c)) / _DRY_HPA / 100

    def value_of_term(self, x: Number, at: Conditions) -> Number:
        """Percent of saturation at the station pressure."""
        return np.asarray(x) / self.term_per_value(1.0, at)

    def shown_so(self, key: str) -> Mapping[str, Any] | None:
        """Each of its quantities says which unit the meter shows."""
        return self.meter_shows.get(key)

    @abstractmethod
    def warmth(self, at: Conditions) -> Array:
        """How much more its signal answers to oxygen than at 25 °C."""

    def of_pressure(self, value: Number, at: Conditions) -> Contribution:
        """The barometer's share."""
        dry = np.asarray(at.pressure_hpa) - vapour_pressure_hpa(at.temperature_c)
        return Contribution("station-pressure", at.u_pressure_hpa, "hPa", -np.asarray(value) / dry)

    def shown_quantity(self, did: Mapping[str, Any]) -> str:
        """mg/L, or percent."""
        return "oxygen" if did.get("shown_as") == "mg-l" else self.quantity

    def undone(self, shown: float, did: Mapping[str, Any], at: Conditions) -> tuple[float, list[str]]:
        """Percent of local saturation; ``shown_as`` by key, the ``salinity`` and ``pressure_hpa`` set in the meter."""
        way, t, p = did.get("shown_as", "percent"), float(at.temperature_c), float(at.pressure_hpa)
        if way == "percent":
            return shown, []
        set_hpa = did.get("pressure_hpa")
        wrong = 1.0 if set_hpa is None else float(saturation_mg_l(t, p) / saturation_mg_l(t, set_hpa))
        words = [] if set_hpa is None else [_pressure_words(shown, shown * wrong, set_hpa, p)]
        here, shown = float(saturation_mg_l(t, p)), shown * wrong
        if way == "percent-standard":
            there = float(saturation_mg_l(t, ATMOSPHERE_HPA))
            value = shown * there / here
            words.append(f"{shown:.1f} % of saturation at 1013.25 hPa is {value:.1f} % of that at {p:.1f} hPa")
            return value, words
        salinity = float(did.get("salinity", 0.0))
        full = float(saturation_mg_l(t, p, salinity))
        value = 100.0 * shown / full
        salt = f", as the meter was set to salinity {salinity:g}" if salinity else ""
        words.append(
            f"{shown:.2f} mg/L of {full:.2f} mg/L at {signed(t)} °C, {p:.1f} hPa{salt}: {value:.1f} % of saturation"
        )
        return value, words

    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[str]:
        """From the signal to percent of local saturation."""
        t, p = float(at.temperature_c), float(at.pressure_hpa)
        dry = p - float(vapour_pressure_hpa(t))
        zero, gain = (coefficients[c.key] for c in self.coefficients)
        full = gain * float(self.term_per_value(1.0, at)) * 100.0
        base = zero * float(np.asarray(self.terms(0.0, at)[0]))
        return [
            f"Saturated air at {signed(t)} °C and {p:.1f} hPa ({dry:.1f} hPa of it dry) gives {base + full:.1f} "
            f"{self.signal_unit}, water without oxygen {base:.1f}",
            f"({signed(signal)} − {taken_off(base)}) / {full:.1f} = {value:.1f} % of saturation",
        ]


def _pressure_words(shown: float, value: float, set_hpa: float, here_hpa: float) -> str:
    return (
        f"The meter was calibrated with {set_hpa:g} hPa set; at the station's {here_hpa:.1f} hPa "
        f"{shown:.2f} becomes {value:.2f}"
    )
