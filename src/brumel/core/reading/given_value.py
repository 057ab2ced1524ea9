"""A value that no probe of ours stands behind: from a kit, a photometer, a laboratory, or as somebody typed it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from brumel.core.findings import PRODUCT, Finding, Level, worst_first
from brumel.core.kit.instruments import Measures
from brumel.core.quantities.quantity import Quantity
from brumel.core.said import Amount, Named, Of, says, three_digits
from brumel.core.uncertainty import Budget, Contribution

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

    @property
    def said(self) -> Of:
        """The value with all the digits that were typed."""
        return Of(self.about.key, self.value, exact=True)


def plain_budget(given: PlainValue) -> Budget:
    """Return its uncertainty: what the instrument's maker states, else wide.

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
    return Budget.of([Contribution("unknown-instrument", wide, unit, 1.0)])


def judge_plain(given: PlainValue) -> list[Finding]:
    """Return all findings of it, worst first."""
    return worst_first([*_instrument(given), *_value(given)])


def _instrument(given: PlainValue) -> Iterator[Finding]:
    about = given.about
    if not given.measures.accuracy.states_accuracy and not about.condition:
        who = "instrument-unknown.exact" if given.instrument else "instrument-unknown.which"
        wide = Amount(three_digits(about.unknown_at(given.value)), about.stated_in)
        yield Finding(
            INSTRUMENT_UNKNOWN,
            Level.DOUBTFUL,
            says("instrument-unknown", value=given.said, who=says(who, instrument=given.instrument), wide=wide),
            says(f"{who}.then"),
            2,
            PRODUCT,
        )
    side = given.measures.beyond(given.value)
    if side and not given.qualifier:
        ends = given.measures.low if side == "<" else given.measures.high
        end = Of(about.key, ends or 0.0)
        then = "beyond-instrument.dilute.then" if side == ">" and about.dilutes else "beyond-instrument.then"
        yield Finding(
            "beyond-instrument",
            Level.DOUBTFUL,
            says("beyond-instrument", value=given.said, instrument=given.instrument, end=end),
            says(then, bound=replace(end, qualifier=side)),
            5,
        )


def _value(given: PlainValue) -> Iterator[Finding]:
    about = given.about
    if not about.lies_in(about.plausible, given.value):
        yield Finding(
            "implausible",
            Level.UNFIT,
            says("implausible.typed", value=given.said),
            says("implausible.typed.then"),
            2,
        )
    elif given.expected is not None and not given.qualifier:
        first, last = given.expected
        if not about.lies_in(given.expected, given.value):
            yield Finding(
                "site-range",
                Level.DOUBTFUL,
                says("site-range", value=given.said, low=Of(about.key, first), high=Of(about.key, last)),
                says("site-range.measured.then"),
                5,
                Named("source", "site"),
            )
