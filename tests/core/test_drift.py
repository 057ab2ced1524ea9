"""What moved between two calibrations: the published procedure by hand, and laws that hold for any checks."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brumel.core.errors import CoreError
from brumel.core.quantities.quantity import quantity
from brumel.core.record.drift import Errors, Moved, dirt_of, share_of
from brumel.core.record.grades import Grade, gradings

NONE = Errors((), (), relative=False)
PH, EC, OXYGEN = quantity("ph"), quantity("specific-conductance"), quantity("oxygen")


def test_fouling_by_the_published_equation_is_the_correction_with_the_other_sign() -> None:
    """Wagner et al. 2006: E = (after − before) − (field after − field before), % = 100 E / before; figures by hand.

    (478 − 455) − (481 − 480) = 22 µS/cm; 100 · 22 / 455 = 4.835 %.
    """
    dirt = dirt_of(EC, 455.0, 478.0, 480.0, 481.0)
    assert dirt.off[0] == pytest.approx(-22.0 / 455.0, rel=1e-9)
    assert float(dirt.at(910.0)) == pytest.approx(-44.0, rel=1e-9)


def test_drift_by_the_published_equation_is_in_percent_of_the_reading() -> None:
    """Wagner et al. 2006: % = 100 (standard − reading) / reading; 100 · 12 / 1401 = 0.8565 %, by hand."""
    assert 100 * Errors.of(EC, [(1401.0, 1413.0)]).off[0] == pytest.approx(-0.8565, abs=5e-5)


@pytest.mark.parametrize(
    ("share", "corrected"),
    [
        (0.0, 486.0),
        # fouling 486 · (1 + 0.5 · 0.048352) = 497.749; drift 497.749 · (1 + 0.5 · 0.0085653) = 499.881
        (0.5, 499.881),
        # 486 · 1.048352 = 509.499; 509.499 · 1.0085653 = 513.863
        (1.0, 513.863),
    ],
)
def test_conductance_is_corrected_in_two_steps(share: float, corrected: float) -> None:
    moved = Moved(dirt_of(EC, 455.0, 478.0, 480.0, 481.0), Errors.of(EC, [(1401.0, 1413.0)]))
    assert float(moved.corrected(486.0, share)) == pytest.approx(corrected, abs=0.001)


def test_three_buffers_make_a_line_and_beyond_them_the_outermost_stands() -> None:
    """pH 4.05, 7.10 and 10.21 read in 4.00, 7.00 and 10.01: halfway from 7.10 to 10.21 the error is 0.15."""
    drift = Errors.of(PH, [(7.10, 7.00), (10.21, 10.01), (4.05, 4.00)])
    np.testing.assert_allclose(drift.at(np.array([8.655, 3.0, 11.0])), [0.15, 0.05, 0.20])
    assert drift.beyond(np.array([4.05, 8.0, 11.0, 3.0])).tolist() == [False, False, True, True]


def test_one_standard_says_nothing_of_other_values() -> None:
    assert Errors.of(PH, [(7.1, 7.0)]).beyond(np.array([7.1, 8.0])).all()
    assert not NONE.beyond(8.0).any()


def test_what_moved_is_never_its_balance() -> None:
    moved = Moved(dirt_of(PH, 7.4, 7.3), Errors.of(PH, [(6.9, 7.0)]))
    assert float(moved.by(7.0)) == pytest.approx(0.2)
    assert float(moved.corrected(7.0, 1.0)) == pytest.approx(7.0)


@given(
    st.lists(st.tuples(st.floats(1.0, 14.0), st.floats(1.0, 14.0)), min_size=1, max_size=5, unique_by=lambda p: p[0]),
    st.floats(0.0, 14.0), st.floats(0.0, 1.0),
)  # fmt: skip
def test_each_standard_reads_right_at_the_end_and_nothing_changes_at_the_start(
    pairs: list[tuple[float, float]], value: float, share: float
) -> None:
    for about in (PH, OXYGEN):
        moved = Moved(NONE, Errors.of(about, pairs))
        for read, true in pairs:
            assert float(moved.corrected(read, 1.0)) == pytest.approx(true, abs=1e-8)
        assert float(moved.corrected(value, 0.0)) == value
        whole, part = (abs(float(moved.corrected(value, s)) - value) for s in (1.0, share))
        assert part == pytest.approx(share * whole, abs=1e-9)


@pytest.mark.parametrize(
    ("about", "pairs", "why"),
    [(PH, [(7.0, 7.0), (7.0, 4.0)], "read in two standards"), (EC, [(0.0, 84.0)], "must be more than 0")],
)
def test_what_tells_no_error(about: object, pairs: list[tuple[float, float]], why: str) -> None:
    with pytest.raises(CoreError, match=why):
        Errors.of(about, pairs)  # type: ignore[arg-type]


def test_the_share_of_time_ends_with_the_span() -> None:
    share = share_of(np.array([0.0, 10.0, 15.0, 20.0, 21.0]), 10.0, 20.0)
    np.testing.assert_array_equal(share, [np.nan, 0.0, 0.5, 1.0, np.nan])


@pytest.mark.parametrize(
    ("key", "value", "moved", "corrected", "grade", "published"),
    [
        # Wagner et al. 2006, tables of correction criteria, ratings and maximum allowable limits; from memory.
        ("temperature", 15.0, 0.2, False, Grade.EXCELLENT, True),
        ("temperature", 15.0, 0.21, True, Grade.GOOD, True),
        ("temperature", 15.0, 0.8, True, Grade.FAIR, True),
        ("temperature", 15.0, 2.01, True, Grade.POOR, False),
        ("specific-conductance", 100.0, 5.0, False, Grade.GOOD, True),  # 5 µS/cm is more than 3 %
        ("specific-conductance", 1000.0, 30.0, False, Grade.EXCELLENT, True),
        ("specific-conductance", 1000.0, 150.1, True, Grade.POOR, True),
        ("specific-conductance", 1000.0, 300.1, True, Grade.POOR, False),
        ("oxygen", 12.0, 0.6, True, Grade.EXCELLENT, True),  # 5 % of 12 mg/L
        ("oxygen", 4.0, 0.3, False, Grade.EXCELLENT, True),
        ("oxygen", 4.0, 2.0, True, Grade.POOR, True),
        ("oxygen", 12.0, 2.41, True, Grade.POOR, False),
        ("ph", 7.0, 0.5, True, Grade.GOOD, True),
        ("ph", 7.0, 2.01, True, Grade.POOR, False),
    ],
)  # fmt: skip
def test_the_published_table(
    key: str, value: float, moved: float, corrected: bool, grade: Grade, published: bool
) -> None:
    bounds, arrays = gradings()[key], (np.array([moved]), np.array([value]))
    assert bounds.correct.passed(*arrays) is corrected
    assert bounds.grade(*arrays) is grade
    assert bounds.publish.passed(*arrays) is not published
