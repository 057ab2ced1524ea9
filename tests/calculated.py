"""Inputs that every calculation takes."""

from __future__ import annotations

from typing import Any

from brumel.core.reckoning.definition import REQUIRED, calculations

T = "temperature_c"

GOOD: dict[str, dict[str, Any]] = {
    "ph-buffer": {"buffer": "technical-7.00", T: 18.0},
    "kcl-conductivity": {"molarity": 0.01, T: 18.0},
    "electrode-fit": {"points": [{"ph": 7.0, "mv": 3.0, T: 25.0}, {"ph": 4.01, "mv": 178.0, T: 25.0}]},
    "ion-electrode-fit": {
        "points": [{"activity": 46.2, "mv": 90.0, T: 25.0}, {"activity": 4.62, "mv": 33.0, T: 25.0}],
        "charge": 1,
    },
    "conductivity-at-reference": {"conductivity_us_cm": 500.0, T: 18.0, "method": "natural-water"},
    "conductivity-at-temperature": {"conductivity_us_cm": 500.0, T: 18.0, "method": "natural-water"},
    "orp-to-eh": {"mv": 200.0, T: 18.0, "reference": "ag-agcl-3m"},
    "night-oxygen": {
        "evening_mg_l": 9.0,
        "evening_at": "2026-05-06T19:00:00Z",
        "later_mg_l": 8.0,
        "later_at": "2026-05-06T21:00:00Z",
        "dawn_at": "2026-05-07T05:00:00Z",
        "limit_mg_l": 4.0,
    },
    "saturation-index": {
        "ph": 7.4,
        T: 26.0,
        "calcium_mg_l_caco3": 250.0,
        "alkalinity_mg_l_caco3": 100.0,
        "tds_mg_l": 900.0,
    },
    "activity-coefficient": {"conductivity_us_cm": 500.0, "charge": 1},
    "ion-concentration": {"activity_mg_l": 10.0, "conductivity_us_cm": 1000.0, "charge": 1},
    "pool-salt": {"conductivity_us_cm": 5000.0, T: 26.0},
}


DEFAULT = {
    T: 18.0,
    "mv": 12.0,
    "slope_percent": 98.0,
    "offset_mv": 3.0,
    "standard_us_cm": 1413.0,
    "reading_us_cm": 1400.0,
    "nominal_per_cm": 1.0,
    "conductivity_us_cm": 800.0,
    "factor": 0.6,
    "conductivity_ms_cm": 40.0,
    "salinity": 30.0,
    "altitude_m": 500.0,
    "oxygen_mg_l": 8.0,
    "oxygen_percent": 90.0,
    "tan_mg_l": 1.0,
    "ph": 7.9,
    "ammonium_n_mg_l": 1.0,
    "first": 7.2,
    "second": 7.1,
    "first_expanded_u": 0.1,
    "second_expanded_u": 0.1,
    "shown_ph": 8.0,
    "meter_setting_c": 25.0,
}


def good(name: str) -> dict[str, Any]:
    """Inputs that the calculation takes."""
    if name in GOOD:
        return dict(GOOD[name])
    return {i.name: DEFAULT[i.name] for i in calculations()[name].inputs if i.default is REQUIRED}
