"""A value that no probe of ours stands behind: from a kit, a photometer, a laboratory, or as somebody typed it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from brumel.core.findings import Finding, Level, worst_first
from brumel.core.kit.instruments import Measures
from brumel.core.quantities.quantity import Quantity
from brumel.core.uncertainty import Budget, Contribution

_HOUSE = "rule of this product"
INSTRUMENT_UNKNOWN = "instrument-unknown"
"""The finding that nothing is known of what a value was read with: said once for all that it read on a visit."""


@dataclass(frozen=True)
class PlainValue:
    """A value as it was given, and what is known of what gave it."""

    about: Quantity
    value: float
    qualifier: str = ""
    instrument: str = ""
    """Its label; empty where nobody said."""
    measures: Measures = field(default_factory=Measures)
    expected: tuple[float, float] | None = None


def plain_budget(given: PlainValue) -> Budget:
    """Its uncertainty: what the instrument's maker states, else wide.

    Examples
    --------
    >>> from brumel.core.quantities.quantity import quantity
    >>> plain_budget(PlainValue(quantity("ph"), 7.4)).expanded
    0.2
    """
    unit = given.about.unit or given.about.symbol
    if given.measures.accuracy.states_accuracy:
        return Budget.of(given.measures.accuracy.contributions(given.value, unit))
    wide = given.about.unknown_at(given.value) / 2.0
    return Budget.of([Contribution("what it was read with, of which nothing is known", wide, unit, 1.0)])


def judge_plain(given: PlainValue) -> list[Finding]:
    """All findings of it, worst first."""
    return worst_first([*_instrument(given), *_value(given)])


def _instrument(given: PlainValue) -> Iterator[Finding]:
    about = given.about
    if not given.measures.accuracy.states_accuracy and not about.condition:
        who = f"how exact {given.instrument} is" if given.instrument else "what it was read with"
        remedy = "Enter its accuracy on its page in the kit." if given.instrument else "Say what it was read with."
        wide = f"±{about.unknown_at(given.value):.3g} {about.stated_in}"
        yield Finding(
            INSTRUMENT_UNKNOWN,
            Level.DOUBTFUL,
            f"{about.exact_words(given.value)}: it is not known {who}; U is taken wide, {wide}.",
            remedy,
            2,
            _HOUSE,
        )
    side = given.measures.beyond(given.value)
    if side and not given.qualifier:
        end = given.measures.low if side == "<" else given.measures.high
        yield Finding(
            "beyond-instrument",
            Level.DOUBTFUL,
            f"{about.exact_words(given.value)} lies beyond what {given.instrument} can see, which ends at "
            f"{about.number(end or 0.0)}{about.after}.",
            f"Amend it to {side}{about.number(end or 0.0)}"
            + (", or dilute the sample, measure again and multiply." if side == ">" and about.dilutes else "."),
            5,
        )


def _value(given: PlainValue) -> Iterator[Finding]:
    about = given.about
    if not about.lies_in(about.plausible, given.value):
        yield Finding(
            "implausible",
            Level.UNFIT,
            f"{about.exact_words(given.value)} is not a value of natural or pool water.",
            "Look at the number and its unit, then amend it.",
            2,
        )
    elif given.expected is not None and not given.qualifier:
        first, last = given.expected
        if not about.lies_in(given.expected, given.value):
            yield Finding(
                "site-range",
                Level.DOUBTFUL,
                f"{about.exact_words(given.value)} lies outside what this site is expected to show, "
                f"{about.number(first)} to {about.number(last)}{about.after}.",
                "Measure again. If it stands, the water has changed: tell the person responsible for it.",
                5,
                "the site's expected range",
            )
