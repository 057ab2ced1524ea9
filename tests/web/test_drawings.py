"""Geometry of the pictures: everything lies within its frame and says what the numbers say."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.calculated import good
from tests.conftest import NOW

from brumel.core.findings import Level
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import calculations
from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.services.reckon.pictures import picture_of
from brumel.services.today.strip import Mark
from brumel.web.figures.drawing import course_figure, curve_figure, plan_figures
from brumel.web.figures.ribbon import FORMATS, LABEL, day_lines, lanes
from brumel.web.figures.scale import Scale

CLOCK = Clock(ZoneInfo("UTC"), NOW)


@given(st.floats(-1e6, 1e6), st.floats(1e-3, 1e6), st.integers(2, 8))
def test_ticks_are_round_rising_and_within(low: float, span: float, about: int) -> None:
    ticks = Scale(low, low + span, 0.0, 100.0).ticks(about)
    assert ticks == sorted(ticks)
    assert all(low - span * 1e-6 <= t <= low + span * (1 + 1e-6) for t in ticks)
    assert len(ticks) <= 3 * about


def test_the_ribbon_in_both_widths(services: Services) -> None:
    broad, narrow = lanes(services.today.ribbon(), CLOCK)
    assert [r.state.probe.label for r in broad.rows] == [r.state.probe.label for r in narrow.rows]
    for figure, form in ((broad, FORMATS[0]), (narrow, FORMATS[1])):
        share = form.before / (form.before + form.after)
        assert figure.frame.now_x == pytest.approx(LABEL + share * (form.width - LABEL), abs=0.2)
        for row in figure.rows:
            for bar in row.bars:
                assert bar.x >= LABEL
                assert bar.x + bar.width <= form.width + 0.2
            for wait in row.waits:
                assert 0 <= wait.filled <= wait.width
            for dot in row.dots:
                assert LABEL <= dot.x <= form.width


def test_a_wait_is_filled_as_far_as_it_has_come(services: Services) -> None:
    broad = lanes(services.today.ribbon(), CLOCK)[0]
    row = next(r for r in broad.rows if r.state.probe.label == "A-DO")
    assert row.waits[0].filled / row.waits[0].width == pytest.approx(40 / 90, abs=0.02)
    assert row.blocked is not None  # its new membrane is not calibrated yet
    assert row.blocked[0] >= row.waits[0].x + row.waits[0].width


def test_the_slim_line_is_as_high_however_many_probes_there_are_and_counts_them(services: Services) -> None:
    ribbon = services.today.ribbon()
    whole, one = day_lines(ribbon, CLOCK)[0], day_lines(ribbon.of(ribbon.lanes[0].state.probe.id), CLOCK)[0]
    assert whole.frame.height == one.frame.height < 60
    counts = dict(whole.counts)
    assert sum(counts.values()) == len(ribbon.lanes)
    assert counts["waiting"] == 2
    assert counts["blocked"] == 1
    top, height = whole.line
    for _, x, y, width, tall in whole.layers:
        assert LABEL <= x <= x + width <= whole.frame.width + 0.2
        assert top - 0.1 <= y <= y + tall <= top + height + 0.1
    now = whole.frame.now_x
    standing = [(level, tall) for level, x, _, width, tall in whole.layers if x <= now < x + width]
    kept = [lane for lane in ribbon.lanes if lane.state.keeps_calibration]
    sound = sum(lane.state.level == "sound" for lane in kept)
    assert dict(standing)["sound"] == pytest.approx(height * sound / len(kept), abs=0.1)


def test_marks_that_lie_upon_each_other_become_one_with_the_worst_level(services: Services) -> None:
    ribbon = services.today.ribbon()
    lane = next(lane for lane in ribbon.lanes if lane.state.keeps_calibration)
    near = tuple(
        Mark(ribbon.now - timedelta(minutes=n), level, "reading", None, "pH 7") for n, level in enumerate(Level)
    )
    apart = Mark(ribbon.now - timedelta(hours=3), Level.SOUND, "calibration", None, "Calibrated")
    line = day_lines(replace(ribbon, lanes=(replace(lane, marks=(*near, apart)),)), CLOCK)[0]
    assert [(d.count, d.level, d.kind) for d in line.dots] == [(1, "sound", "calibration"), (3, "unfit", "reading")]
    assert line.dots[1].words == "3 marks: 3 readings; the worst is unfit"


def test_an_expiry_beyond_the_edge_of_the_ribbon_is_told_as_it_is(services: Services) -> None:
    ribbon = services.today.ribbon()
    for lane, row in zip(ribbon.lanes, lanes(ribbon, CLOCK)[0].rows, strict=True):
        for bar in row.bars:
            ends = {CLOCK.said(span.until) for span in lane.spans}
            assert bar.words.split("until ")[1] in ends
            assert f"{CLOCK.local(ribbon.end):%a %d %b, %H:%M}" not in bar.words


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
