"""What probes of dissolved oxygen share: they answer to its partial pressure, and mean percent of local saturation."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping
from typing import Any, ClassVar

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA, saturation_mg_l, vapour_pressure_hpa
from brumel.core.said import Amount, Said, Value, celsius, says
from brumel.core.sensing.principle import Coefficient, Principle
from brumel.core.uncertainty import Contribution

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
        """Say whether these tell it: the zero without oxygen, the gain with it."""
        without = values < WITHOUT_PERCENT
        return bool(without.any() if about.key == "zero" else not without.all())

    def warmed_by(self, values: Array) -> Array:
        """Points with oxygen, where there are any: sulfite that is warmer than the air says nothing of the gain."""
        found = np.asarray(values >= WITHOUT_PERCENT, dtype=float)
        return found if found.any() else np.ones(values.shape)

    def term_per_value(self, value: Number, at: Conditions) -> Number:
        """Return the value's term for each percent, at a temperature and a station pressure."""
        del value
        return self.warmth(at) * (np.asarray(at.pressure_hpa) - vapour_pressure_hpa(at.temperature_c)) / _DRY_HPA / 100

    def value_of_term(self, x: Number, at: Conditions) -> Number:
        """Return percent of saturation at the station pressure."""
        return np.asarray(x) / self.term_per_value(1.0, at)

    def shown_so(self, key: str) -> Mapping[str, Any] | None:
        """Return the quantity whose unit the meter shows."""
        return self.meter_shows.get(key)

    @abstractmethod
    def warmth(self, at: Conditions) -> Array:
        """Say how much more its signal answers to oxygen than at 25 °C."""

    def of_pressure(self, value: Number, at: Conditions) -> Contribution:
        """Return the barometer's share."""
        dry = np.asarray(at.pressure_hpa) - vapour_pressure_hpa(at.temperature_c)
        return Contribution("station-pressure", at.u_pressure_hpa, "hPa", -np.asarray(value) / dry)

    def shown_quantity(self, did: Mapping[str, Any]) -> str:
        """mg/L, or percent."""
        return "oxygen" if did.get("shown_as") == "mg-l" else self.quantity

    def undone(self, shown: float, did: Mapping[str, Any], at: Conditions) -> tuple[float, list[Value]]:
        """Percent of local saturation; ``shown_as`` by key, the ``salinity`` and ``pressure_hpa`` set in the meter."""
        way, t, p = did.get("shown_as", "percent"), float(at.temperature_c), float(at.pressure_hpa)
        if way == "percent":
            return shown, []
        set_hpa = did.get("pressure_hpa")
        wrong = 1.0 if set_hpa is None else float(saturation_mg_l(t, p) / saturation_mg_l(t, set_hpa))
        words: list[Value] = [] if set_hpa is None else [_pressure_words(shown, shown * wrong, set_hpa, p)]
        here, shown = float(saturation_mg_l(t, p)), shown * wrong
        if way == "percent-standard":
            there = float(saturation_mg_l(t, ATMOSPHERE_HPA))
            value = shown * there / here
            of_here, of_there = Amount(value, "%", 1), Amount(shown, "%", 1)
            words.append(says("working.oxygen-sea-level", shown=of_there, value=of_here, here=Amount(p, "hPa", 1)))
            return value, words
        salinity = float(did.get("salinity", 0.0))
        full = float(saturation_mg_l(t, p, salinity))
        value = 100.0 * shown / full
        salt = says("working.oxygen-shown.salt", salinity=Amount(salinity)) if salinity else None
        words += [
            says(
                "working.oxygen-shown", shown=Amount(shown, "mg/L", 2), full=Amount(full, "mg/L", 2), at=celsius(t),
                pressure=Amount(p, "hPa", 1), salt=salt, value=Amount(value, "%", 1),
            )
        ]  # fmt: skip
        return value, words

    def working(self, signal: float, value: float, at: Conditions, coefficients: dict[str, float]) -> list[Value]:
        """From the signal to percent of local saturation."""
        t, p = float(at.temperature_c), float(at.pressure_hpa)
        dry = p - float(vapour_pressure_hpa(t))
        zero, gain = (coefficients[c.key] for c in self.coefficients)
        full = gain * float(self.term_per_value(1.0, at)) * 100.0
        base = zero * float(np.asarray(self.terms(0.0, at)[0]))
        unit, none = self.signal_unit, Amount(base, "", 1)
        return [
            says(
                "working.oxygen-span", at=celsius(t), pressure=Amount(p, "hPa", 1), dry=Amount(dry, "hPa", 1),
                full=Amount(base + full, unit, 1), none=none,
            ),
            says(
                "working.oxygen-share", signal=Amount(signal, "", 1), none=none, span=Amount(full, "", 1),
                value=Amount(float(value), "%", 1),
            ),
        ]  # fmt: skip


def _pressure_words(shown: float, value: float, set_hpa: float, here_hpa: float) -> Said:
    return says(
        "working.oxygen-pressure", set=Amount(set_hpa, "hPa"), here=Amount(here_hpa, "hPa", 1),
        shown=Amount(shown, "", 2), value=Amount(value, "", 2),
    )  # fmt: skip
