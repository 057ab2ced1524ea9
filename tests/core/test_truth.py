"""How often the truth lies within what is stated: a few cells of the tables that ``./brumel bench truth`` prints."""

from __future__ import annotations

import pytest
from tests.simulated import Cell, coverage
from tests.simulated_bench import Case
from tests.simulated_bench import coverage as bench_coverage
from tests.simulated_cell import Where
from tests.simulated_cell import coverage as cell_coverage
from tests.simulated_oxygen import Place
from tests.simulated_oxygen import coverage as oxygen_coverage


@pytest.mark.parametrize(("tau", "sample_c"), [(5.0, 15.0), (20.0, 0.0), (60.0, 35.0)])
def test_what_is_stated_covers_the_truth(tau: float, sample_c: float) -> None:
    """Over fresh and aged glass 94 to 98 % within U (k = 2), aged alone less: its slow part is at the prior's far end.

    120 readings leave room for chance. ``./brumel bench truth`` takes 2 000.
    """
    share, mean = coverage(Cell(tau, sample_c), 3, 120)
    assert 0.86 <= share <= 1.0
    assert 0.03 < mean < 0.12


@pytest.mark.parametrize(
    ("method", "water", "sample_c"),
    [("dry air, one standard", 50.0, 5.0), ("two standards", 50_000.0, 15.0)],
)
def test_what_is_stated_of_conductivity_covers_the_truth(method: str, water: float, sample_c: float) -> None:
    """94 to 98 % within U (k = 2); 60 readings leave room for chance. ``./brumel bench truth`` takes 2 000."""
    share, mean_percent = cell_coverage(Where(method, water, sample_c), 3, 60)
    assert 0.90 <= share <= 1.0
    assert 1.4 < mean_percent < 2.6


@pytest.mark.parametrize(("key", "widest"), [("membrane", 0.34), ("luminescence", 0.32)])
def test_what_is_stated_of_oxygen_covers_the_truth(key: str, widest: float) -> None:
    """94 to 98 % within U (k = 2), accepted as soon as stable; 60 readings leave room for chance."""
    share, mean_mg_l = oxygen_coverage(Place(key, "air", 26.0, 15.0), 3, 60)
    assert 0.90 <= share <= 1.0
    assert 0.15 < mean_mg_l < widest


@pytest.mark.parametrize(
    ("case", "widest"),
    [
        (Case("glass", "ph-acid-first", 4.0, 15.0), 0.08),
        (Case("metal", "orp-offset", 6.0, 15.0), 36.0),
        (Case("conductivity", "conductivity-one", 8.0, 15.0), 45.0),
        (Case("membrane", "membrane-air", 12.0, 15.0), 0.42),
        (Case("luminescence", "luminescence-zero-air", 12.0, 15.0), 0.40),
        (Case("thermometer", "thermometer-three", 4.0, 15.0), 0.09),
    ],
)
def test_from_the_bench_to_the_reading_the_truth_is_covered(case: Case, widest: float) -> None:
    """Model, text of the line, settling, method, run, reading; 40 readings leave room for chance."""
    share, mean = bench_coverage(case, 3, 40)
    assert 0.87 <= share <= 1.0
    assert widest / 4 < mean < widest
