"""What every bottle is worth from cold to warm, at the ends of what is known and just beyond: value, u, and whether.

Figures of this tool, 27 November 2026, beside the checks of the tables against what is published;
``PYTHONPATH=src:. .venv/bin/python -m tests.golden.test_golden_targets`` writes them anew.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from tests.golden.golden import Golden, words

from brumel.core.place.conditions import Conditions
from brumel.core.quantities.conductivity import KCL_STANDARDS_US_CM
from brumel.core.standards.buffers import shipped_buffers
from brumel.core.standards.targets import Bottle, target

TABLE = ((10.0, 1402.0), (20.0, 1410.0), (30.0, 1425.0))
BOTTLES = [
    *(Bottle("ph-buffer", b.family, b.nominal_ph) for b in shipped_buffers().values()),
    Bottle("ph-buffer", "technical", 7.0, u=0.03), Bottle("ph-buffer", "technical", 8.5),
    Bottle("ph-buffer", "technical", 7.0, ((15.0, 7.04), (25.0, 7.0))),
    *(Bottle("conductivity", "kcl", us_cm) for us_cm in (*KCL_STANDARDS_US_CM, 500.0)),
    Bottle("conductivity", "sea-water", 53_065.0), Bottle("conductivity", "other", 1000.0, u=4.0),
    Bottle("conductivity", "kcl", 1413.0, TABLE), Bottle("conductivity", "sea-water", 1413.0, TABLE, 3.0),
    Bottle("orp", "zobell", 220.0), Bottle("orp", "zobell", 220.0, u=1.0), Bottle("orp", "other", 475.0),
    Bottle("orp", "zobell", 220.0, TABLE), Bottle("oxygen-zero", "", None), Bottle("ammonium", "", 46.2),
]  # fmt: skip
AT_C = (-2.1, 0.0, 5.0, 17.0, 25.0, 35.1, 50.0, 60.0)
ELECTRODES = ("ag-agcl-3m", "calomel-saturated")


def worths() -> Iterator[str]:
    """A bottle a line, on each reference electrode where that matters."""
    for bottle in BOTTLES:
        for reference in ELECTRODES if bottle.family == "zobell" and not bottle.table else ELECTRODES[:1]:
            label = f"{bottle.standard} {bottle.family} {bottle.nominal} {len(bottle.table)} {bottle.u} {reference}"
            found = ((t, target(bottle, Conditions(t, reference))) for t in AT_C)
            yield f"{label}: " + "; ".join(f"{t:g} {words([w.value, w.u])} {w.known:d}" for t, w in found)


GOLDEN = Golden(Path(__file__).with_name("targets.txt"), worths)


def test_every_bottle_is_worth_what_it_was() -> None:
    assert GOLDEN.now == GOLDEN.then


if __name__ == "__main__":
    GOLDEN.write()
