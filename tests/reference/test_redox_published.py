"""ORP against published values: ZoBell's solution at temperature, on each reference electrode."""

from __future__ import annotations

import pytest

from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.sensing.principles import derived_from, principle
from brumel.core.standards.targets import Bottle, target
from brumel.core.uncertainty import Budget, Contribution

ZOBELL = Bottle("orp", "zobell", 220.0)


@pytest.mark.parametrize(
    ("reference", "shown"),
    [
        # Shown on the meter, mV, at 10, 15, 20, 25, 30 °C: Nordstrom 1977 less the half-cells of USGS NFM A6.5;
        # from memory.
        ("ag-agcl-3m", (247, 239, 230, 221, 213)),
        ("ag-agcl-sat", (253, 246, 239, 231, 224)),
    ],
)
def test_zobell_on_a_probes_own_reference(reference: str, shown: tuple[int, ...]) -> None:
    for t, value in zip((10.0, 15.0, 20.0, 25.0, 30.0), shown, strict=True):
        found = target(ZOBELL, Conditions(t, reference))
        assert found.value == pytest.approx(value, abs=1.0)
        assert found.known
        assert found.u == pytest.approx(((5 / 3**0.5) ** 2 + (3 / 3**0.5) ** 2) ** 0.5)


@pytest.mark.parametrize(("t", "reference"), [(5.0, "ag-agcl-3m"), (45.0, "ag-agcl-3m"), (20.0, "")])
def test_where_it_is_not_known_the_label_is_no_more_than_a_label(t: float, reference: str) -> None:
    found = target(ZOBELL, Conditions(t, reference))
    assert (found.value, found.known) == (220.0, False)


def test_at_25_degrees_the_label_serves_without_a_reference() -> None:
    assert target(ZOBELL, Conditions(26.5)).known


@pytest.mark.parametrize(("t", "half_cell"), [(10.0, 220), (20.0, 213), (25.0, 209), (40.0, 198)])
def test_eh_adds_the_half_cell_at_temperature(t: float, half_cell: int) -> None:
    """USGS NFM A6.5, Ag/AgCl in 3 mol/L, from memory; ±3 mV of the half-cell stand in its budget."""
    behind, water = Budget.of([Contribution("potential", 4.0, "mV", 1.0)]), Compensation()
    (eh,) = derived_from(principle("metal"), 300.0, behind, Conditions(t, "ag-agcl-3m"), water)
    assert eh.value == pytest.approx(300 + half_cell, abs=0.5)
    assert eh.budget.u == pytest.approx((4.0**2 + 3.0) ** 0.5, abs=0.01)
    assert derived_from(principle("metal"), 300.0, behind, Conditions(t), water) == []
    assert derived_from(principle("glass"), 7.0, behind, Conditions(t, "ag-agcl-3m"), water) == []
