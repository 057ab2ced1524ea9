"""Every finding of a pH calibration and a reading, and no false alarm on a healthy electrode."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest
from tests.glass import GLASS, LIMITS, fitted, line_of, point
from tests.said import remedy, sentence

from brumel.core.calibrating.run_verdict import judge_run
from brumel.core.findings import Acceptance, Finding, Level, verdict
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.ph import millivolts_from_ph
from brumel.core.reading.reading_verdict import Basis, JudgedReading, MetersOwn, judge_reading
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import JudgedPoint, PreviousRun, Run, Use, look_at_signal
from brumel.core.shipped_rules import shipped
from brumel.core.standards.buffers import buffer

HOLDS = (1.0, 7.0)
TECHNICAL = ("technical-7.00", "technical-4.01", "technical-10.01")


def points(
    *, slope: float = 98.0, offset: float = 3.0, cups: tuple[str, ...] = TECHNICAL, t: float = 22.0, seed: int = 0
) -> list[JudgedPoint]:
    """Points labelled with the technical set; ``cups`` says what was really in them."""
    rng = random.Random(seed)
    found = []
    for label, cup in zip(TECHNICAL, cups, strict=False):
        mv = millivolts_from_ph(buffer(cup).ph_at(t) + rng.gauss(0, 0.003), t, slope, offset) + rng.gauss(0, 0.05)
        chosen = buffer(label)
        found.append(
            JudgedPoint(
                f"buffer {chosen.nominal_ph:.2f}",
                point(chosen.ph_at(t), mv, t),
                chosen.nominal_ph,
                "technical",
            )
        )
    return found


def judged(found: list[JudgedPoint], **more: object) -> dict[str, Finding]:
    adjusted = [p.point for p in found if p.use is Use.ADJUST]
    line = fitted(adjusted, more.pop("carried", None))  # type: ignore[arg-type]
    return {f.code: f for f in judge_run(Run(tuple(found), line, LIMITS, **more))}  # type: ignore[arg-type]


@pytest.mark.parametrize("seed", range(40))
def test_no_false_alarm_on_a_healthy_electrode(seed: int) -> None:
    rng = random.Random(seed)
    found = judged(points(slope=rng.uniform(96, 101), offset=rng.uniform(-13, 13), t=rng.uniform(12, 30), seed=seed))
    assert verdict(found.values()) is Level.SOUND, found


@pytest.mark.parametrize(("slope", "level"), [(94.0, Level.DOUBTFUL), (88.0, Level.UNFIT), (103.5, Level.DOUBTFUL)])
def test_slope(slope: float, level: Level) -> None:
    found = judged(points(slope=slope))["slope"]
    assert found.level is level
    assert remedy(found)


@pytest.mark.parametrize(("offset", "level"), [(20.0, Level.DOUBTFUL), (-36.0, Level.UNFIT)])
def test_offset(offset: float, level: Level) -> None:
    assert judged(points(offset=offset))["offset"].level is level


SOUND, DOUBTFUL, UNFIT = Level.SOUND, Level.DOUBTFUL, Level.UNFIT


@pytest.mark.parametrize(
    ("limit", "values"),
    [
        # Limits as practitioners hold them, bounds included (common practice).
        ("slope", {89.99: UNFIT, 90: DOUBTFUL, 94.99: DOUBTFUL, 95: SOUND, 102: SOUND, 102.01: DOUBTFUL, 105: DOUBTFUL,
                   105.01: UNFIT}),
        ("offset", {-30.01: UNFIT, -30: DOUBTFUL, -15.01: DOUBTFUL, -15: SOUND, 15: SOUND, 15.01: DOUBTFUL,
                    30: DOUBTFUL, 30.01: UNFIT}),
        ("residual", {0.05: SOUND, 0.051: DOUBTFUL, 0.07: DOUBTFUL, 0.071: UNFIT, -0.05: SOUND, -0.07: DOUBTFUL,
                      -0.071: UNFIT}),
    ],
)  # fmt: skip
def test_limits_include_their_bounds(limit: str, values: dict[float, Level]) -> None:
    bounds = LIMITS.residual.bounds(7.0) if limit == "residual" else LIMITS.coefficients[limit].bounds
    assert {value: bounds.level(value) for value in values} == values


def test_other_limits_are_those_of_the_trade() -> None:
    """Temperatures, change since the last run, how long it holds: common practice."""
    assert (LIMITS.temperature_spread_c, LIMITS.change_signal, LIMITS.coefficients["slope"].change) == (5.0, 6.0, 3.0)
    assert LIMITS.holds_days == (1.0, 7.0)


@pytest.mark.parametrize("case", range(8))
def test_what_is_not_sound_says_what_to_do_and_how_long(case: int) -> None:
    base = points()
    last = PreviousRun(fitted([p.point for p in points(offset=12.0)]), 1.0)
    found = [
        judged(points(slope=93.0)),
        judged(points(slope=104.0)),
        judged(points(offset=20.0)),
        judged(points(cups=("phosphate-6.865", *TECHNICAL[1:]), t=25.0)),
        judged(points(cups=(TECHNICAL[1], TECHNICAL[0], TECHNICAL[2]))),
        judged([*points(cups=(*TECHNICAL[:2], "borax-9.180"))[:2], replace(base[2], use=Use.CHECK, family="primary")]),
        judged(base, previous=last, waters=(3.0, 8.0)),
        judged(
            [
                replace(p, acceptance=Acceptance.UNSETTLED, expired_days=2, over_open_days=2, target_known=False)
                for p in base
            ]
        ),
    ][case]
    assert verdict(found.values()) is not SOUND
    for finding in found.values():
        assert (finding.level is SOUND and finding.code != "family-not-verified") == (remedy(finding) == ""), finding
        follows = remedy(finding).startswith("It follows from the finding above")
        assert (finding.minutes is None) == (follows or remedy(finding) == ""), finding


@pytest.mark.parametrize(
    ("slope", "offset", "said"),
    [
        (98.0, 8.8, False),
        (98.0, 9.3, True),
        (98.0, -3.3, True),
        (95.2, 3.0, False),
        (94.8, 3.0, True),
        (101.2, 3.0, True),
    ],
)
def test_a_change_since_the_last_run_is_said_beyond_six_millivolts_or_three_percent(
    slope: float, offset: float, said: bool
) -> None:
    def exact(s: float, o: float) -> list[JudgedPoint]:
        """About neutral, so that a slope moves no point by more than it may."""
        near = [(6.9, 7.0), (7.1, 7.0), (7.6, 7.6)]
        return [
            JudgedPoint(f"{ph}", point(ph, millivolts_from_ph(ph, 25.0, s, o), 25.0), nominal, "technical")
            for ph, nominal in near
        ]

    last = fitted([p.point for p in exact(98.0, 3.0)])
    assert ("changed-since-last" in judged(exact(slope, offset), previous=PreviousRun(last, 1.0))) is said


@pytest.mark.parametrize("order", [(1, 0, 2), (0, 2, 1), (2, 1, 0), (1, 2, 0)])
@pytest.mark.parametrize("slope", [90.0, 98.0])
def test_swapped_buffers_are_named(order: tuple[int, ...], slope: float) -> None:
    found = judged(points(slope=slope, cups=tuple(TECHNICAL[i] for i in order)))
    assert found["buffers-swapped"].level is Level.UNFIT
    for place, i in enumerate(order):
        named = f"{buffer(TECHNICAL[place]).nominal_ph:.2f}" in sentence(found["buffers-swapped"])
        assert named == (place != i)


@pytest.mark.parametrize(("slope", "named"), [(84.9, False), (85.5, True), (106.9, True), (107.5, False)])
def test_an_exchange_is_named_where_it_leaves_a_slope_that_an_electrode_has(slope: float, named: bool) -> None:
    """85 to 107 % (common practice)."""
    found = judged(points(slope=slope, cups=(TECHNICAL[1], TECHNICAL[0], TECHNICAL[2])))
    assert ("buffers-swapped" in found) is named


@pytest.mark.parametrize(("t", "asked"), [(45.0, False), (77.0, True), (-3.0, True)])
def test_a_buffer_warmer_than_any_water_is_asked_about(t: float, asked: bool) -> None:
    """77 °F are 25 °C."""
    point = replace(points()[0], target_known=False)
    warm = replace(point, point=replace(point.point, at=replace(point.point.at, temperature_c=t)))
    said = sentence(judged([warm])["standard-temperature"])
    assert ("Was °F meant" in said, "Was °F meant (25.0 °C)?" in said) == (asked, t == 77.0)


def test_two_swapped_buffers() -> None:
    assert "buffers-swapped" in judged(points(cups=(TECHNICAL[1], TECHNICAL[0])))


def test_same_buffer_twice_and_everywhere() -> None:
    assert judged(points(cups=(TECHNICAL[0], TECHNICAL[0], TECHNICAL[2])))["same-buffer-twice"].level is Level.UNFIT
    assert judged(points(cups=(TECHNICAL[0],) * 3))["same-potential"].level is Level.UNFIT


def test_wrong_family_shows_in_three_points_and_is_named() -> None:
    found = judged(points(cups=("phosphate-6.865", TECHNICAL[1], TECHNICAL[2]), t=25.0))
    assert found["residual"].level is not Level.SOUND
    assert "phosphate-6.865" in sentence(found["another-family"])
    assert next(iter(found)) == "another-family"


def test_what_was_done_badly_is_said() -> None:
    base = points()
    cases = {
        "not-settled": replace(base[0], acceptance=Acceptance.UNSETTLED, settling="Wandering."),
        "lot-expired": replace(base[0], expired_days=3),
        "lot-open-too-long": replace(base[0], over_open_days=3),
        "standard-temperature": replace(base[0], target_known=False),
        "deviation": replace(base[0], deviations=(shipped().deviations["rinse-skipped"].said,)),
        "mixed-families": replace(base[0], family="primary"),
        "temperatures-apart": replace(base[0], point=replace(base[0].point, at=Conditions(28.0))),
    }
    for code, spoilt in cases.items():
        level = Level.UNFIT if code.startswith("lot-") else Level.DOUBTFUL
        assert judged([spoilt, *base[1:]])[code].level is level


def test_two_points_say_that_the_family_is_not_verified() -> None:
    assert "family-not-verified" in judged(points()[:2])


def test_one_point_is_weaker() -> None:
    assert judged(points()[:1], carried=line_of(97.0, 0.0, 0.3))["one-point"].level is Level.DOUBTFUL


def test_check_point_is_not_adjusted_to() -> None:
    base = points(cups=(TECHNICAL[0], TECHNICAL[1], "borax-9.180"))
    found = judged([*base[:2], replace(base[2], use=Use.CHECK)])
    assert found["check-residual"].level is Level.UNFIT
    assert found["slope"].level is Level.SOUND


def test_a_jump_since_the_last_run_and_waters_beyond_the_buffers() -> None:
    last = fitted([p.point for p in points(offset=12.0)])
    found = judged(points(), previous=PreviousRun(last, 1.0), waters=(3.0, 8.0))
    assert found["changed-since-last"].level is Level.DOUBTFUL
    assert found["not-bracketing"].level is Level.DOUBTFUL


def test_scatter_beyond_the_certificates() -> None:
    spoilt = points()
    off = replace(spoilt[0], point=replace(spoilt[0].point, value=spoilt[0].point.value + 0.06, u_value=0.005))
    tight = [off, *(replace(p, point=replace(p.point, u_value=0.005)) for p in spoilt[1:])]
    assert "scatter" in judged(tight)


def test_the_cup_is_looked_at_before_the_point_is_taken() -> None:
    mv = millivolts_from_ph(4.0, 22.0)
    usual, at = Response.usual(GLASS), Conditions(22.0)
    assert not look_at_signal(mv, at, 4.0, usual, LIMITS, []).unlike
    wrong = look_at_signal(mv, at, 7.02, usual, LIMITS, [("the acid buffer", 4.0)])
    assert wrong.unlike
    assert "the acid buffer" in sentence(wrong)


def reading_basis() -> Basis:
    return Basis(fitted([p.point for p in points()]), Level.SOUND, 0.3, (4.0, 10.06), HOLDS)


def reading(**changes: object) -> dict[str, Finding]:
    basis = reading_basis()
    base = JudgedReading("ph", 7.4, 18.0, basis, Acceptance.SETTLED)
    return {f.code: f for f in judge_reading(replace(base, **changes))}  # type: ignore[arg-type]


def test_findings_of_a_reading() -> None:
    assert reading() == {}
    basis = reading_basis()
    assert reading(basis=None)["calibration-missing"].level is Level.UNFIT
    assert reading(basis=replace(basis, age_days=1.5))["calibration-old"].level is Level.DOUBTFUL
    assert reading(basis=replace(basis, age_days=8.0))["calibration-old"].level is Level.UNFIT
    assert "calibration-doubtful" in reading(basis=replace(basis, level=Level.DOUBTFUL))
    assert "calibration-unfit" in reading(basis=replace(basis, level=Level.UNFIT))
    assert "not-bracketed" in reading(value=10.4)
    assert "site-range" in reading(expected=(7.5, 8.0))
    assert "not-settled" in reading(acceptance=Acceptance.UNSETTLED)
    assert "implausible" in reading(value=15.0)
    assert reading(temperature_c=45.0) == reading(temperature_c=-2.0) == {}
    assert "was °F meant (22.2 °C)" in sentence(reading(temperature_c=72.0)["temperature-implausible"])


@pytest.mark.parametrize(("days", "words"), [(1.5, "36 hours"), (1.99, "48 hours"), (2.0, "2 days"), (6.6, "7 days")])
def test_how_old_a_calibration_is_is_said_in_hours_for_two_days(days: float, words: str) -> None:
    found = reading(basis=replace(reading_basis(), age_days=days))["calibration-old"]
    assert f"is {words} old; it holds 1 day soundly and 7 days at most" in sentence(found)


def test_a_meters_own_line_is_not_judged_by_ours() -> None:
    old = replace(reading_basis(), age_days=30.0, level=Level.UNFIT)
    shown = reading(meter=MetersOwn("A-meter", accuracy_known=True), basis=old)
    assert [(f.code, f.level) for f in shown.values()] == [("meters-own-line", Level.SOUND)]
    assert sentence(shown["meters-own-line"]) == "The pH is as A-meter shows it; U comes from its stated accuracy."
    unknown = reading(meter=MetersOwn())["meter-unknown"]
    assert unknown.level is Level.DOUBTFUL
    assert "U is taken wide, ±0.2 pH" in sentence(unknown)
    assert "type the millivolts" in remedy(unknown)
    assert "type the" not in remedy(reading(meter=MetersOwn(), signal="")["meter-unknown"])
    for level in (Level.DOUBTFUL, Level.UNFIT):
        checked = reading(meter=MetersOwn("A-meter", checked="Mon 4 May", level=level))
        assert checked[f"meter-run-{level}"].level is level
    lost = reading(meter=MetersOwn("A-meter", lost_calibration="A-meter switched off"))["meter-lost-calibration"]
    assert lost.level is Level.UNFIT


def test_a_calibration_holds_as_long_as_it_was_told_when_it_was_made() -> None:
    week = replace(reading_basis(), holds_days=(7.0, 30.0))
    assert reading(basis=replace(week, age_days=7.0)) == {}
    assert "holds 7 days soundly and 30 days at most" in sentence(
        reading(basis=replace(week, age_days=7.1))["calibration-old"]
    )
    assert reading(basis=replace(week, age_days=30.1))["calibration-old"].level is Level.UNFIT
