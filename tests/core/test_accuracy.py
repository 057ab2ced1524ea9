"""An instrument's accuracy as its data sheet states it, and what it makes of a reading."""

from __future__ import annotations

import pytest

from brumel.core.errors import CoreError
from brumel.core.kit.accuracy import EXAMPLE, Accuracy, read_accuracy


@pytest.mark.parametrize(
    ("words", "plain"),
    [
        ("±0.02", {"absolute": 0.02}),
        ("0,02; steps of 0,01", {"absolute": 0.02, "step": 0.01}),
        ("+/-0.02, step of 0.01", {"absolute": 0.02, "step": 0.01}),
        ("±1 % of reading", {"percent_of_reading": 1.0}),
        ("±0.5 % of full scale 20", {"percent_of_full_scale": 0.5, "full_scale": 20.0}),
        ("2 digits, steps of 0.01", {"digits": 2.0, "step": 0.01}),
        ("±2 mV, steps of 1 mV", {"absolute": 2.0, "step": 1.0}),
        ("", {}),
    ],
)  # fmt: skip
def test_is_read(words: str, plain: dict[str, float]) -> None:
    assert read_accuracy(words).plain == plain


def test_the_example_reads_and_is_said_again_as_it_was() -> None:
    assert read_accuracy(EXAMPLE).words == EXAMPLE
    assert Accuracy.of(read_accuracy(EXAMPLE).plain) == read_accuracy(EXAMPLE)
    assert Accuracy.of(None) == Accuracy()
    assert not Accuracy(step=0.01).states_accuracy


@pytest.mark.parametrize(
    ("words", "why"),
    [
        ("good", "'good' can't be read: write it like"),
        ("±1 %", "say of what"),
        ("2 digits", "Digits need the display's step"),
        ("±0", "can't be read"),
        ("±0.5 % of full scale", "say of what"),
        ("±1,413", "can be read in two ways"),
    ],
)
def test_what_cannot_be_read_is_refused(words: str, why: str) -> None:
    with pytest.raises(CoreError, match=why):
        read_accuracy(words)


@pytest.mark.parametrize(
    ("words", "value", "half_width"),
    # By hand: the parts of a data sheet add up.
    [
        ("±0.02", 7.0, 0.02),
        ("±1 % of reading", -50.0, 0.5),
        ("±1 % of full scale 20", 0.5, 0.2),
        ("±0.02, 2 digits, steps of 0.01", 7.0, 0.04),
        ("±1, ±1 % of reading, ±0.5 % of full scale 200", 100.0, 3.0),
    ],
)
def test_its_limits(words: str, value: float, half_width: float) -> None:
    assert read_accuracy(words).half_width(value) == pytest.approx(half_width)
    stated, *rest = read_accuracy(words).contributions(value, "x")
    assert stated.u == pytest.approx(half_width / 3**0.5)
    assert [c.u for c in rest] == ([pytest.approx(0.01 / 12**0.5)] if "steps" in words else [])


def test_what_is_not_stated_adds_nothing() -> None:
    assert Accuracy(full_scale=20.0, step=0.1).half_width(5.0) == 0.0
    assert Accuracy(absolute=0.1, full_scale=20.0, step=0.1).half_width(5.0) == 0.1
    assert Accuracy(percent_of_full_scale=1.0).half_width(5.0) == 0.0
    assert Accuracy(digits=2).half_width(5.0) == 0.0
