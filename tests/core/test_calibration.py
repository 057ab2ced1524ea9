"""The electrode's line: what was put in comes out."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.glass import fitted, line_of
from tests.glass import point as taken

from brumel.core.errors import NotEnoughPoints, OutOfRange
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.ph import millivolts_from_ph, ph_from_millivolts, ph_recompensated
from brumel.core.sensing.fit import Point
from brumel.core.sensing.response import LINE, Origin, Response
from brumel.core.standards.buffers import buffer, buffer_of_label

slopes = st.floats(80.0, 108.0)
offsets = st.floats(-60.0, 60.0)
temperatures = st.floats(0.0, 45.0)


def point(ph: float, temperature_c: float, slope: float, offset: float) -> Point:
    return taken(ph, millivolts_from_ph(ph, temperature_c, slope, offset), temperature_c)


@given(slopes, offsets, temperatures, temperatures, temperatures)
def test_fit_finds_the_electrode_whatever_the_temperatures(s: float, o: float, a: float, b: float, c: float) -> None:
    fit = fitted([point(4.0, a, s, o), point(7.0, b, s, o), point(10.0, c, s, o)])
    assert fit["slope"] == pytest.approx(s, abs=1e-6)
    assert fit["offset"] == pytest.approx(o, abs=1e-6)
    assert max(map(abs, fit.residuals)) < 1e-6


@given(slopes, offsets)
def test_fit_does_not_depend_on_the_order(s: float, o: float) -> None:
    points = [point(4.0, 21.0, s, o), point(6.9, 22.0, s, o + 1.0), point(10.1, 20.0, s, o)]
    fits = [fitted(list(order)) for order in itertools.permutations(points)]
    assert all(f["slope"] == pytest.approx(fits[0]["slope"], abs=1e-9) for f in fits)


@given(st.floats(0.0, 14.0), temperatures, slopes, offsets)
def test_ph_and_millivolts_are_inverse(ph: float, t: float, s: float, o: float) -> None:
    assert ph_from_millivolts(millivolts_from_ph(ph, t, s, o), t, s, o) == pytest.approx(ph, abs=1e-9)


@given(st.floats(0.0, 14.0), temperatures, temperatures)
def test_recompensation_is_what_the_meter_would_have_done(ph: float, setting: float, true: float) -> None:
    shown = ph_from_millivolts(millivolts_from_ph(ph, true), setting)
    assert ph_recompensated(shown, setting, true) == pytest.approx(ph, abs=1e-9)


def test_one_point_carries_the_slope_and_is_less_certain() -> None:
    one = fitted([point(7.0, 25.0, 98.0, 5.0)], line_of(98.0, 0.0, 0.4))
    assert one["slope"] == 98.0
    assert one["offset"] == pytest.approx(5.0)
    assumed = fitted([point(7.0, 25.0, 98.0, 5.0)])
    assert assumed.origin("slope") is Origin.ASSUMED
    assert one.origin("slope") is Origin.CARRIED
    away = millivolts_from_ph(4.0, 25.0, 98.0, 5.0)

    def of_the_line(fit: Response) -> float:
        return next(c.share for c in fit.budget(away, Conditions(25.0)).contributions if c.key == LINE)

    assert of_the_line(assumed) > 3 * of_the_line(one)


def test_no_point_is_refused() -> None:
    with pytest.raises(NotEnoughPoints):
        fitted([])


@pytest.mark.parametrize(
    "buffers",
    [[(6.95, 18.0)], [(4.0, 25.0), (7.0, 25.0), (10.0, 25.0)], [(4.0, 9.0), (7.0, 12.0)], [(6.9, 30.0), (9.1, 30.0)]],
    ids=["one", "three", "acid side, cold", "alkaline side, warm"],
)
def test_uncertainty_agrees_with_resampling(buffers: list[tuple[float, float]]) -> None:
    """Monte Carlo (JCGM 101:2008) of the same inputs, independent of the first-order formula."""
    rng = np.random.default_rng(5)
    slope, offset = 97.0, 6.0
    sample, sample_c, age = 9.4, 13.0, 3.0
    carried = line_of(slope, 0.0, 1.5)
    exact = [taken(ph, millivolts_from_ph(ph, t, slope, offset), t, 0.012) for ph, t in buffers]
    sample_mv = float(millivolts_from_ph(sample, sample_c, slope, offset))
    lines, by_line, by_mv, by_temperature = [], [], [], []
    for _ in range(4000):
        warm = rng.uniform(-0.2, 0.2)  # one thermometer, ±0.2 °C (common practice), reads all points
        points = [
            taken(p.value + rng.normal(0, p.u_value), p.signal + rng.normal(0, p.u_signal), p.at.temperature_c + warm)
            for p in exact
        ]
        line = fitted(points, replace(carried, values=(0.0, slope + rng.normal(0, carried.u("slope")))))
        lines.append((line["offset"], line["slope"]))
        by_line.append(line.value(sample_mv, Conditions(sample_c)))
    stated = fitted(exact, carried)
    by_mv = [stated.value(sample_mv + rng.normal(0, 0.15), Conditions(sample_c)) for _ in range(4000)]
    by_temperature = [stated.value(sample_mv, Conditions(sample_c + rng.uniform(-0.2, 0.2))) for _ in range(4000)]
    covariance = np.cov(np.array(lines).T)
    assert covariance[0, 0] ** 0.5 == pytest.approx(stated.u("offset"), rel=0.06)
    assert covariance[1, 1] ** 0.5 == pytest.approx(stated.u("slope"), rel=0.06)
    scale = stated.u("offset") * stated.u("slope")
    assert covariance[0, 1] / scale == pytest.approx(stated.covariance[0][1] / scale, abs=0.06)
    shares = {c.key: c.share for c in stated.budget(sample_mv, Conditions(sample_c), age_days=age).contributions}
    assert shares[LINE] == pytest.approx(np.std(by_line), rel=0.06)
    assert shares["signal"] == pytest.approx(np.std(by_mv), rel=0.06)
    assert shares["temperature"] == pytest.approx(np.std(by_temperature), rel=0.06)
    # ±0.01 pH a day as bounds of a rectangle; the junction: both common practice.
    assert shares["drift"] == pytest.approx(0.01 * age / 3**0.5)
    assert shares["junction"] == 0.02


def test_buffers_refuse_what_they_do_not_know() -> None:
    with pytest.raises(OutOfRange, match="0 to 50"):
        buffer("phthalate-4.005").ph_at(61.0)
    bare = buffer_of_label("technical-7.01", 7.01)
    assert bare.ph_at(26.5) == 7.01
    with pytest.raises(OutOfRange, match="23 to 27"):
        bare.ph_at(20.0)
    own = buffer_of_label("technical-7.01", 7.01, table=[(10, 7.07), (25, 7.01)])
    assert own.ph_at(10.0) == 7.07


def test_the_isopotential_point_counts_with_the_difference_of_temperatures() -> None:
    """±0.5 pH as limits: 0.5/√3 · (1 − k(25)/k(5)); that is 0.035 pH as limits at 20 °C apart (common practice)."""
    line = fitted([taken(7.0, 0.0, 25.0), taken(4.0, 177.0, 25.0)])

    def share(sample_c: float) -> float:
        budget = line.budget(line.signal(7.5, Conditions(sample_c)), Conditions(sample_c))
        return next(c.share for c in budget.contributions if c.key == "isopotential")

    assert share(25.0) == pytest.approx(0.0, abs=1e-9)
    assert share(5.0) * 3**0.5 == pytest.approx(0.5 * 20.0 / 278.15, rel=1e-3)
    assert share(45.0) < share(5.0)


def test_points_of_one_bottle_share_its_error() -> None:
    """Four points in one bottle are worth no more than its certificate; in four bottles, half of it."""
    each = [taken(7.0, 0.0, 25.0, 0.02, 1e-6) for _ in range(4)]
    carried = line_of(100.0, 0.0, 0.0)
    own = fitted(each, carried).u("offset")
    shared = fitted([replace(p, bottle="one") for p in each], carried).u("offset")
    assert shared == pytest.approx(0.02 * 59.16, rel=1e-3)
    assert own == pytest.approx(shared / 2, rel=1e-3)
