"""Whether a calibration can be relied on, and what to do where it can't: causes, tolerances, circumstances."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from brumel.core.calibrating.causes import signs_of
from brumel.core.calibrating.comparing import comparison_finding
from brumel.core.calibrating.methods import Use, deviations
from brumel.core.calibrating.run import JudgedPoint, Run, targets_range
from brumel.core.calibrating.tolerances import Tolerance
from brumel.core.calibrating.untested import not_between
from brumel.core.findings import Acceptance, Bounds, Finding, Level, beyond, despite_findings, worst_first
from brumel.core.kit.shelf import out_of_date
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.reading.surroundings import WATER_C
from brumel.core.sensing.principle import Coefficient
from brumel.core.sensing.response import Origin
from brumel.core.wording import counted, fahrenheit_meant, upper_first

_TAKEN_OVER_WORDS = {
    Origin.ASSUMED: "assumed, for no full run is known",
    Origin.CARRIED: "carried over from the last full run",
}
_FOLLOWS = "It follows from the finding above: fix that first."
_LEAST_SHARE = 0.001
_FEW_POINTS = 3
"""From so many adjusted points on, and more than coefficients, residuals tell of the line (rule of this product)."""


def judge_run(run: Run) -> list[Finding]:
    """All findings of a calibration, worst first.

    Notes
    -----
    Limits: the run's tolerances, common practice as shipped. A cause that the signal itself shows (swapped, same
    buffer twice, fouled) is named before the numbers it spoils.
    """
    signs = signs_of(run.response.principle.key)
    unknown, causes = list(_unknown_targets(run)), worst_first(signs.causes(run))
    numbers = [*_coefficients(run), *_residuals(run), *_checks(run), *_scatter(run)]
    remarks = list(signs.remarks(run))
    if any(c.level is Level.UNFIT for c in causes):
        # A number that the run makes absurd is no news, sound or not.
        numbers, remarks = ([f for f in found if f.level is not Level.SOUND] for found in (numbers, remarks))
    around = [
        *despite_findings(run.despite),
        *remarks,
        *_points(run),
        *_temperatures(run),
        *_change(run),
        *_bracket(run),
        *_order(run),
        *_left_open(run),
    ]
    if not (unknown or causes):
        return worst_first([*numbers, *around])
    # What is explained stands below what explains it, whatever their levels.
    explained = [replace(f, remedy=_FOLLOWS, minutes=None) for f in numbers if f.level is not Level.SOUND]
    rest = worst_first([*(f for f in numbers if f.level is Level.SOUND), *around])
    return [*worst_first(unknown), *causes, *worst_first(explained), *rest]


def _quantity(run: Run) -> Quantity:
    return quantity(run.response.principle.quantity)


def _tolerances(run: Run) -> Iterator[tuple[str, Tolerance]]:
    """Each coefficient's, the one that the value stands with first, however they were stored."""
    known = run.tolerances.coefficients
    return ((c.key, known[c.key]) for c in run.response.principle.ordered if c.key in known)


def _coefficients(run: Run) -> Iterator[Finding]:
    """Each coefficient against its bounds; what was taken over is said once, where the run adjusts at all."""
    response, own = run.response, run.response.principle
    if not run.adjusted:
        return
    taken_over: dict[tuple[bool, Origin], list[Coefficient]] = {}
    for key, tolerance in _tolerances(run):
        about, value, origin = own.coefficient(key), response[key], response.origin(key)
        if origin in _TAKEN_OVER_WORDS:
            taken_over.setdefault((about.minor, origin), []).append(about)
            continue
        bounds = tolerance.bounds
        level, remedy = bounds.level(value), tolerance.remedy(value)
        around_zero = bounds.sound_low == -bounds.sound_high
        unit = f" {about.unit}" if about.unit else ""
        shown = about.words(value, plus=around_zero, digits=bounds.digits(value, about.decimals))
        sound = (
            f"within ±{bounds.sound_high:g}" if around_zero else f"from {bounds.sound_low:g} to {bounds.sound_high:g}"
        )
        yield Finding(
            key,
            level,
            f"{about.name} {shown}{about.of} (U ±{2 * response.u(key):.{about.decimals}f}{unit}); sound {sound}{unit}.",
            remedy.words,
            remedy.minutes,
        )
    fitted = [c.name.lower() for c in own.coefficients if response.origin(c.key) is Origin.FITTED]
    for (minor, origin), those in taken_over.items():
        each = [f"the {c.name.lower()} of {c.words(response[c.key])}" for c in those]
        yield Finding(
            "one-point",
            Level.SOUND if minor else Level.DOUBTFUL,
            f"{_sets(run, run.tolerances.standard)} the {' and '.join(fitted)} only; {' and '.join(each)} "
            f"{'is' if len(each) == 1 else 'are'} {_TAKEN_OVER_WORDS[origin]}.",
            run.tolerances.minor_remedy if minor else run.tolerances.few_remedy,
            None if minor else run.tolerances.redo_minutes,
        )


