"""What the signal of a glass electrode shows: buffers swapped, one buffer twice, one potential everywhere, a family."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import combinations, permutations

from brumel.core.calibrating.run import JudgedPoint, Run
from brumel.core.findings import Finding, Level, beyond
from brumel.core.quantities.ph import ISOPOTENTIAL_PH, nernst_slope_mv
from brumel.core.sensing.fit import fit
from brumel.core.sensing.response import Response
from brumel.core.standards.buffers import FAMILIES, shipped_buffers, value_or_none
from brumel.core.wording import upper_first

_HOUSE = "rule of this product"
_PLAUSIBLE_SLOPE = (85.0, 107.0)
_PLAUSIBLE_RESIDUAL_PH = 0.15
_FAMILY_FIT_PH = 0.02
_CRACKED_MV = (-25.0, 35.0)
"""A cracked bulb or a wet connector gives −10 to +20 mV in every buffer (common practice), and the reference's own."""
_SLOW_S, _VERY_SLOW_S = 300.0, 600.0
"""Longer than a sound electrode's slow part takes in each buffer, and in any (rule of this product)."""
_ENOUGH = 3
"""So many buffers can show that one of them is of another family."""
_FAMILIES_APART_PH = 1.0
"""So far apart two buffers of different families may be taken for each other: 9.18 for 10.01."""
_LEAST_STEP_MV = 25.0
"""Buffers whose Nernstian step is smaller can't be told apart by it (rule of this product)."""


def glass_causes(run: Run) -> Iterator[Finding]:
    """A cause where one buffer stood for another; nothing where the signal is plausible."""
    same = _same_potential(run)
    pairs = list(combinations(run.points, 2))
    if same and len(same) == len(pairs) and (len(pairs) > 1 or _like_a_crack(run)):
        low = min(p.point.signal for p in run.points)
        high = max(p.point.signal for p in run.points)
        ends = f"{low:.1f} mV" if f"{low:.1f}" == f"{high:.1f}" else f"{low:.1f} to {high:.1f} mV"
        yield Finding(
            "same-potential",
            Level.UNFIT,
            f"Every buffer gave nearly the same potential, {ends}: a cracked bulb or a wet "
            f"connector{' does so, or the neutral buffer was taken twice' if len(pairs) == 1 else ''}.",
            "Read the labels, look at bulb and plug, dry the plug, repeat in fresh buffer. Still the same: replace.",
            run.tolerances.redo_minutes,
        )
        return
    for a, b in same:
        yield Finding(
            "same-buffer-twice",
            Level.UNFIT,
            f"{upper_first(a.label)} and {b.label} gave {a.point.signal:.1f} and {b.point.signal:.1f} mV: "
            f"less than {run.tolerances.same_signal_share * 100:.0f} % of the step between them, so the same buffer "
            "twice.",
            "Read both labels, take fresh buffer in a clean cup and repeat the wrong one.",
            run.tolerances.redo_minutes,
            _HOUSE,
        )
    swapped = () if same else _swapped(run)
    if not (same or swapped):
        yield from _another_family(run)
    if swapped:
        yield Finding(
            "buffers-swapped",
            Level.UNFIT,
            f"Buffers swapped: the signal fits if {' and '.join(p.label for p in swapped)} are exchanged.",
            "Put the probe into the right buffers and repeat those points.",
            run.tolerances.redo_minutes,
        )


def _like_a_crack(run: Run) -> bool:
    """Whether all potentials lie where a cracked bulb or a wet connector holds them."""
    low, high = _CRACKED_MV
    return all(low <= p.point.signal <= high for p in run.points)


def _slow(run: Run) -> Iterator[Finding]:
    """An electrode that takes long in every buffer, or very long in one."""
    took = [(p.label, p.settling_s) for p in run.points if p.settling_s is not None]
    slow = [(label, seconds) for label, seconds in took if seconds > _SLOW_S]
    if not slow or (len(slow) < len(took) and max(s for _, s in slow) <= _VERY_SLOW_S):
        return
    most = max(seconds for _, seconds in slow)
    yield Finding(
        "electrode-slow",
        Level.DOUBTFUL,
        f"{upper_first(' and '.join(label for label, _ in slow))} took up to {most / 60.0:.0f} min to settle, where "
        "up to three are usual: a dried-out or coated bulb, a clogged junction, or cold.",
        "Clean it, soak it for two hours in storage solution, calibrate anew; still slow: replace it.",
        150,
    )


