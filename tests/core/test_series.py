"""A series: what a part, a block and a sample added are of it, for any samples."""

from __future__ import annotations

import math

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from brumel.core.numbers.series import BLOCK_MOST, Series

SAMPLES = st.lists(
    st.tuples(st.floats(0, 1e7), st.floats(-1e4, 1e4), st.floats(-5, 50)), min_size=1, max_size=40
).map(lambda rows: sorted(rows))  # fmt: skip


def series(rows: list[tuple[float, float, float]]) -> Series:
    t, y, c = np.array(rows, dtype=float).reshape(-1, 3).T
    return Series.of(t, y, temperature_c=c)


def same(one: Series, other: Series) -> bool:
    return all(
        np.array_equal(a, b, equal_nan=True)
        for a, b in (
            (one.times_s, other.times_s), (one.values, other.values), (one.temperature_c, other.temperature_c)
        )
    )  # fmt: skip


@given(SAMPLES, st.integers(1, 50))
def test_blocks_joined_are_the_series(rows: list[tuple[float, float, float]], most: int) -> None:
    whole = series(rows)
    blocks = list(whole.blocks(most))
    assert [len(b) for b in blocks[:-1]] == [most] * (len(blocks) - 1)
    assert same(Series.joined(blocks), whole)


@given(SAMPLES, st.floats(0, 1e7), st.floats(0, 1e7))
def test_a_span_holds_its_ends_and_nothing_beyond(
    rows: list[tuple[float, float, float]], one: float, other: float
) -> None:
    first, last = sorted((one, other))
    wanted = [row for row in rows if first <= row[0] <= last]
    assert same(series(rows).span(first, last), series(wanted))
    assert same(series(rows).span(), series(rows))


@given(SAMPLES)
def test_samples_added_one_by_one_are_the_series(rows: list[tuple[float, float, float]]) -> None:
    grown = Series.of([], [], temperature_c=[])
    for t, y, c in rows:
        grown = grown.followed_by(t, y, temperature_c=c)
    assert same(grown, series(rows))


def test_what_is_not_known_is_left_out_and_what_is_empty_stays_so() -> None:
    given_ = series([(0.0, 1.0, 20.0), (1.0, math.nan, 20.0), (2.0, 1.0, math.inf), (math.nan, 1.0, 20.0)])
    assert given_.known().times_s.tolist() == [0.0]
    assert not Series.joined([])
    assert list(Series.of([], []).blocks()) == []
    assert len(next(Series.of(range(BLOCK_MOST + 1), range(BLOCK_MOST + 1)).blocks())) == BLOCK_MOST
    assert Series.of([5.0004, 6.0], [1, 2], temperature_c=[3, 4]).begun().times_s.tolist() == [0.0, 1.0]
    assert Series.of([1, 2], [1, 2], temperature_c=[3, 4]).seen_as([7, 8]).values.tolist() == [7.0, 8.0]
