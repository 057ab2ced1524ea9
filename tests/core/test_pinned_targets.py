"""What every bottle is worth from cold to warm, at the ends of what is known and just beyond: value, u, and whether.

Figures of this tool, 27 November 2026, beside the checks of the tables against what is published;
``PYTHONPATH=src:. .venv/bin/python -m tests.core.test_pinned_targets`` writes them anew.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from tests.pinned import Pinned, words

from brumel.core.quantities.conductivity import KCL_STANDARDS_US_CM
from brumel.core.quantities.redox import REFERENCES
from brumel.core.sensing.principle import Conditions
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
AT_C = (
    -2.1, -2.0, -0.1, 0.0, 4.9, 5.0, 7.9, 8.0, 9.9, 10.0, 17.0, 22.8, 22.9, 23.0, 25.0, 27.0, 27.1, 27.2, 30.0, 30.1,
    34.9, 35.0, 35.1, 40.0, 40.1, 50.0, 50.1, 60.0, 85.0, 85.1, 95.0, 95.1,
)  # fmt: skip


def worths() -> Iterator[str]:
    """A bottle a line, on each reference electrode where that matters."""
    for bottle in BOTTLES:
        for reference in REFERENCES if bottle.family == "zobell" and not bottle.table else ["ag-agcl-3m"]:
            label = f"{bottle.standard} {bottle.family} {bottle.nominal} {len(bottle.table)} {bottle.u} {reference}"
            found = ((t, target(bottle, Conditions(t, reference))) for t in AT_C)
            yield f"{label}: " + "; ".join(f"{t:g} {words([w.value, w.u])} {w.known:d}" for t, w in found)


PINNED = Pinned(Path(__file__).with_name("pinned_targets.txt"), worths)


def test_every_bottle_is_worth_what_it_was() -> None:
    assert PINNED.now == PINNED.then


if __name__ == "__main__":
    PINNED.write()
