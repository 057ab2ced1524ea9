"""Two instruments in one water: E_n (ISO 13528) hand-worked, and what it means for the tip."""

from __future__ import annotations

import math

import pytest
from tests.comparing import FROZEN, TIP, beside
from tests.said import remedy, sentence

from brumel.core.calibrating.comparing import compared, comparison_finding, level_of_point, off_its_target
from brumel.core.calibrating.judging import judge
from brumel.core.calibrating.procedure import StepKind
from brumel.core.findings import Finding, Level, verdict
from brumel.core.sensing.run import JudgedPoint, Use
from brumel.core.sensing.tolerances import Tolerances
from brumel.core.shipped_rules import shipped
from brumel.devices.simulation.chlorine import ChlorineModel
from brumel.devices.simulation.model import Ailment, Liquid


def judged(*points: JudgedPoint) -> tuple[Level, dict[str, Finding]]:
    response, findings = judge(FROZEN, points, None, rules=shipped())
    assert response is not None
    assert response.by_key == {"zero": 0.0, "gain": 1.0}
    return verdict(findings), {f.code: f for f in findings}


def test_en_by_hand() -> None:
    """Tip: zero 0.02/√3, gain 4 %/√3 of 1.40, display 0.01, filling 0.02; photometer u 0.04; 0.22 apart."""
    found = compared(beside(1.40, 1.62), TIP)
    u = math.sqrt((0.02**2 + (0.04 * 1.40) ** 2) / 3 + 0.01**2 + 0.02**2)
    assert found.u_shown == pytest.approx(2 * u)
    assert found.u_beside == pytest.approx(0.08)
    assert found.en == pytest.approx(0.22 / (2 * math.hypot(u, 0.04)))
    assert found.percent == pytest.approx(-13.58, abs=0.005)


@pytest.mark.parametrize(
    ("shown", "reference", "u", "level", "words"),
    [
        (3.23, 3.47, 0.10, Level.SOUND, "They agree: E_n 0.94."),  # 0.24 / (2 · √(0.0787² + 0.10²))
        (1.20, 1.62, 0.04, Level.UNFIT, "They disagree: E_n 3.83, more than the two uncertainties can explain."),
        (0.03, 0.02, 0.03, Level.DOUBTFUL, "It can't be told whether they agree: together they resolve ±0.08 mg/L."),
        (0.00, 0.00, 0.03, Level.DOUBTFUL, "It can't be told whether they agree: together they resolve ±0.08 mg/L."),
        (1.20, 1.25, 0.40, Level.DOUBTFUL, "It can't be told whether they agree: together they resolve ±0.80 mg/L."),
    ],
)
def test_agree_disagree_or_it_cannot_be_told(
    shown: float, reference: float, u: float, level: Level, words: str
) -> None:  # fmt: skip
    point = beside(shown, reference, u)
    found, by_code = judged(point)
    finding = by_code["agreement"]
    assert (found, finding.level) == (level, level)
    assert words in sentence(finding)
    assert level_of_point(point, Tolerances.of(FROZEN["tolerances"]), TIP, TIP) is level
    assert "safe" not in " ".join(sentence(f) + remedy(f) for f in by_code.values()).lower()
    assert set(by_code) == {"agreement"}


def test_what_is_said_of_two_that_disagree() -> None:
    finding = comparison_finding(beside(1.20, 1.62), TIP, Tolerances.of(FROZEN["tolerances"]))
    assert sentence(finding) == (
        "It showed 1.20 (U ±0.07), the instrument beside it 1.62 mg/L (U ±0.08), −25.9 %. "
        "They disagree: E_n 3.83, more than the two uncertainties can explain."
    )
    assert "a new tablet" in remedy(finding)
    assert "third method" in remedy(finding)


def test_the_steps_say_what_hands_do_and_count_the_seconds() -> None:
    steps = shipped().procedure("chlorine-beside").steps
    assert [(s.kind, s.seconds) for s in steps[-2:]] == [(StepKind.WAIT, 20), (StepKind.COMPARE, 10)]
    words = " ".join(s.words for s in steps)
    for said in ("20 mL", "fingers never touch it", "Crush it", "it zeroes itself", "at once", "read both"):
        assert said in words
    assert not any(s.use is Use.ADJUST and s.kind.has_point for s in steps)


@pytest.mark.parametrize("seed", range(12))
def test_the_bench_shows_a_touched_tablet_and_no_false_alarm(seed: int) -> None:
    """A photometer that is right within its U; tips whose zero and gain lie within what is assumed of them."""
    spread = (seed - 5.5) / 5.5
    model = ChlorineModel(seed, zero_mg_l=0.015 * spread, gain=1.0 - 0.03 * spread)
    model.place(Liquid(f"pool {seed}", 24.0, {"total-chlorine": 1.4}, standard=True), 0.0)
    healthy = model.values(60.0)[1]
    assert judged(beside(healthy, 1.4))[0] is Level.SOUND
    model.ailment = Ailment.TABLET
    model.place(Liquid(f"pool {seed} again", 24.0, {"total-chlorine": 1.4}, standard=True), 100.0)
    assert judged(beside(model.values(200.0)[1], 1.4))[0] is Level.UNFIT


def test_a_checks_history_says_what_its_finding_says() -> None:
    point, tolerances = beside(1.20, 1.62), Tolerances.of(FROZEN["tolerances"])
    off, band, percent = off_its_target(point, TIP, tolerances)
    assert percent
    assert f"{off:.1f}".replace("-", "−") in sentence(comparison_finding(point, TIP, tolerances))
    assert band.sound_high == pytest.approx(100.0 * math.hypot(0.0749, 0.08) / 1.62, abs=0.01)
    off, band, percent = off_its_target(beside(0.03, 0.0), TIP, tolerances)
    assert not percent
    assert off == pytest.approx(0.03)


@pytest.mark.parametrize(("reference", "level"), [(1.15, Level.UNFIT), (1.08, Level.DOUBTFUL)])
def test_from_an_en_of_one_on_they_disagree_however_little_they_resolve(reference: float, level: Level) -> None:
    """0.85 and 0.78 mg/L apart, together they resolve ±0.81: E_n 1.05 and 0.97."""
    assert compared(beside(0.30, reference, 0.40), TIP).level is level