def _same_potential(run: Run) -> list[tuple[JudgedPoint, JudgedPoint]]:
    def share(a: JudgedPoint, b: JudgedPoint) -> float:
        expected = _step_from_seven_mv(a) - _step_from_seven_mv(b)
        return abs((a.point.signal - b.point.signal) / expected) if abs(expected) > _LEAST_STEP_MV else 1.0

    return [(a, b) for a, b in combinations(run.points, 2) if share(a, b) < run.tolerances.same_signal_share]


def _step_from_seven_mv(point: JudgedPoint) -> float:
    return -float(nernst_slope_mv(point.temperature_c)) * (point.point.value - ISOPOTENTIAL_PH)


def _plausible(found: Response) -> bool:
    low, high = _PLAUSIBLE_SLOPE
    return low <= found["slope"] <= high and max(map(abs, found.residuals)) <= _PLAUSIBLE_RESIDUAL_PH


def _swapped(run: Run) -> tuple[JudgedPoint, ...]:
    """The points whose exchange makes the signal plausible, where it is not as it stands."""
    points = [p.point for p in run.points]
    if len(points) < 2 or _plausible(fit(run.response.principle, points)):
        return ()
    best: tuple[JudgedPoint, ...] = ()
    smallest = float("inf")
    for order in permutations(range(len(points))):
        exchanged = [replace(p, value=points[i].value) for p, i in zip(points, order, strict=True)]
        found = fit(run.response.principle, exchanged)
        if _plausible(found) and max(map(abs, found.residuals)) < smallest:
            smallest = max(map(abs, found.residuals))
            best = tuple(run.points[i] for i, j in enumerate(order) if i != j)
    return best


def _another_family(run: Run) -> Iterator[Finding]:
    """A buffer of another family than its label says, where exchanged for it the points make one straight line."""
    if len(run.adjusted) < _ENOUGH or not run.response.full:
        return
    largest = max(map(abs, run.response.residuals))
    if not beyond(largest, run.tolerances.residual.sound):
        return
    best, least = "", _FAMILY_FIT_PH
    for point in run.points:
        for other in shipped_buffers().values():
            apart = abs(other.nominal_ph - (point.nominal or 0.0))
            if other.family == point.family or beyond(apart, _FAMILIES_APART_PH):
                continue
            value = value_or_none(other, point.temperature_c)
            if value is None:
                continue
            exchanged = [replace(p.point, value=value) if p is point else p.point for p in run.points]
            found = fit(run.response.principle, exchanged)
            left = max(map(abs, found.residuals))
            if _plausible(found) and left <= least:
                best, least = f"{point.label} was {other.name} ({FAMILIES[other.family]})", left
    if best:
        yield Finding(
            "another-family",
            run.tolerances.residual.level(largest, ISOPOTENTIAL_PH),
            f"The points lie on one line within {least:.3f} pH if the {best}; as labelled, {largest:.3f} pH.",
            "Read its label again and choose the lot that is in the cup, or take a fresh buffer, and repeat.",
            run.tolerances.redo_minutes,
        )


def glass_remarks(run: Run) -> Iterator[Finding]:
    """An electrode that is slow; families mixed, or such as two buffers can't verify."""
    yield from _slow(run)
    families = sorted({p.family for p in run.points})
    if len(families) > 1:
        yield Finding(
            "mixed-families",
            Level.DOUBTFUL,
            f"Buffers of {len(families)} families in one run: {' and '.join(FAMILIES[f] for f in families)}.",
            "Repeat with buffers of one family.",
            run.tolerances.redo_minutes,
        )
    if run.adjusted and len({round(p.nominal or 0.0, 1) for p in run.points}) == 2:
        yield Finding(
            "family-not-verified",
            Level.SOUND,
            "Two buffers can't show whether the family on the label is the one in the cup: family not verified.",
            "Take a third buffer when the family matters.",
            run.tolerances.redo_minutes,
        )
