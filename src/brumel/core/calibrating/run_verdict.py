"""Whether a calibration can be relied on, and what to do where it can't: causes, tolerances, circumstances."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from brumel.core.calibrating.comparing import comparison_finding
from brumel.core.findings import Acceptance, Bounds, Finding, Level, beyond, despite_findings, unless_sound, worst_first
from brumel.core.kit.shelf import out_of_date
from brumel.core.place.surroundings import WATER_C
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.said import Amount, Count, Named, Of, Said, Value, says, verbatim
from brumel.core.sensing.principle import Coefficient
from brumel.core.sensing.principles import signs_of
from brumel.core.sensing.response import TAKEN_OVER, Origin
from brumel.core.sensing.run import JudgedPoint, Run, Use, targets_range
from brumel.core.sensing.tolerances import Tolerance
from brumel.core.sensing.untested import not_between
from brumel.core.wording import celsius_meant

_FOLLOWS = says("follows")
_LEAST_SHARE = 0.001
_FEW_POINTS = 3
"""From so many adjusted points on, and more than coefficients, residuals tell of the line (rule of this product)."""


def judge_run(run: Run) -> list[Finding]:
    """Return all findings of a calibration, worst first.

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
    """Yield each coefficient's, the one that the value stands with first, however they were stored."""
    known = run.tolerances.coefficients
    return ((c.key, known[c.key]) for c in run.response.principle.ordered if c.key in known)


def _coefficients(run: Run) -> Iterator[Finding]:
    """Yield each coefficient against its bounds; what was taken over is said once, where the run adjusts at all."""
    response, own = run.response, run.response.principle
    if not run.adjusted:
        return
    taken_over: dict[tuple[bool, Origin], list[Coefficient]] = {}
    for key, tolerance in _tolerances(run):
        about, value, origin = own.coefficient(key), response[key], response.origin(key)
        if origin in TAKEN_OVER:
            taken_over.setdefault((about.minor, origin), []).append(about)
            continue
        bounds = tolerance.bounds
        level, remedy = bounds.level(value), tolerance.remedy(value)
        around_zero = bounds.sound_low == -bounds.sound_high
        end = Amount(bounds.sound_high, about.unit)
        low = Amount(bounds.sound_low)
        said = says(
            "coefficient", name=about.called, of=about.of_what, u=about.amount(2 * response.u(key)),
            value=about.amount(value, plus=around_zero, digits=bounds.digits(value, about.decimals)),
            bounds=says("bounds.around-zero", end=end) if around_zero else says("bounds.from-to", low=low, high=end),
        )  # fmt: skip
        yield Finding(key, level, said, verbatim(remedy.words), remedy.minutes)
    fitted = [c.called for c in own.coefficients if response.origin(c.key) is Origin.FITTED]
    for (minor, origin), those in taken_over.items():
        each = [says("one-point.taken", name=c.called, value=c.amount(response[c.key])) for c in those]
        sets = "one-point.one" if len(run.adjusted) == 1 else "one-point.several"
        said = says(
            "one-point", sets=says(sets, standard=run.tolerances.standard), fitted=tuple(fitted), taken=tuple(each),
            are=Named("are", "one" if len(each) == 1 else "several"), why=Named("origin", str(origin)),
        )  # fmt: skip
        remedy_words = run.tolerances.minor_remedy if minor else run.tolerances.few_remedy
        level, minutes = (Level.SOUND, None) if minor else (Level.DOUBTFUL, run.tolerances.redo_minutes)
        yield Finding("one-point", level, said, verbatim(remedy_words), minutes)


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
    off, sound = within.off(largest, value, about), within.sound_end(value, about)
    said = says("residual", off=off, at=at.label, sound=sound)
    yield Finding(
        "residual", level, said, *unless_sound(level, run.tolerances.residual_remedy, run.tolerances.redo_minutes)
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
        sound = within.sound_end(value, about)
        said = says("check-residual", at=p.label, off=within.off(off, value, about), sound=sound)
        yield Finding(
            "check-residual",
            level,
            said,
            *unless_sound(level, run.tolerances.check_remedy, run.tolerances.redo_minutes),
        )


def _scatter(run: Run) -> Iterator[Finding]:
    if run.response.consistency is not None and run.response.consistency < 0.01:
        yield Finding(
            "scatter",
            Level.DOUBTFUL,
            says("scatter", probability=_percent(run.response.consistency)),
            verbatim(run.tolerances.scatter_remedy),
            run.tolerances.redo_minutes,
            Named("source", "scatter"),
        )


def _percent(share: float) -> Value:
    least = says("scatter.below", least=Amount(_LEAST_SHARE * 100, "%"))
    return Amount(share * 100, "%", 1) if share >= _LEAST_SHARE else least


def _points(run: Run) -> Iterator[Finding]:
    for before, p in zip((None, *run.points), run.points, strict=False):
        if p.acceptance is Acceptance.UNSETTLED:
            said = says("not-settled", at=p.label, why=p.settling or says("rule-did-not-hold"))
            yield Finding("not-settled", Level.DOUBTFUL, said, says("not-settled.then"), 5)
        yield from out_of_date(p.expired_days, p.over_open_days, p.label, Named("taken", "taken"))
        if p.deviations:
            said = says("deviation", at=p.label, each=p.deviations, carried=_carried(run, before, p))
            yield Finding("deviation", Level.DOUBTFUL, said, says("deviation.then"), 5)


def _unknown_targets(run: Run) -> Iterator[Finding]:
    """Standards whose value at their temperature is not known: the first cause of whatever is off."""
    for p in run.points:
        if not p.target_known:
            off = run.tolerances.residual.off(2.0 * p.point.u_value, p.point.value, _quantity(run), plus=False)
            yield Finding(
                "standard-temperature",
                Level.DOUBTFUL,
                says("standard-temperature", at=p.label, warm=Amount(p.temperature_c, "°C", 1), off=off,
                     fahrenheit=_unit_asked(p.temperature_c)),
                says("standard-temperature.then", standard=run.tolerances.standard),
                20,
            )  # fmt: skip


def _unit_asked(temperature_c: float) -> Said | None:
    """Say whether °F was meant, where no standard is kept so warm or cold."""
    low, high = WATER_C
    meant = Amount(celsius_meant(temperature_c), "°C", 1)
    return None if low <= temperature_c <= high else says("fahrenheit-asked", celsius=meant)


def _carried(run: Run, before: JudgedPoint | None, now: JudgedPoint) -> Said | None:
    """Return what a hundredth of what came before would do to a standard that was entered so; in its own unit."""
    known = [d for d in run.deviations.values() if d.said in now.deviations]
    carries, value = any(d.carries for d in known), now.point.value
    came_before = before.point.value if carries and before is not None else None
    if not (carries or any(d.tap for d in known)) or came_before == value:
        return None
    off, about = run.response.principle.carried(came_before, value), _quantity(run)
    if not off:
        return None
    tap = says("deviation.tap")
    what = tap if came_before is None else says("deviation.before", before=Of(about.key, came_before))
    return says("deviation.carried", what=what, off=run.tolerances.residual.off(off, value, about))


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
            says(
                "temperatures-apart",
                standard=standard,
                apart=Amount(apart, "°C", digits),
                allowed=Amount(allowed, "°C"),
            ),
            says("temperatures-apart.then", standard=standard),
            30,
        )


