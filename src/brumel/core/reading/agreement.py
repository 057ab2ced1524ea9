"""Two results of one quantity beside each other: do they agree?"""

from __future__ import annotations

from dataclasses import dataclass

from brumel.core.findings import beyond
from brumel.core.quantities.quantity import quantity
from brumel.core.reading.together import Taken
from brumel.core.reading.two_results import agree, en_words
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import InvalidInputs


@dataclass(frozen=True)
class Agreement:
    """Two results of one quantity beside each other."""

    percent: float | None
    """Relative percent difference; None where it has no sense."""
    en: float | None
    words: str

    @property
    def agrees(self) -> bool:
        """Whether they do; not where it can't be told."""
        return self.en is not None and agree(self.en)


def _of_bounds(first: Taken, second: Taken) -> str:
    """Return what can be said of two results of which one at least is known only to lie below or above a value."""
    about = quantity(first.quantity)
    bound, other = (first, second) if first.qualifier else (second, first)
    side = "below" if bound.qualifier == "<" else "above"
    known = f"one is only known to be {side} {about.exact(bound.value)}{about.after}"
    past = (other.value - bound.value) * (1.0 if side == "below" else -1.0)
    if other.qualifier == bound.qualifier or (not other.qualifier and not beyond(past, 2.0 * other.u)):
        return f"They may agree: {known}."
    if other.qualifier:
        return f"They can't be compared: {known}, and the other lies beyond {about.exact(other.value)}{about.after}."
    return f"They disagree: {known}, and the other is {about.exact(other.value)}{about.after}."


def agreement(first: Taken, second: Taken) -> Agreement:
    """Say whether two results agree: relative percent difference, and E_n with both uncertainties.

    Examples
    --------
    >>> agreement(Taken("ph", 7.40, 0.02), Taken("ph", 7.50, 0.02)).words
    'They disagree: E_n 1.77, more than the two uncertainties can explain.'
    """
    percent = en = None
    try:
        both = {"first": first.value, "second": second.value}
        percent = float(calculate("relative-percent-difference", both).outputs["rpd_percent"])
    except InvalidInputs:
        pass
    if first.qualifier or second.qualifier:
        return Agreement(None, None, _of_bounds(first, second))
    try:
        ends = {"first_expanded_u": 2 * first.u, "second_expanded_u": 2 * second.u}
        en = float(calculate("en-score", {"first": first.value, "second": second.value} | ends).outputs["en"])
    except InvalidInputs:
        return Agreement(percent, None, "It can't be told: nothing is known of their uncertainties.")
    shared = set(first.shares) & set(second.shares)
    besides = f" Both rest on {', '.join(sorted(shared))}: they are correlated, and E_n looks better." if shared else ""
    if agree(en):
        return Agreement(percent, en, f"They agree: E_n {en_words(en)}.{besides}")
    words = f"They disagree: E_n {en_words(en)}, more than the two uncertainties can explain.{besides}"
    return Agreement(percent, en, words)
