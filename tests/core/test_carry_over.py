"""What a little of one solution does to the next: against published buffer capacities, and by hand."""

from __future__ import annotations

import math

import pytest

from brumel.core.sensing.carry_over import buffer_capacity, mixed, ph_with
from brumel.core.sensing.principles import principle


@pytest.mark.parametrize(
    ("ph", "published"),
    [(4.0, 0.016), (7.0, 0.029), (9.2, 0.020), (10.0, 0.029)],  # Bates, Determination of pH, 1973; from memory
)
def test_capacities_are_those_of_the_pure_buffers(ph: float, published: float) -> None:
    assert buffer_capacity(ph) == pytest.approx(published, rel=0.2)


@pytest.mark.parametrize(("ph", "molar", "pk1", "pk2"), [(4.0, 0.05, 2.95, 5.05), (10.0, 0.05, 6.2, 10.0)])
def test_the_capacity_of_two_steps_is_van_slykes(ph: float, molar: float, pk1: float, pk2: float) -> None:
    """β = ln 10 · (C · K1 h (h² + 4 K2 h + K1 K2) / (h² + K1 h + K1 K2)² + h + Kw / h), Van Slyke 1922."""
    h, k1, k2 = 10.0**-ph, 10.0**-pk1, 10.0**-pk2
    of_salt = molar * k1 * h * (h * h + 4 * k2 * h + k1 * k2) / (h * h + k1 * h + k1 * k2) ** 2
    assert buffer_capacity(ph) == pytest.approx(math.log(10.0) * (of_salt + h + 1e-14 / h), rel=1e-3)


@pytest.mark.parametrize(
    ("ph", "molar", "pk"), [(6.9, 0.05, 6.88), (7.3, 0.05, 6.88), (9.0, 0.04, 9.2), (9.4, 0.04, 9.2)]
)
def test_the_capacity_about_one_step_far_from_others_is_van_slykes(ph: float, molar: float, pk: float) -> None:
    """β = ln 10 · (C · K h / (h + K)² + h + Kw / h), Van Slyke 1922."""
    h, k = 10.0**-ph, 10.0**-pk
    assert buffer_capacity(ph) == pytest.approx(
        math.log(10.0) * (molar * k * h / (h + k) ** 2 + h + 1e-14 / h), rel=2e-3
    )


def test_acid_left_in_the_neutral_buffer_by_hand() -> None:
    """1 % of 0.05 mol/L of hydrogen phthalate gives up nearly all its 0.0005 mol/L of acid at pH 7: 0.0005/0.029."""
    assert ph_with(7.00, 4.01) - 7.00 == pytest.approx(-0.0005 * 0.98 / 0.029, abs=0.002)


@pytest.mark.parametrize(("value", "before"), [(7.0, 10.0), (4.01, 7.0), (10.01, 7.0), (10.01, 4.01), (4.01, 10.01)])
def test_it_moves_towards_what_was_left_and_by_less_than_mixing_would(value: float, before: float) -> None:
    moved = ph_with(value, before) - value
    assert moved * (before - value) > 0
    assert 0.003 < abs(moved) < 0.06
    assert abs(ph_with(value, before, 0.02) - value) > abs(moved)


def test_nothing_moves_where_the_same_was_left() -> None:
    assert ph_with(7.0, 7.0) == pytest.approx(7.0, abs=1e-9)


@pytest.mark.parametrize(
    ("key", "before", "value", "percent"),
    [
        ("conductivity", 12_880.0, 1413.0, 8.115),  # 0.01 · (12 880 − 1 413) / 1 413
        ("conductivity", 6_000.0, 84.0, 70.429),  # a buffer in an 84
        ("conductivity", None, 84.0, 4.952),  # tap water of 500 µS/cm
        ("conductivity", None, 1413.0, -0.646),
        ("ammonium-tip", 46.2, 4.62, 9.0),
        ("nitrate-tip", None, 4.62, -1.0),
    ],
)
def test_what_mixes_in_proportion(key: str, before: float | None, value: float, percent: float) -> None:
    off = principle(key).carried(before, value)
    assert off is not None
    assert 100.0 * off / value == pytest.approx(percent, abs=0.001)


def test_who_says_nothing_of_it() -> None:
    for key in ("metal", "membrane", "luminescence", "thermometer", "chlorine-tip"):
        assert principle(key).carried(100.0, 50.0) is None
    assert principle("glass").carried(None, 7.0) is None
    assert mixed(1.0, 3.0, 0.5) == 2.0
