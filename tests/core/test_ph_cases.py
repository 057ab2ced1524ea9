"""pH case by case: the line to the digit, the budget, and what ails a run or a reading, with the reason."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest
from tests.glass import GLASS, LIMITS, fitted, line_of, point
from tests.said import sentence

from brumel.core.calibrating.run_verdict import judge_run
from brumel.core.findings import Acceptance, Finding, Level
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.ph import millivolts_from_ph
from brumel.core.reading.reading_verdict import Basis, JudgedReading, MetersOwn, judge_reading
from brumel.core.sensing.fit import Point
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import JudgedPoint, PreviousRun, Run, Use, look_at_signal
from brumel.core.shipped_rules import shipped
from brumel.core.standards.buffers import buffer, buffer_of_label

NEUTRAL = point(7.02, 3.4, 20.0, 0.01, 0.15, "n")
ACID = point(4.00, 175.1, 20.2, 0.01, 0.2, "a")
ALKALINE = point(10.06, -170.9, 19.8, 0.01, 0.15, "k")


@pytest.mark.parametrize(
    ("points", "carried", "line", "residuals", "consistency", "temperature_c"),
    # Slope, %; offset, mV; u of both; their covariance. Figures of this tool, 25 November 2026.
    [
        (
            [NEUTRAL, ACID, ALKALINE], None,
            (98.158924, 3.977216, 0.242893, 0.343765, 0.002582), (-0.00989, 0.004955, 0.004936), 0.243256, 20.0,
        ),
        ([NEUTRAL, ACID], None, (97.676625, 4.536316, 0.480397, 0.58375, -0.193769), (0.0, 0.0), None, 20.1),
        (
            [NEUTRAL], line_of(97.0, 0.0, 0.6),
            (97.0, 4.528445, 0.6, 0.583863, 0.004188), (0.0,), None, 20.0,
        ),
        ([ACID], None, (100.0, 0.47922, 2.5, 4.409228, -10.913799), (0.0,), None, 20.2),
        (
            [NEUTRAL, replace(NEUTRAL, signal=3.6), ACID], None,
            (97.619737, 4.635654, 0.476335, 0.573839, -0.1872), (0.001761, -0.001761, 0.0), 0.809712, 20.066667,
        ),
        (
            [point(6.984, 1.2, 0.0, 0.005), point(4.0, 160.3, 0.5, 0.005)], None,
            (98.193576, 0.348484, 0.270001, 0.307104, -0.058206), (0.0, 0.0), None, 0.25,
        ),
    ],
    ids=["three", "two", "one carried", "one assumed", "a bottle twice", "cold"],
)  # fmt: skip
def test_the_line(
    points: list[Point], carried: Response | None, line: tuple[float, ...], residuals: tuple[float, ...],
    consistency: float | None, temperature_c: float,
) -> None:  # fmt: skip
    made = fitted(points, carried)
    found = (made["slope"], made["offset"], made.u("slope"), made.u("offset"), made.covariance[0][1])
    assert found == pytest.approx(line, abs=1e-6)
    assert made.residuals == pytest.approx(residuals, abs=1e-6)
    assert all(str(r) != "-0.0" for r in made.residuals)
    assert made.consistency == (None if consistency is None else pytest.approx(consistency, abs=1e-6))
    assert made.temperature_c == pytest.approx(temperature_c, abs=1e-6)


@pytest.mark.parametrize(
    ("given", "ph", "u", "shares"),
    [
        (
            {"mv": -40.0, "temperature_c": 12.0, "age_days": 2.0, "left_over": 0.004}, 7.791837, 0.025763,
            {
                "junction": 0.02, "drift": 0.011547, "isopotential": 0.008099,
                "line": 0.006434, "left-over": 0.004, "signal": 0.002701,
                "temperature": 0.000321,
            },
        ),
        (
            {"mv": 100.0, "temperature_c": 25.0}, 5.346436, 0.021996,
            {
                "junction": 0.02, "line": 0.0073, "isopotential": 0.004841,
                "signal": 0.002583, "temperature": 0.00064, "left-over": 0.0,
                "drift": 0.0,
            },
        ),
    ],
)  # fmt: skip
def test_a_reading_and_its_budget(given: dict[str, float], ph: float, u: float, shares: dict[str, float]) -> None:
    line = fitted([NEUTRAL, ACID, ALKALINE])
    mv, at = given.pop("mv"), Conditions(given.pop("temperature_c"))
    budget = line.budget(mv, at, **given)
    assert line.value(mv, at) == pytest.approx(ph, abs=1e-6)
    assert line.signal(ph, at) == pytest.approx(mv, abs=1e-4)
    assert budget.u == pytest.approx(u, abs=1e-6)
    assert budget.expanded == pytest.approx(2 * u, abs=2e-6)
    assert {c.key: c.share for c in budget.contributions} == pytest.approx(shares, abs=1e-6)


def points(slope: float = 98.0, offset: float = 3.0, cups: tuple[float, ...] = (7.02, 4.0, 10.06)) -> list[JudgedPoint]:
    labels = (("neutral 7.00", 7.00, 7.02), ("acid 4.01", 4.01, 4.00), ("alkaline 10.01", 10.01, 10.06))
    return [
        JudgedPoint(
            label,
            point(value, round(float(millivolts_from_ph(cup, 20.0, slope, offset)), 2) + off, 20.0),
            nominal,
            "technical",
        )
        for (label, nominal, value), cup, off in zip(labels, cups, (0.3, -0.2, 0.1), strict=False)
    ]


def run(found: list[JudgedPoint], **more: object) -> list[Finding]:
    carried = more.pop("carried", None)
    line = fitted([p.point for p in found if p.use is Use.ADJUST], carried)  # type: ignore[arg-type]
    return judge_run(Run(tuple(found), line, LIMITS, **more))  # type: ignore[arg-type]


def reading(**changes: object) -> list[Finding]:
    basis = Basis(fitted([p.point for p in points()]), Level.SOUND, 0.3, (4.0, 10.06), (1.0, 7.0))
    basis = replace(basis, **changes.pop("basis", {}))  # type: ignore[arg-type]
    return judge_reading(replace(JudgedReading("ph", 7.4, 18.0, basis, Acceptance.SETTLED), **changes))  # type: ignore[arg-type]


def spoilt(**how: object) -> list[JudgedPoint]:
    first, *rest = points()
    return [replace(first, **how), *rest]  # type: ignore[arg-type]


CASES: dict[str, tuple[Callable[[], list[Finding]], str, str]] = {
    "healthy": (lambda: run(points()), "", "a new electrode in fresh buffers"),
    "slope low": (lambda: run(points(slope=92.0)), "doubtful slope", "below 95 %, not below 90"),
    "slope unfit": (lambda: run(points(slope=86.0)), "unfit slope", "below 90 %"),
    "slope high": (lambda: run(points(slope=104.0)), "doubtful slope", "an electrode is no steeper than Nernst"),
    "offset": (lambda: run(points(offset=-22.0)), "doubtful offset", "beyond 15 mV, not beyond 30"),
    "offset unfit": (lambda: run(points(offset=41.0)), "unfit offset", "beyond 30 mV"),
    "stale alkaline": (
        lambda: run(points(cups=(7.02, 4.0, 9.80))),
        "unfit residual, doubtful slope, doubtful scatter",
        "air makes an open alkaline buffer sour",
    ),
    "swapped": (
        lambda: run(points(cups=(4.0, 7.02, 10.06))),
        "unfit buffers-swapped, unfit slope, unfit residual, doubtful scatter",
        "the cause stands before what it spoils",
    ),
    "same twice": (
        lambda: run(points(cups=(7.02, 7.02, 10.06))),
        "unfit same-buffer-twice, unfit slope, unfit offset, unfit residual, doubtful scatter",
        "the cause stands first",
    ),
    "same everywhere": (
        lambda: run(points(cups=(7.02, 7.02, 7.02))),
        "unfit same-potential, unfit slope, unfit residual",
        "a cracked bulb gives one potential",
    ),
    "one point": (lambda: run(points()[:1]), "doubtful one-point", "no slope was seen"),
    "one point, carried": (
        lambda: run(points()[:1], carried=line_of(96.5, 0.0, 0.4)),
        "doubtful one-point",
        "nor this time",
    ),
    "two points": (lambda: run(points()[:2]), "", "their family can not be verified: said, and sound"),
    "check": (
        lambda: run([*points()[:2], replace(points(cups=(7.02, 4.0, 10.2))[2], use=Use.CHECK)]),
        "unfit check-residual",
        "0.14 off in the buffer that nothing was adjusted to",
    ),
    "families": (
        lambda: run(spoilt(family="primary")),
        "doubtful mixed-families",
        "7.00 and 6.86 are two scales of labels",
    ),
    "unsettled": (
        lambda: run(spoilt(acceptance=Acceptance.UNSETTLED, settling="Wandering.")),
        "doubtful not-settled",
        "taken early",
    ),
    "expired": (lambda: run(spoilt(expired_days=1)), "unfit lot-expired", "one day is a day"),
    "open too long": (lambda: run(spoilt(over_open_days=12)), "unfit lot-open-too-long", "air and evaporation"),
    "label only": (
        lambda: run(spoilt(target_known=False)),
        "doubtful standard-temperature",
        "no table at this temperature",
    ),
    "deviation": (
        lambda: run(
            spoilt(deviations=(shipped().deviations["rinse-skipped"].said, shipped().deviations["cup-shared"].said))
        ),
        "doubtful deviation",
        "carry-over",
    ),
    "temperatures": (
        lambda: run(spoilt(point=replace(points()[0].point, at=Conditions(26.0)))),
        "doubtful temperatures-apart",
        "6 °C between two buffers",
    ),
    "changed": (
        lambda: run(points(), previous=PreviousRun(fitted([p.point for p in points(offset=12.0)]), 3.0)),
        "doubtful changed-since-last",
        "9 mV in three days",
    ),
    "waters": (lambda: run(points()[:2], waters=(6.1, 8.6)), "doubtful not-bracketing", "8.6 lies beyond 7.00"),
    "reading": (lambda: reading(), "", "nothing is wrong"),
    "reading without a line": (
        lambda: judge_reading(JudgedReading("ph", 7.4, 18.0, None)),
        "unfit calibration-missing",
        "it rests on nothing",
    ),
    "reading, voided": (
        lambda: reading(basis={"voided_by": "electrode changed"}),
        "unfit calibration-voided",
        "another electrode",
    ),
    "reading, old": (lambda: reading(basis={"age_days": 1.4}), "doubtful calibration-old", "older than its day"),
    "reading, too old": (lambda: reading(basis={"age_days": 9.0}), "unfit calibration-old", "older than its week"),
    "reading, doubtful": (
        lambda: reading(basis={"level": Level.DOUBTFUL, "worst": "Slope 93 %."}),
        "doubtful calibration-doubtful",
        "no better than what it rests on",
    ),
    "reading, unfit": (
        lambda: reading(basis={"level": Level.UNFIT}),
        "unfit calibration-unfit",
        "no better than what it rests on",
    ),
    "reading, beyond": (
        lambda: reading(value=10.6, expected=(6.5, 8.5)),
        "doubtful not-bracketed, doubtful site-range",
        "beyond buffers and site",
    ),
    "reading, unsettled": (lambda: reading(acceptance=Acceptance.UNSETTLED), "doubtful not-settled", "taken early"),
    "reading, no water": (
        lambda: reading(value=14.2, temperature_c=72.0),
        "unfit implausible, doubtful not-bracketed, doubtful temperature-implausible",
        "no water has that",
    ),
    "reading, the meter's": (
        lambda: reading(meter=MetersOwn("A-meter")),
        "doubtful meter-unknown",
        "nothing is known of its line",
    ),
    "reading, a meter that was off": (
        lambda: reading(meter=MetersOwn("A-meter", True, "on 06 May, 08:30")),
        "unfit meter-lost-calibration",
        "it forgets without power",
    ),
}
"""Name: what is judged, all of it that is not sound, and why."""


@pytest.mark.parametrize("name", CASES)
def test_what_ails_it_is_found_and_nothing_else(name: str) -> None:
    case, expected, why = CASES[name]
    assert ", ".join(f"{f.level} {f.code}" for f in case() if f.level is not Level.SOUND) == expected, why


def test_what_is_said_of_a_cup_before_its_point_is_taken() -> None:
    line, usual, at = line_of(98.0, 3.0), Response.usual(GLASS), Conditions(20.0)
    neutral = [("the neutral buffer, 7.00", 7.02)]
    right = look_at_signal(176.0, at, 4.0, line, LIMITS, [])
    wrong = look_at_signal(2.0, at, 4.0, line, LIMITS, neutral)
    lost = look_at_signal(60.0, at, 4.0, usual, LIMITS, neutral)
    assert (right.unlike, sentence(right)) == (False, "This buffer should give about +174 mV.")
    assert sentence(wrong) == (
        "This buffer should give about +174 mV; the probe gives +2 mV. It looks like the neutral buffer, 7.00."
    )
    assert sentence(lost).endswith("the probe gives +60 mV. Wrong cup, or the probe is not in the liquid?")
    assert right.expected == pytest.approx(174.02, abs=0.01)
    assert not look_at_signal(204.01, at, 4.0, line, LIMITS, []).unlike
    assert look_at_signal(204.02, at, 4.0, line, LIMITS, []).unlike


def test_what_a_run_keeps_of_its_method() -> None:
    procedure = shipped().procedures["ph-neutral-side-check"]
    kept = procedure.frozen(
        shipped(),
        waters=(7.7, 8.4),
        rinse=shipped().rinses["deionised-and-buffer"],
        kind="ph-combination",
        holds_days=(1.0, 7.0),
    )
    assert [(x["key"], x["role"], x["use"], x["kind"]) for x in kept["steps"]] == [
        ("neutral", "neutral", "adjust", "cup"), ("side", "alkaline", "adjust", "cup"),
        ("opposite", "acid", "check", "cup"),
    ]  # fmt: skip
    limits = kept["tolerances"]
    assert limits["coefficients"]["slope"]["bounds"] == [95.0, 102.0, 90.0, 105.0]
    assert limits["coefficients"]["slope"]["change"] == 3.0
    assert limits["coefficients"]["offset"]["bounds"] == [-15.0, 15.0, -30.0, 30.0]
    assert (limits["residual"], limits["holds_days"]) == ([0.05, 0.07], [1.0, 7.0])
    assert (limits["temperature_spread_c"], limits["same_signal_share"], limits["change_signal"]) == (5.0, 0.30, 6.0)
    assert kept["rinse"]["standard_share"] == 0.5
    assert (kept["code"], kept["version"], kept["principle"]) == ("ph-neutral-side-check", 1, "glass")
    assert shipped().procedures["ph-neutral-side-check"].steps_for((5.0, 6.0), shipped())[1].role == "acid"


@pytest.mark.parametrize(
    ("name", "t", "value"),
    # Buck et al. 2002 (IUPAC) for the primary buffers, from memory, ±0.005 between printed editions; the technical
    # set's curves are common practice.
    [
        ("phthalate-4.005", 0, 4.000), ("phthalate-4.005", 45, 4.038), ("phosphate-6.865", 10, 6.923),
        ("borax-9.180", 30, 9.139), ("carbonate-10.012", 20, 10.062), ("technical-7.00", 15, 7.04),
        ("technical-10.01", 5, 10.25), ("technical-4.01", 40, 4.04),
    ],
)  # fmt: skip
def test_the_values_of_buffers(name: str, t: float, value: float) -> None:
    assert buffer(name).ph_at(t) == pytest.approx(value, abs=0.0005)


def test_a_label_is_a_buffer_of_its_family() -> None:
    assert buffer_of_label("technical", 7.0).u_ph == 0.01
    assert buffer_of_label("technical", 7.0, u_ph=0.004).u_ph == 0.004
