"""Numbers as a hurried person types them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brumel.core.record.shapes import each, number
from brumel.core.typed import NotANumber, number_and_rest, number_typed
from brumel.core.wording import grouped, signed


@pytest.mark.parametrize(
    ("typed", "value"),
    [
        ("7.25", 7.25),
        ("7,25", 7.25),
        ("0,123", 0.123),
        ("−0,123", -0.123),
        ("12,88", 12.88),
        ("1234,567", 1234.567),
        ("1413", 1413.0),
        ("1 413", 1413.0),
        ("1\u202f413", 1413.0),
        ("1\u00a0413", 1413.0),
        ("12 880,5", 12880.5),
        ("1.413", 1.413),
        ("1,234,567", 1234567.0),
        ("1.234.567", 1234567.0),
        ("12,880.5", 12880.5),
        ("12.880,5", 12880.5),
        (" +3 ", 3.0),
        (".5", 0.5),
        ("5,", 5.0),
        ("1e3", 1000.0),
        ("1,5e−3", 0.0015),
    ],
)
def test_is_read(typed: str, value: float) -> None:
    assert number_typed(typed) == value


@pytest.mark.parametrize(
    ("typed", "first", "second"),
    [
        ("12,880", "12880", "12.880"),
        ("1,413", "1413", "1.413"),
        ("-9,999", "-9999", "-9.999"),
        ("−1,000", "-1000", "-1.000"),
    ],
)
def test_a_comma_before_three_digits_is_not_guessed(typed: str, first: str, second: str) -> None:
    with pytest.raises(NotANumber) as refused:
        number_typed(typed)
    assert f"write {first} for thousands, or {second} for a decimal comma" in str(refused.value)


@pytest.mark.parametrize("typed", ["", "warm", "nan", "inf", "1_000", "7 25", "1,2,3", "7.25.1", "12 F", "--3", "1 41"])
def test_what_is_none_is_refused(typed: str) -> None:
    with pytest.raises(NotANumber, match="is not a number"):
        number_typed(typed)


@pytest.mark.parametrize(
    ("text", "parts"),
    [
        ("20,5 °C", ("20,5", "°C")),
        ("68F", ("68", "F")),
        ("1 413 µS/cm", ("1 413", "µS/cm")),
        ("1 1/cm", ("1", "1/cm")),
        ("−.5 mV", ("−.5", "mV")),
        ("°C", None),
    ],
)
def test_a_unit_is_told_from_its_number(text: str, parts: tuple[str, str] | None) -> None:
    assert number_and_rest(text) == parts


@given(st.floats(-99_999_999, 99_999_999).map(lambda v: round(v, 4)))
def test_what_is_shown_is_read_back(value: float) -> None:
    """Pasted from our own screens: grouped thousands with narrow spaces, true minus signs."""
    assert number_typed(grouped(value)) == pytest.approx(value, rel=1e-9)
    assert number_typed(signed(value, 4, plus=True)) == pytest.approx(value, abs=1e-4)


@pytest.mark.parametrize(("value", "digits"), [(0.0, 1), (-0.0, 1), (-0.04, 1), (0.0004, 3), (-0.0004, 3)])
def test_zero_has_no_sign(value: float, digits: int) -> None:
    assert signed(value, digits, plus=True) == signed(value, digits) == f"{0:.{digits}f}"


def test_what_nobody_can_mean_begins_beyond_a_million_millions() -> None:
    assert number_typed("1e12") == 1e12
    assert number_typed("-1e-12") == -1e-12
    for text, words in (
        ("1.01e12", "too large"),
        ("-1.01e12", "too large"),
        ("9.9e-13", "too small"),
        ("1e-400", "too small"),
        ("-0.1e-330", "too small"),
    ):
        with pytest.raises(NotANumber, match=words):
            number_typed(text)
    assert [*each(number())([1e12, -1e12])] == []
    assert [*each(number())([1.0, -1.01e12])] == ["2 is too large to be meant: -1010000000000.0"]


@pytest.mark.parametrize(("typed", "words"), [("0." + "0" * 60 + "1", "small"), ("9" * 61, "large")])
def test_of_what_nobody_can_mean_forty_characters_are_repeated(typed: str, words: str) -> None:
    with pytest.raises(NotANumber, match=f"^'{typed[:40]}' is too {words} to be meant"):
        number_typed(typed)
