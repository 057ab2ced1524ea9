"""What every calculation prints and draws for usual inputs, to the letter: words, digits, units, ends of its curve."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from tests.calculated import good
from tests.golden.golden import Golden

from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import calculations
from brumel.services.reckon.faces import answer_text
from brumel.services.reckon.pictures import picture_of

T = "temperature_c"
SEA = {"ph": 8.1, T: 28.0, "salinity": 33.0}
MORE: list[tuple[str, dict[str, Any]]] = [
    ("unionized-ammonia", {"tan_mg_l": 0.8, **SEA, "ph_u": 0.05, "temperature_c_u": 0.2}),
    ("unionized-ammonia", {"tan_mg_l": 0.8, **SEA, "ph_scale": "total"}),
    ("ammonium-to-total", {"ammonium_n_mg_l": 0.8, **SEA}),
    ("hypochlorous-fraction", {"ph": 7.4, T: 37.0}),
    ("oxygen-saturation", {T: 12.0, "altitude_m": 630.0, "salinity": 20.0}),
    ("oxygen-percent", {"oxygen_mg_l": 7.0, T: 22.0, "pressure_hpa": 990.0, "salinity": 30.0, "meter_salinity": 0.0}),
    ("conductivity-at-reference", {"conductivity_us_cm": 500.0, T: 10.0, "method": "linear"}
     | {"coefficient_percent_per_c": 1.9, "reference_c": 20.0}),
    ("conductivity-at-reference", {"conductivity_us_cm": 500.0, T: 10.0, "method": "natural-water"}
     | {"meter_method": "linear", "meter_coefficient_percent_per_c": 2.0}),
    ("electrode-fit", {"points": [{"ph": 7.0, "mv": 2.0, T: 25.0}]}),
    ("ion-electrode-fit", {"points": [{"activity": 46.2, "mv": 90.0, T: 25.0}, {"activity": 4.62, "mv": 48.0, T: 25.0}],
                           "charge": 1}),
    ("night-oxygen", {"evening_mg_l": 9.0, "evening_at": "2026-05-06T19:00:00Z", "later_mg_l": 8.6,
                      "later_at": "2026-05-06T21:30:00Z", "dawn_at": "2026-05-07T05:00:00Z", "limit_mg_l": 4.0}),
    ("salinity", {"conductivity_ms_cm": 1.5, T: 12.0}),
]  # fmt: skip


def lines() -> Iterator[str]:
    for name, inputs in [(n, good(n)) for n in calculations()] + MORE:
        answer = calculate(name, inputs)
        yield f"# {name} {sorted(inputs.items(), key=str)}"
        told = answer_text(answer).splitlines()
        yield from (line for line in told if not line.startswith("  Source: "))
        picture = picture_of(answer, inputs)
        if picture is not None:
            drawn = [f"{line.name} {line.x[0]:g} to {line.x[-1]:g}" for line in picture.lines]
            yield f"  drawn: {picture.x_label}; {picture.y_label}; {'; '.join(drawn)}"


GOLDEN = Golden(Path(__file__).with_name("working.txt"), lines)


def test_every_calculation_to_the_letter() -> None:
    assert GOLDEN.now == GOLDEN.then


if __name__ == "__main__":
    GOLDEN.write()
