"""Whether a pH calibration can be relied on, and what to do where it can't."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from itertools import combinations, permutations

from brumel.core.calibration import ElectrodeFit, fit_electrode
from brumel.core.findings import Acceptance, Bounds, Finding, Level, worst_first
from brumel.core.kit.shelf import out_of_date
from brumel.core.methods.model import Use
from brumel.core.ph_run import JudgedPoint, PhRun
from brumel.core.standards.buffers import FAMILIES, shipped_buffers, value_or_none
from brumel.core.wording import signed

_HOUSE = "rule of this product"
_plus = partial(signed, plus=True)
_PLAUSIBLE_SLOPE = Bounds(85.0, 107.0, 85.0, 107.0)
_PLAUSIBLE_RESIDUAL_PH = 0.15
_FAMILY_FIT_PH = 0.02
_REDO = 10
_SOAK_AND_REDO = 180


def judge_ph_run(run: PhRun) -> list[Finding]:
    """All findings of a pH calibration, worst first.

    Notes
    -----
    Limits: common practice, as in ``methods/limits_ph.toml``. A cause that the signal itself shows
    (swapped, same buffer twice, same potential everywhere) is named before the numbers it spoils.
    """
    causes = list(_causes(run))
    numbers = [*_slope(run), *_offset(run), *_residuals(run), *_scatter(run)]
    if causes:
        numbers = [
            replace(f, remedy="It follows from the finding above: mend that first.", minutes=None)
            if f.level is not Level.SOUND
            else f
            for f in numbers
        ]
    around = [*_families(run), *_points(run), *_temperatures(run), *_change(run), *_bracket(run)]
    return worst_first([*causes, *numbers, *around])


def _causes(run: PhRun) -> Iterator[Finding]:
    same = _same_potential(run)
    pairs = list(combinations(run.points, 2))
    if same and len(same) == len(pairs) and len(pairs) > 1:
        low = min(p.fit_point.mv for p in run.points)
        high = max(p.fit_point.mv for p in run.points)
        yield Finding(
            "same-potential",
            Level.UNFIT,
            f"Every buffer gave nearly the same potential, {low:.1f} to {high:.1f} mV.",
            "Look for a cracked bulb or a wet connector; dry the plug and repeat. Still the same: replace.",
            _REDO,
        )
        return
    for a, b in same:
        yield Finding(
            "same-buffer-twice",
            Level.UNFIT,
            f"{a.label} and {b.label} gave {a.fit_point.mv:.1f} and {b.fit_point.mv:.1f} mV: "
            f"less than {run.limits.same_buffer_share:.0%} of the step between them, so the same buffer twice.",
            "Read both labels, take fresh buffer in a clean cup and repeat the wrong one.",
            _REDO,
            _HOUSE,
        )
    if not same and (swapped := _swapped(run)):
        yield Finding(
            "buffers-swapped",
            Level.UNFIT,
            f"Buffers swapped: the signal fits if {' and '.join(p.label for p in swapped)} are exchanged.",
            "Put the probe into the right buffers and repeat those points.",
            _REDO,
        )


def _same_potential(run: PhRun) -> list[tuple[JudgedPoint, JudgedPoint]]:
    def share(a: JudgedPoint, b: JudgedPoint) -> float:
        expected = a.step_from_seven_mv - b.step_from_seven_mv
        return abs((a.fit_point.mv - b.fit_point.mv) / expected) if abs(expected) > 25 else 1.0

    return [(a, b) for a, b in combinations(run.points, 2) if share(a, b) < run.limits.same_buffer_share]


def _plausible(fit: ElectrodeFit) -> bool:
    return (
        _PLAUSIBLE_SLOPE.level(fit.slope_percent) is Level.SOUND
        and max(map(abs, fit.residuals_ph)) <= _PLAUSIBLE_RESIDUAL_PH
    )


def _swapped(run: PhRun) -> tuple[JudgedPoint, ...]:
    """The points whose exchange makes the signal plausible, where it is not as it stands."""
    points = [p.fit_point for p in run.points]
    if len(points) < 2 or _plausible(fit_electrode(points)):
        return ()
    best: tuple[JudgedPoint, ...] = ()
    smallest = float("inf")
    for order in permutations(range(len(points))):
        exchanged = [replace(p, ph=points[i].ph) for p, i in zip(points, order, strict=True)]
        fit = fit_electrode(exchanged)
        if _plausible(fit) and max(map(abs, fit.residuals_ph)) < smallest:
            smallest = max(map(abs, fit.residuals_ph))
            best = tuple(run.points[i] for i, j in enumerate(order) if i != j)
    return best


def _slope(run: PhRun) -> Iterator[Finding]:
    fit = run.fit
    if fit.slope_carried is not None:
        origin = (
            "assumed, for no full run is known" if fit.slope_carried.assumed else "carried over from the last full run"
        )
        yield Finding(
            "one-point",
            Level.DOUBTFUL,
            f"One buffer sets the offset only; the slope of {fit.slope_percent:.1f} % is {origin}.",
            "Take a second and a third buffer.",
            _REDO,
        )
        return
    level = run.limits.slope.level(fit.slope_percent)
    b = run.limits.slope
    sentence = (
        f"Slope {fit.slope_percent:.1f} % of Nernst (U ±{2 * fit.u_slope_percent:.1f} %); "
        f"sound from {b.sound_low:g} to {b.sound_high:g} %."
    )
    if level is Level.SOUND:
        yield Finding("slope", level, sentence)
    elif fit.slope_percent < b.sound_low:
        yield Finding(
            "slope",
            level,
            sentence,
            "Fresh alkaline buffer first; then clean the bulb, soak 2 to 3 h in storage solution and repeat. "
            "Still low: replace the electrode.",
            _SOAK_AND_REDO,
        )
    else:
        yield Finding(
            "slope",
            level,
            sentence,
            "An electrode can't be steeper than Nernst: suspect a buffer, its temperature or carry-over. "
            "Repeat with fresh buffers.",
            _REDO,
        )


def _offset(run: PhRun) -> Iterator[Finding]:
    level = run.limits.offset.level(run.fit.offset_mv)
    yield Finding(
        "offset",
        level,
        f"Offset {_plus(run.fit.offset_mv)} mV at pH 7.00 (U ±{2 * run.fit.u_offset_mv:.1f} mV); "
        f"sound within ±{run.limits.offset.sound_high:g} mV.",
        ""
        if level is Level.SOUND
        else "Reference poisoned or diluted: refill or renew the reference, clean the junction, soak, repeat.",
        None if level is Level.SOUND else _SOAK_AND_REDO,
    )


def _check_residual(run: PhRun, point: JudgedPoint) -> float:
    return run.fit.ph(point.fit_point.mv, point.fit_point.temperature_c) - point.fit_point.ph


def _residuals(run: PhRun) -> Iterator[Finding]:
    bound = run.limits.residual
    adjusted = run.adjusted
    if len(adjusted) >= 3 and run.fit.slope_carried is None:
        largest = max(run.fit.residuals_ph, key=abs)
        at = adjusted[run.fit.residuals_ph.index(largest)]
        level = bound.level(largest)
        hint = "" if level is Level.SOUND else _other_family_hint(run)
        yield Finding(
            "residual",
            level,
            f"Largest residual {_plus(largest, 3)} pH at {at.label}; sound within ±{bound.sound_high:g}.{hint}",
            "" if level is Level.SOUND else "Compare the labels with the lots chosen, then repeat with fresh buffers.",
            None if level is Level.SOUND else _REDO,
        )
    for point in run.points:
        if point.use is Use.CHECK:
            off = _check_residual(run, point)
            level = bound.level(off)
            yield Finding(
                "check-residual",
                level,
                f"Check in {point.label}: {_plus(off, 3)} pH from its value; sound within ±{bound.sound_high:g}.",
                ""
                if level is Level.SOUND
                else "Repeat the check in fresh buffer; still off: adjust to all three buffers.",
                None if level is Level.SOUND else _REDO,
            )


def _scatter(run: PhRun) -> Iterator[Finding]:
    if run.fit.consistency is not None and run.fit.consistency < 0.01:
        yield Finding(
            "scatter",
            Level.DOUBTFUL,
            f"The points scatter more than their certificates allow (probability {run.fit.consistency:.1%}).",
            "Suspect one buffer, its temperature or carry-over from the one before: repeat with fresh buffers.",
            _REDO,
            "chi-squared test on the stated uncertainties, 1 %",
        )


def _other_family_hint(run: PhRun) -> str:
    """A sentence that names the buffer family which the signal fits better, if there is one."""
    for point in run.points:
        for other in shipped_buffers().values():
            if other.family == point.family or abs(other.nominal_ph - point.nominal_ph) > 0.2:
                continue
            value = value_or_none(other, point.fit_point.temperature_c)
            if value is None:
                continue
            exchanged = [replace(p.fit_point, ph=value) if p is point else p.fit_point for p in run.points]
            fit = fit_electrode(exchanged)
            if _plausible(fit) and max(map(abs, fit.residuals_ph)) <= _FAMILY_FIT_PH:
                return f" The signal fits better if the {point.label} was {other.name} ({FAMILIES[other.family]})."
    return ""


def _families(run: PhRun) -> Iterator[Finding]:
    families = sorted({p.family for p in run.points})
    if len(families) > 1:
        yield Finding(
            "mixed-families",
            Level.DOUBTFUL,
            f"Buffers of {len(families)} families in one run: {' and '.join(FAMILIES[f] for f in families)}.",
            "Repeat with buffers of one family.",
            _REDO,
        )
    if len({round(p.nominal_ph, 1) for p in run.points}) == 2:
        yield Finding(
            "family-not-verified",
            Level.SOUND,
            "Two buffers can't show whether the family on the label is the one in the cup: family not verified.",
            "Take a third buffer when the family matters.",
            _REDO,
        )


def _points(run: PhRun) -> Iterator[Finding]:
    for p in run.points:
        if p.acceptance is Acceptance.UNSETTLED:
            yield Finding(
                "not-settled",
                Level.DOUBTFUL,
                f"{p.label} was taken before it settled: {p.settling_words or 'the rule did not hold.'}",
                "Repeat the point and wait for the tunnel to close.",
                5,
            )
        for finding in out_of_date(p.expired_days, p.over_open_days):
            words = finding.sentence[0].lower() + finding.sentence[1:]
            yield replace(finding, sentence=f"{p.label} when it was taken: {words}")
        if not p.value_known:
            yield Finding(
                "buffer-temperature",
                Level.DOUBTFUL,
                f"The value of {p.label} at {p.fit_point.temperature_c:.1f} °C is not known; its label was used.",
                "Bring the buffer to a temperature that its table covers (25 ± 2 °C without a table), or enter "
                "the lot's own table.",
                20,
            )
        if p.deviations:
            yield Finding(
                "deviation",
                Level.DOUBTFUL,
                f"{p.label}: {'; '.join(p.deviations)}.",
                "Repeat the point as the method says, if the reading matters.",
                5,
            )


def _temperatures(run: PhRun) -> Iterator[Finding]:
    temperatures = [p.fit_point.temperature_c for p in run.points]
    apart = max(temperatures) - min(temperatures)
    if apart > run.limits.temperature_spread_c:
        yield Finding(
            "temperatures-apart",
            Level.DOUBTFUL,
            f"The buffers were {apart:.1f} °C apart; sound up to {run.limits.temperature_spread_c:g} °C.",
            "Let the buffers come to one temperature, together with the probe, and repeat.",
            30,
        )


def _change(run: PhRun) -> Iterator[Finding]:
    if run.previous is None or run.fit.slope_carried is not None:
        return
    last = run.previous.fit

    def moved(point: JudgedPoint) -> float:
        return point.fit_point.mv - last.millivolts(point.fit_point.ph, point.fit_point.temperature_c)

    slope_change = run.fit.slope_percent - last.slope_percent
    worst = max(run.adjusted, key=lambda p: abs(moved(p)))
    mv_change = moved(worst)
    if abs(mv_change) > run.limits.change_mv or abs(slope_change) > run.limits.change_slope_percent:
        yield Finding(
            "changed-since-last",
            Level.DOUBTFUL,
            f"Since the last run {run.previous.age_days:.0f} days ago the slope changed by {_plus(slope_change)} % "
            f"and {worst.label} by {_plus(mv_change)} mV; expected within {run.limits.change_slope_percent:g} % and "
            f"{run.limits.change_mv:g} mV.",
            "If nothing was done to the electrode since, compare the labels and repeat with fresh buffers.",
            _REDO,
        )


def _bracket(run: PhRun) -> Iterator[Finding]:
    if run.waters_ph is None:
        return
    values = [p.fit_point.ph for p in run.points]
    low, high = run.waters_ph
    if low < min(values) or high > max(values):
        yield Finding(
            "not-bracketing",
            Level.DOUBTFUL,
            f"The waters planned reach from pH {low:.1f} to {high:.1f}; these buffers cover "
            f"{min(values):.2f} to {max(values):.2f}.",
            "Add a buffer beyond the water, on its side of neutral.",
            _REDO,
        )
