"""What the signal of a glass electrode shows: buffers swapped, one buffer twice, one potential everywhere, a family."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import combinations, permutations

from brumel.core.findings import PRODUCT, Finding, Level, beyond
from brumel.core.quantities.ph import ISOPOTENTIAL_PH, nernst_slope_mv
from brumel.core.said import Amount, Value, says
from brumel.core.sensing.fit import fit
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import JudgedPoint, Run
from brumel.core.sensing.shows import Signs
from brumel.core.standards.buffers import FAMILIES, shipped_buffers, value_or_none

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
    """Yield a cause where one buffer stood for another; nothing where the signal is plausible."""
    same = _same_potential(run)
    pairs = list(combinations(run.points, 2))
    if same and len(same) == len(pairs) and (len(pairs) > 1 or _like_a_crack(run)):
        low = min(p.point.signal for p in run.points)
        high = max(p.point.signal for p in run.points)
        one, other = (Amount(end, "mV", 1) for end in (low, high))
        ends = one if f"{low:.1f}" == f"{high:.1f}" else says("from-to", low=one, high=other)
        also = says("same-potential.also") if len(pairs) == 1 else None
        said = says("same-potential", potential=ends, also=also)
        yield Finding("same-potential", Level.UNFIT, said, says("same-potential.then"), run.tolerances.redo_minutes)
        return
    for a, b in same:
        yield Finding(
            "same-buffer-twice",
            Level.UNFIT,
            says("same-buffer-twice", one=a.label, other=b.label, first=Amount(a.point.signal, "mV", 1),
                 second=Amount(b.point.signal, "mV", 1), share=Amount(run.tolerances.same_signal_share * 100, "%", 0)),
            says("same-buffer-twice.then"),
            run.tolerances.redo_minutes,
            PRODUCT,
        )  # fmt: skip
    swapped = () if same else _swapped(run)
    if not (same or swapped):
        yield from _another_family(run)
    if swapped:
        yield Finding(
            "buffers-swapped",
            Level.UNFIT,
            says("buffers-swapped", which=tuple(p.label for p in swapped)),
            says("buffers-swapped.then"),
            run.tolerances.redo_minutes,
        )


def _like_a_crack(run: Run) -> bool:
    """Say whether all potentials lie where a cracked bulb or a wet connector holds them."""
    low, high = _CRACKED_MV
    return all(low <= p.point.signal <= high for p in run.points)


def _slow(run: Run) -> Iterator[Finding]:
    """Yield an electrode that takes long in every buffer, or very long in one."""
    took = [(p.label, p.settling_s) for p in run.points if p.settling_s is not None]
    slow = [(label, seconds) for label, seconds in took if seconds > _SLOW_S]
    if not slow or (len(slow) < len(took) and max(s for _, s in slow) <= _VERY_SLOW_S):
        return
    most = max(seconds for _, seconds in slow)
    yield Finding(
        "electrode-slow",
        Level.DOUBTFUL,
        says("electrode-slow", which=tuple(label for label, _ in slow), took=Amount(most / 60.0, "min", 0)),
        says("electrode-slow.then"),
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
    """Return the points whose exchange makes the signal plausible, where it is not as it stands."""
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
    best: dict[str, Value] = {}
    least = _FAMILY_FIT_PH
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
                best, least = {"at": point.label, "other": f"{other.name} ({FAMILIES[other.family]})"}, left
    if best:
        yield Finding(
            "another-family",
            run.tolerances.residual.level(largest, ISOPOTENTIAL_PH),
            says("another-family", least=Amount(least, "pH", 3), largest=Amount(largest, "pH", 3), **best),
            says("another-family.then"),
            run.tolerances.redo_minutes,
        )


def glass_remarks(run: Run) -> Iterator[Finding]:
    """Yield an electrode that is slow; families mixed, or such as two buffers can't verify."""
    yield from _slow(run)
    families = sorted({p.family for p in run.points})
    if len(families) > 1:
        yield Finding(
            "mixed-families",
            Level.DOUBTFUL,
            says("mixed-families", number=Amount(len(families)), families=tuple(FAMILIES[f] for f in families)),
            says("mixed-families.then"),
            run.tolerances.redo_minutes,
        )
    if run.adjusted and len({round(p.nominal or 0.0, 1) for p in run.points}) == 2:
        yield Finding(
            "family-not-verified",
            Level.SOUND,
            says("family-not-verified"),
            says("family-not-verified.then"),
            run.tolerances.redo_minutes,
        )


SIGNS = Signs(glass_causes, glass_remarks)
