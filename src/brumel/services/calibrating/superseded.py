"""Points that no longer stand, with what was said against them while they did: a repeat takes no warning away."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

from brumel.core.calibrating.comparing import level_of_point
from brumel.core.findings import Finding, Level
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import PreviousRun
from brumel.core.words.catalogue import word
from brumel.services.calibrating import judged_run
from brumel.services.calibrating.judged_run import Cup
from brumel.services.calibrating.rows import judge_points
from brumel.services.probes import run_facts
from brumel.store.models.calibration import CalibrationPoint, CalibrationRun


@dataclass(frozen=True)
class Superseded:
    """A point that was repeated or dropped, and what spoke against it."""

    point: CalibrationPoint
    label: str
    """What the technician calls it: its standard with the lot."""
    level: Level
    """The mark that stood beside it."""
    why: str
    """Why it was dropped; empty where it was repeated."""
    warnings: tuple[str, ...]
    """What its signal said of its cup, and what the verdict said that it no longer says."""


def superseded_points(
    run: CalibrationRun,
    previous: PreviousRun | None,
    expected: Response,
    now: Collection[Finding],
    cups: Collection[Cup],
) -> Iterator[Superseded]:
    """Tell each point that no longer stands, judged with those that stood when it was replaced.

    Parameters
    ----------
    previous, expected
        The probe's last full run, and its line or the usual one.
    now
        What the verdict says of the points that stand.
    cups
        The standards of the run, one of which may have been in the cup instead.
    """
    still, tolerances = {f.code for f in now}, run_facts.tolerances_of(run)
    for point in run.points:
        after = next((p for p in run.points if p.step == point.step and p.ordinal > point.ordinal), None)
        if point.dropped is None and after is None:
            continue
        beside = _beside(run, point, after)
        judged = dict(zip(beside, judged_run.judged_points(run, beside), strict=True))[point]
        response, findings = judge_points(run, beside, previous)
        others = [cup for cup in cups if cup.step.key != point.step]
        look = judged_run.cup_look(run, judged.point.signal, judged.point.at, judged.point.value, expected, others)
        said = [str(word(look.says))] if look.unlike else []
        if response is None or response.full:  # a line that is not complete yet is weak by that alone
            said += [str(word(f.says)) for f in findings if f.level is not Level.SOUND and f.code not in still]
        yield Superseded(
            point,
            judged.label,
            level_of_point(judged, tolerances, expected, response),
            point.dropped.reason if point.dropped else "",
            tuple(said),
        )


def _beside(
    run: CalibrationRun, point: CalibrationPoint, after: CalibrationPoint | None
) -> tuple[CalibrationPoint, ...]:
    """Return the points that stood when one was replaced or dropped, itself among them."""
    until = after.taken_at if after else point.taken_at
    last = after.ordinal if after else run.points[-1].ordinal + 1
    earlier = [p for p in run.points if p.ordinal < last and (p.dropped is None or p.dropped.at >= until)]
    newest = {p.step: p for p in earlier} | {point.step: point}
    return tuple(sorted(newest.values(), key=lambda p: p.ordinal))