def _sets(run: Run, standard: str) -> str:
    return f"One {standard} sets" if len(run.adjusted) == 1 else f"These {standard}s set"


def _residuals(run: Run) -> Iterator[Finding]:
    fitted = sum(o is Origin.FITTED for o in run.response.origins)
    if len(run.adjusted) < max(_FEW_POINTS, fitted + 1) or not run.response.full:
        return
    about, within = _quantity(run), run.tolerances.residual
    at, largest = max(
        zip(run.adjusted, run.response.residuals, strict=True), key=lambda p: within.share(p[1], p[0].point.value)
    )
    value = at.point.value
    level = within.level(largest, value)
    yield Finding(
        "residual",
        level,
        f"Largest residual {within.words(largest, value, about)} at {at.label}; "
        f"sound within {within.sound_words(value, about)}.",
        "" if level is Level.SOUND else run.tolerances.residual_remedy,
        None if level is Level.SOUND else run.tolerances.redo_minutes,
    )


def _checks(run: Run) -> Iterator[Finding]:
    about, within = _quantity(run), run.tolerances.residual
    for p in run.points:
        if p.use is not Use.CHECK:
            continue
        if run.tolerances.by_agreement:
            yield comparison_finding(p, run.response, run.tolerances)
            continue
        value = p.point.value
        off = run.response.value(p.point.signal, p.point.at) - value
        level = within.level(off, value)
        yield Finding(
            "check-residual",
            level,
            f"Check in {p.label}: {within.words(off, value, about)} from its value; "
            f"sound within {within.sound_words(value, about)}.",
            "" if level is Level.SOUND else run.tolerances.check_remedy,
            None if level is Level.SOUND else run.tolerances.redo_minutes,
        )


def _scatter(run: Run) -> Iterator[Finding]:
    if run.response.consistency is not None and run.response.consistency < 0.01:
        yield Finding(
            "scatter",
            Level.DOUBTFUL,
            "The points scatter more than their certificates allow (probability "
            f"{_percent(run.response.consistency)}).",
            run.tolerances.scatter_remedy,
            run.tolerances.redo_minutes,
            "chi-squared test on the stated uncertainties, 1 %",
        )


def _percent(share: float) -> str:
    return f"{share * 100:.1f} %" if share >= _LEAST_SHARE else f"below {_LEAST_SHARE * 100:g} %"


def _points(run: Run) -> Iterator[Finding]:
    for before, p in zip((None, *run.points), run.points, strict=False):
        if p.acceptance is Acceptance.UNSETTLED:
            yield Finding(
                "not-settled",
                Level.DOUBTFUL,
                f"{upper_first(p.label)} was taken before it settled: {p.settling_words or 'the rule did not hold.'}",
                "Repeat the point and wait for the tunnel to close.",
                5,
            )
        yield from out_of_date(p.expired_days, p.over_open_days, f"{p.label} when it was taken")
        if p.deviations:
            yield Finding(
                "deviation",
                Level.DOUBTFUL,
                f"{upper_first(p.label)}: {'; '.join(p.deviations)}.{_carried(run, before, p)}",
                "Repeat the point as the method says, if the reading matters.",
                5,
            )


def _unknown_targets(run: Run) -> Iterator[Finding]:
    """Standards whose value at their temperature is not known: the first cause of whatever is off."""
    for p in run.points:
        if not p.target_known:
            off = run.tolerances.residual.words(2.0 * p.point.u_value, p.point.value, _quantity(run)).lstrip("+")
            yield Finding(
                "standard-temperature",
                Level.DOUBTFUL,
                f"The value of {p.label} at {p.temperature_c:.1f} °C is not known; its label was used, and may be off "
                f"by {off} there.{_unit_asked(p.temperature_c)}",
                f"Bring the {run.tolerances.standard} to a temperature that its table covers (25 ± 2 °C without a "
                "table), or enter the lot's own table.",
                20,
            )


def _unit_asked(temperature_c: float) -> str:
    """Whether °F was meant, where no standard is kept so warm or cold."""
    low, high = WATER_C
    return "" if low <= temperature_c <= high else f" {upper_first(fahrenheit_meant(temperature_c))}"


