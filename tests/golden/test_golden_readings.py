"""What is said of a reading, of a meter that keeps its own calibration, and of two instruments in one water.

One thing grows, and it is pinned where the answer changes, and to which words; ends that can be met exactly are.
Words of this tool, 27 November 2026; ``PYTHONPATH=src:. .venv/bin/python -m tests.golden.test_golden_readings`` writes
them anew.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
from tests.comparing import FROZEN, TIP, beside
from tests.exact_points import fullest_methods, with_signal
from tests.golden.changes import changes
from tests.golden.golden import Golden, words
from tests.said import called, remedy, sentence, source

from brumel.core.calibrating.comparing import compared, level_of_point, off_its_target
from brumel.core.calibrating.judging import judge
from brumel.core.calibrating.meter_run import KeptPoint, judge_kept, of_last_check
from brumel.core.findings import Acceptance, Finding, Level
from brumel.core.quantities.quantity import quantity
from brumel.core.reading.limits import Limit, keeps
from brumel.core.reading.reading_verdict import Basis, JudgedReading, MetersOwn, judge_reading
from brumel.core.reading.together import rests_on
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import JudgedPoint, look_at_signal
from brumel.core.sensing.tolerances import Tolerances
from brumel.core.shipped_rules import shipped

OFF = [float(by) for by in np.geomspace(1e-4, 20.0, 22)]
LESS = [*(by for by in OFF if by < 1.0), 0.992]
HOLDS = (7.0, 30.0)


def said(findings: Iterable[Finding]) -> str:
    """All of it in one line."""
    return " / ".join(f"{f.level} {f.code}: {sentence(f)} {remedy(f)} {f.minutes} {source(f)}" for f in findings)


def readings() -> Iterator[str]:
    """A sound reading, and one thing after another that may be wrong with it."""
    sound = Basis(Response.usual(TIP.principle), Level.SOUND, 1.0, None, HOLDS)
    of = JudgedReading("ph", 7.4, 18.0, sound, Acceptance.SETTLED)
    for days in (0.5, 7.01, 30.01):
        yield f"{days:g} days: {said(judge_reading(replace(of, basis=replace(sound, age_days=days))))}"
    ways: dict[str, dict[str, Any]] = {
        "no line": {"basis": None, "assumed": "a cell constant of 1 /cm"},
        "voided": {"basis": replace(sound, voided_by="a new membrane")},
        "unfit line": {"basis": replace(sound, level=Level.UNFIT, worst="slope 80 %")},
        "doubtful line": {"basis": replace(sound, level=Level.DOUBTFUL)},
        "not settled": {"acceptance": Acceptance.UNSETTLED, "settling": "It drifts."},
        "no movement": {"still_s": 40.4},
        "not compensated": {"instead_of": "specific-conductance"},
        "meter's own": {"meter": MetersOwn()}, "exact meter": {"meter": MetersOwn("M-1", accuracy_known=True)},
        "checked meter": {"meter": MetersOwn("M-1", checked="yesterday")},
        "meter that forgets": {"meter": MetersOwn("M-1", True, "an hour ago")},
    }  # fmt: skip
    for name, how in ways.items():
        yield f"{name}: {said(judge_reading(replace(of, **how)))}"
    for t in (-2.1, 45.1, 77.0):
        yield f"{t:g} °C: {said(judge_reading(replace(of, temperature_c=t)))}"
    for ph, ends in product((6.994, 6.996, 7.8, 7.804, 7.806), ({"expected": (7.0, 7.8)}, {"targets": (7.0, 7.8)})):
        basis = replace(sound, targets=ends.get("targets"))
        yield f"{ph} {ends}: {said(judge_reading(replace(of, value=ph, basis=basis, expected=ends.get('expected'))))}"
    for key in ("ph", "specific-conductance"):
        low, high = quantity(key).plausible
        for value in (low, high, low - 0.02 * (high - low), high * 1.01):
            yield f"{key} {value:g}: {said(judge_reading(replace(of, quantity=key, value=value)))}"

    yield f"rests on: {said(rests_on([('pH 8.9', Level.DOUBTFUL), ('t 28 °C', Level.SOUND), ('TAN', Level.UNFIT)]))}"


def limits() -> Iterator[str]:
    """A value with its U beside a limit: at either end of what is near, which quarters meet exactly."""
    for limit in (Limit("ph", 7.0, 8.0, 6.5, 8.5), Limit("oxygen", 5.0, act_low=3.0), Limit("orp", high=700.0)):
        middle = limit.low or limit.high or 0.0
        for by in (-2.0, -0.5, -0.25, 0.25, 1.5):
            yield f"{limit.quantity} {middle + by:g} ±0.25: {sentence(keeps(limit, middle + by, 0.25))}"
        for by, beyond in product((0.0, 0.25), "<>"):
            yield f"{limit.quantity} {beyond}{middle + by:g}: {sentence(keeps(limit, middle + by, 0.0, beyond))}"


def more(at: KeptPoint, sign: float) -> Callable[[float], str]:
    """What stands behind a meter that shows more, or less, by a share of the target."""

    def found(by: float) -> str:
        shown = replace(at, before=at.target + sign * by * (at.target or 1.0))
        return ", ".join(f"{f.level} {f.code} {f.minutes}" for f in judge_kept([shown], []))

    return found


def kept() -> Iterator[str]:
    """Each check of each kind, as a meter shows more and more, or less; then as it is put right, or late."""
    checks = {c.key: c for kind in shipped().kinds.values() for c in kind.checks}
    for key, check in checks.items():
        for target, t in ((84.0, None), (1413.0, 36.0)) if check.percent else ((7.0, None),):
            aim = KeptPoint(check, "the standard", target, temperature_c=t, target_u=0.004)
            yield f"{key} {target:g} {t} more: {'; '.join(changes(more(aim, 1.0), OFF))}"
            yield f"{key} {target:g} {t} less: {'; '.join(changes(more(aim, -1.0), LESS))}"
        at = KeptPoint(check, "the standard", 7.0, before=7.35, after=7.01, target_u=0.004)
        exact = KeptPoint(check, "the standard", 7.0, before=7.1)
        yield f"{key} u: {words([c.share for c in of_last_check([exact], quantity(check.quantity), 7.3)])}"
        of = of_last_check([at, replace(at, after=6.9, target_u=0.01)], quantity(check.quantity), 7.3)
        yield f"{key} U: {', '.join(f'{called(c)} {words(c.share)}' for c in of)}"
    for how in WAYS_KEPT:
        yield f"{key} {how}: {said(judge_kept([replace(at, **how)], []))}"
    percent = next(c for c in checks.values() if c.percent)
    for t, shown in product((8.0, 36.0), (1000.0, 1413.0 * 10.0)):
        at = KeptPoint(percent, "the standard", 1413.0, before=shown, temperature_c=t)
        yield f"{shown:g} at {t}: {said(judge_kept([at], []))}"
    reported = {about.key: (kind, about) for kind in shipped().kinds.values() for about in kind.reported}
    for kind, about in reported.values():
        of = about.bounds
        for value in (of.sound_low, 0.999 * of.sound_low, 1.2 * of.sound_high):
            yield f"{kind.key} {about.key}: {said(judge_kept([], [(about, value)]))}"


WAYS_KEPT: tuple[dict[str, Any], ...] = (
    {}, {"after": 7.4}, {"after": None}, {"target_known": False}, {"expired_days": 1}, {"over_open_days": 1},
    {"over_open_days": 400}, {"before": None},
)  # fmt: skip


def beside_it(reference: float, u: float) -> Callable[[float], str]:
    """Whether the tip agrees with an instrument that shows so much more."""
    tolerances = Tolerances.of(FROZEN["tolerances"])

    def told(by: float) -> str:
        at = beside(reference + by, reference, u)
        return f"{level_of_point(at, tolerances, TIP, TIP)} {compared(at, TIP).level}"

    return told


def compares() -> Iterator[str]:
    """Two instruments in one water, nearer and farther, and how exact the other is."""
    tolerances = Tolerances.of(FROZEN["tolerances"])
    for reference, u in ((0.0, 0.005), (0.03, 0.04), (0.4, 0.3), (1.62, 0.04), (4.0, 0.04)):
        yield f"{reference:g} ±{u:g}: {'; '.join(changes(beside_it(reference, u), OFF))}"
        at = beside(reference + 0.07, reference, u)
        found = compared(at, TIP)
        figures = words([found.u_shown, found.u_beside, found.resolves, *(found.percent or 0.0, found.en or 0.0)])
        _, findings = judge(FROZEN, [at], None, rules=shipped())
        yield f"{reference:g} ±{u:g}: {figures} {words(off_its_target(at, TIP, tolerances)[0])} {said(findings)}"


def look(p: JudgedPoint, response: Response, tolerances: Tolerances, sign: float) -> Callable[[float], str]:
    """Whether a signal that is off looks like the cup that it should be in, and the mark beside its point."""

    def found(by: float) -> str:
        signal = p.point.signal + sign * by * max(abs(p.point.signal), 20.0)
        off = with_signal(p, signal)
        unlike = look_at_signal(signal, p.point.at, p.point.value, response, tolerances, ()).unlike
        return f"{unlike} {level_of_point(off, tolerances, response, response)}"

    return found


def cups() -> Iterator[str]:
    """What a live signal looks like in a cup while it is farther and farther off."""
    for code, frozen, response, points in fullest_methods():
        tolerances = Tolerances.of(frozen["tolerances"])
        others = [(p.label, p.point.value) for p in points]
        for p, other in product(points, points):
            if other is points[0] or other is p:
                at = look_at_signal(other.point.signal, p.point.at, p.point.value, response, tolerances, others)
                yield f"{code} {other.label} in {p.label}: {sentence(at)}"
        for p, sign in product(points, (1.0, -1.0)):
            yield f"{code} {p.label} {sign:+g}: {'; '.join(changes(look(p, response, tolerances, sign), OFF))}"


def everything() -> Iterator[str]:
    for made in (readings, limits, kept, compares, cups):
        yield from made()


GOLDEN = Golden(Path(__file__).with_name("readings.txt"), everything)


def test_every_answer_is_what_it_was() -> None:
    assert GOLDEN.now == GOLDEN.then


if __name__ == "__main__":
    GOLDEN.write()
