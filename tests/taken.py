"""A visit's readings as what follows from them takes them."""

from __future__ import annotations

from brumel.core.place.water import Compensation
from brumel.core.reading.together import Taken

SEA, NATURAL = Compensation("sea-salt"), Compensation()


def seen(**values: float | tuple[float, float] | Taken) -> dict[str, Taken]:
    found = {}
    for name, given in values.items():
        key = name.replace("_", "-")
        if isinstance(given, Taken):
            found[key] = given
        else:
            value, u = given if isinstance(given, tuple) else (given, 0.01)
            found[key] = Taken(key, value, u, record=key)
    return found
