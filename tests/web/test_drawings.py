"""Geometry of the pictures: everything lies within its frame and says what the numbers say."""

from __future__ import annotations

from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import NOW
from tests.core.test_calculations import good

from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import calculations
from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.services.reckon.pictures import picture_of
from brumel.web.figures import course_figure, curve_figure, plan_figures
from brumel.web.ribbon import FORMATS, LABEL, ribbon_figures
from brumel.web.scale import Scale

CLOCK = Clock(ZoneInfo("UTC"), NOW)


@given(st.floats(-1e6, 1e6), st.floats(1e-3, 1e6), st.integers(2, 8))
def test_ticks_are_round_rising_and_within(low: float, span: float, about: int) -> None:
    ticks = Scale(low, low + span, 0.0, 100.0).ticks(about)
    assert ticks == sorted(ticks)
    assert all(low - span * 1e-6 <= t <= low + span * (1 + 1e-6) for t in ticks)
    assert len(ticks) <= 3 * about


def test_the_ribbon_in_both_widths(services: Services) -> None:
    broad, narrow = ribbon_figures(services.today.ribbon(services.states.probe_states()), CLOCK)
    assert [r.state.probe.label for r in broad.rows] == [r.state.probe.label for r in narrow.rows]
    for figure, form in ((broad, FORMATS[0]), (narrow, FORMATS[1])):
        share = form.before / (form.before + form.after)
        assert figure.now_x == pytest.approx(LABEL + share * (form.width - LABEL), abs=0.2)
        for row in figure.rows:
            for bar in row.bars:
                assert bar.x >= LABEL
                assert bar.x + bar.width <= form.width + 0.2
            for wait in row.waits:
                assert 0 <= wait.filled <= wait.width
            for dot in row.dots:
                assert LABEL <= dot.x <= form.width


def test_a_wait_is_filled_as_far_as_it_has_come(services: Services) -> None:
    broad = ribbon_figures(services.today.ribbon(services.states.probe_states()), CLOCK)[0]
    row = next(r for r in broad.rows if r.state.probe.label == "A-DO")
    assert row.waits[0].filled / row.waits[0].width == pytest.approx(40 / 90, abs=0.02)
    assert row.blocked is not None  # its new membrane is not calibrated yet
    assert row.blocked[0] >= row.waits[0].x + row.waits[0].width


@pytest.mark.parametrize("name", [c.name for c in calculations().values() if c.curve])
def test_a_curve_lies_within_its_frame_and_the_answer_on_it(name: str) -> None:
    inputs = {k: float(v) if isinstance(v, int) else v for k, v in good(name).items()}
    picture = picture_of(calculate(name, inputs), inputs)
    assert picture is not None
    figure = curve_figure(picture)
    for line in figure.lines:
        for piece in line.pieces:
            places = np.array([tuple(map(float, p.split(","))) for p in piece.split()])
            assert (places[:, 0] >= figure.left - 0.2).all()
            assert (places[:, 0] <= figure.right + 0.2).all()
            assert (places[:, 1] >= figure.top - 0.2).all()
            assert (places[:, 1] <= figure.bottom + 0.2).all()
    assert figure.left <= figure.point[0] <= figure.right
    assert figure.top <= figure.point[1] <= figure.bottom


def test_a_probes_course_with_its_bands_and_trend(services: Services) -> None:
    ageing = next(c for c in services.kit.cards() if c.state.probe.label == "B-pH")
    slope = services.kit.life(ageing.state.probe.id).courses[0]
    figure = course_figure(slope, CLOCK)
    assert figure is not None
    assert figure.trend is not None
    assert figure.trend[3] > figure.trend[1]  # falls: further down on the screen
    assert figure.doubtful[0] <= figure.sound[0] < figure.sound[1] <= figure.doubtful[1]
    assert slope.trend is not None
    assert slope.trend.already_out


def test_a_plans_tracks(services: Services) -> None:
    plan = services.planned.plan(services.planned.ahead()[0].id)
    figures = plan_figures(plan, CLOCK)
    assert [f.name for f in figures] == ["broad", "narrow"]
    for figure in figures:
        assert len(figure.tracks) == len({s.probe.probe.id for s in plan.steps})
        last = max(b.x + b.width + b.wait for _, _, bars in figure.tracks for b in bars)
        assert figure.departure_x == pytest.approx(last)
        assert sum(len(bars) for _, _, bars in figure.tracks) == len(plan.steps)
        for _, y, bars in figure.tracks:
            assert y + figure.row <= figure.height
            for bar in bars:
                assert figure.left <= bar.x
                assert bar.x + bar.width + bar.wait <= figure.width
        places = [x for x, _ in figure.ticks]
        assert len(places) >= 2
        assert all(b - a >= 60 for a, b in pairwise(places)), "words of ticks run into each other"