def _change(run: Run) -> Iterator[Finding]:
    """Yield what moved since the last full run, where both say everything."""
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
    changed: list[Value] = []
    expected: list[Value] = []
    for key, (change, allowed) in by.items():
        about = principle.coefficient(key)
        digits = Bounds.around_zero(allowed).digits(change, about.decimals)
        by_words = about.amount(change, plus=True, digits=digits)
        changed.append(says("changed.coefficient", name=about.called, by=by_words))
        expected.append(Amount(float(f"{allowed:.4g}"), about.unit))
    if most:
        key = "changed.signal-too" if changed else "changed.signal"
        changed.append(says(key, at=worst.label, by=principle.signal_amount(moved(worst), plus=True)))
        expected.append(Amount(most, principle.signal_unit))
    told: dict[str, Value] = {"days": Count(round(run.previous.age_days), "day"), "changed": tuple(changed)}
    if run.previous.tended:
        said = says("changed-since-last.tended", tended=run.previous.tended, **told)
        yield Finding("changed-since-last", Level.SOUND, said)
        return
    yield Finding(
        "changed-since-last",
        Level.DOUBTFUL,
        says("changed-since-last", expected=tuple(expected), **told),
        verbatim(run.tolerances.change_remedy),
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
            says(
                "not-bracketing",
                standard=run.tolerances.standard,
                low=Of(about.key, low),
                high=Of(about.key, high),
                least=Of(about.key, least),
                most=Of(about.key, most),
            ),
            verbatim(run.tolerances.bracket_remedy),
            run.tolerances.redo_minutes,
        )


def _order(run: Run) -> Iterator[Finding]:
    for words in run.out_of_order:
        yield Finding("order", Level.SOUND, says("order", words=words), source=Named("source", "order"))


def _left_open(run: Run) -> Iterator[Finding]:
    if run.leaves_open:
        said = says("leaves-open", what=run.leaves_open)
        yield Finding("leaves-open", Level.DOUBTFUL, said, says("leaves-open.then"), run.tolerances.redo_minutes)
