"""Long arrays go through a formula in blocks: nothing of that shows."""

from __future__ import annotations

import numpy as np
import pytest

from brumel.core.numbers.arrays import BLOCK, in_blocks
from brumel.core.numbers.curves import MonotoneCurve
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import InvalidInputs


@pytest.mark.parametrize("size", [1, 2, BLOCK - 1, BLOCK, BLOCK + 1, 2 * BLOCK + 5])
def test_every_element_has_its_own_answer(size: int) -> None:
    x = np.arange(size, dtype=float)
    assert np.array_equal(in_blocks(lambda a, b: a + b, x, 0.5), x + 0.5)
    assert np.array_equal(in_blocks(lambda a, b: a - b, 3.0, x), 3.0 - x)
    assert np.array_equal(in_blocks(lambda a: 2 * a, x.reshape(1, -1)), 2 * x.reshape(1, -1))


def test_shapes_that_fit_together_are_spread() -> None:
    column, row = np.arange(700.0).reshape(-1, 1), np.arange(30.0)
    assert np.array_equal(in_blocks(lambda a, b: 100 * a + b, column, row), 100 * column + row)
    assert in_blocks(lambda a: a, 7.0).shape == ()
    with pytest.raises(ValueError, match="broadcast"):
        in_blocks(lambda a, b: a, np.zeros(3), np.zeros(2))


@pytest.mark.parametrize("places", [[5.0], [5.0, 5.0], [10.0, 5.0]])
def test_a_curve_needs_places_that_rise(places: list[float]) -> None:
    with pytest.raises(ValueError, match="at least two places that rise"):
        MonotoneCurve.through(places, [1.0] * len(places))


def test_the_element_that_breaks_a_condition_is_the_one_that_is_named() -> None:
    with pytest.raises(InvalidInputs) as refused:
        calculate("relative-percent-difference", {"first": np.array([5.0, -5.0, 7.0]), "second": 4.0})
    assert refused.value.fields["second"].startswith("-5 and 4 lie on both sides of nought")