def _carried(run: Run, before: JudgedPoint | None, now: JudgedPoint) -> str:
    """What a hundredth of what came before would do to a standard that was entered so; in its own unit."""
    known = [d for words, d in deviations().items() if words in now.deviations]
    carries, value = any(d.carries for d in known), now.point.value
    came_before = before.point.value if carries and before is not None else None
    if not (carries or any(d.tap for d in known)) or came_before == value:
        return ""
    off = run.response.principle.carried(came_before, value)
    if not off:
        return ""
    what = f"the {_quantity(run).number(came_before)} before" if came_before is not None else "fresh water"
    return f" 1 % of {what} left in it puts it off by {run.tolerances.residual.words(off, value, _quantity(run))}."


def _temperatures(run: Run) -> Iterator[Finding]:
    temperatures = [p.temperature_c for p in run.points]
    apart, allowed, standard = (
        max(temperatures) - min(temperatures),
        run.tolerances.temperature_spread_c,
        run.tolerances.standard,
    )
    if beyond(apart, allowed):
        digits = Bounds.around_zero(allowed).digits(apart, 1)
        yield Finding(
            "temperatures-apart",
            Level.DOUBTFUL,
            f"The {standard}s were {apart:.{digits}f} °C apart; sound up to {allowed:g} °C.",
            f"Let the {standard}s come to one temperature, together with the probe, and repeat.",
            30,
        )


def _change(run: Run) -> Iterator[Finding]:
    """What moved since the last full run, where both say everything."""
    if run.previous is None or not run.response.full or not run.adjusted:
        return
    last, principle = run.previous.response, run.response.principle

    def moved(p: JudgedPoint) -> float:
        return float(p.point.signal - last.signal(p.point.value, p.point.at))

    worst = max(run.adjusted, key=lambda p: abs(moved(p)))
    by = {key: (run.response[key] - last[key], t.change) for key, t in _tolerances(run) if t.change is not None}
    most = run.tolerances.change_signal
    limits = [*by.values(), (moved(worst), most)] if most else by.values()
    if not any(beyond(abs(change), allowed) for change, allowed in limits):
        return
    changed, expected = [], []
    for key, (change, allowed) in by.items():
        about = principle.coefficient(key)
        digits = Bounds.around_zero(allowed).digits(change, about.decimals)
        changed.append(f"the {about.name.lower()} changed by {about.words(change, plus=True, digits=digits)}")
        expected.append(f"{allowed:.4g} {about.unit}")
    if most:
        verb = "" if changed else " changed"
        changed.append(f"{worst.label}{verb} by {principle.signal_words(moved(worst), plus=True)}")
        expected.append(f"{most:g} {principle.signal_unit}")
    days = f"{counted(round(run.previous.age_days), 'day')} ago"
    if run.previous.tended:
        words = f"Since the last run {days} {' and '.join(changed)}: {run.previous.tended} in between."
        yield Finding("changed-since-last", Level.SOUND, words)
        return
    yield Finding(
        "changed-since-last",
        Level.DOUBTFUL,
        f"Since the last run {days} {' and '.join(changed)}; expected within {' and '.join(expected)}.",
        run.tolerances.change_remedy,
        run.tolerances.redo_minutes,
    )


def _bracket(run: Run) -> Iterator[Finding]:
    if run.waters is None or not run.tolerances.brackets or not run.adjusted:
        return  # a check asks whether the line holds; what it covers was said when it was set
    about, (low, high), (least, most) = _quantity(run), run.waters, targets_range(run.points)
    if not_between((least, most), run.waters):
        yield Finding(
            "not-bracketing",
            Level.DOUBTFUL,
            f"The waters planned reach from {about.symbol} {about.number(low)} to {about.number(high)}{about.after}; "
            f"these {run.tolerances.standard}s cover {about.number(least)} to {about.number(most)}.",
            run.tolerances.bracket_remedy,
            run.tolerances.redo_minutes,
        )


def _order(run: Run) -> Iterator[Finding]:
    for words in run.out_of_order:
        yield Finding("order", Level.SOUND, f"{words}.", "", None, "the house's order")


def _left_open(run: Run) -> Iterator[Finding]:
    if run.leaves_open:
        words = f"A weaker run by its method: it leaves open {run.leaves_open}."
        remedy = "Take a full run as soon as its standards are at hand."
        yield Finding("leaves-open", Level.DOUBTFUL, words, remedy, run.tolerances.redo_minutes)
