"""Two results beside each other."""

from __future__ import annotations

from collections.abc import Iterator
from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.reading import two_results as comparison
from brumel.core.reckoning.definition import Condition, Number, Output, calculation
from brumel.core.said import Amount, Said, says

_FIRST, _SECOND = Number("first", "First result"), Number("second", "Second result")
_U = "expanded uncertainty (k = 2)"


@calculation(
    name="relative-percent-difference",
    title="Relative percent difference of replicates",
    formula="100 · |a − b| / |(a + b) / 2|",
    inputs=(_FIRST, _SECOND),
    outputs=(Output("rpd_percent", "Relative percent difference", "%", 1),),
    source="common practice for replicates: the difference as percent of the mean",
    conditions=(
        Condition(
            "second",
            lambda v: (np.asarray(v.first) * v.second >= 0) & (np.asarray(v.first) + v.second != 0),
            "{first:g} and {second:g} lie on both sides of nought: a percentage of their mean has no sense. Compare "
            "the difference itself, or E_n.",
        ),
    ),
    words=lambda v: (
        says(
            "working.rpd",
            first=Amount(v.first),
            second=Amount(v.second),
            mean=Amount((v.first + v.second) / 2),
            rpd=Amount(v.rpd_percent, "%", 1),
        ),
    ),
)
def relative_percent_difference(first: Any, second: Any) -> Any:
    return comparison.relative_percent_difference(first, second)


def _en_words(v: SimpleNamespace) -> Iterator[Said]:
    en = float(v.en)
    yield says(
        "working.en", first=Amount(v.first), second=Amount(v.second), u_first=Amount(v.first_expanded_u),
        u_second=Amount(v.second_expanded_u), en=comparison.en_words(en),
    )  # fmt: skip
    yield says("working.agree" if comparison.agree(en) else "working.disagree")


@calculation(
    name="en-score",
    title="E_n: do two results agree?",
    formula="|a − b| / √(Ua² + Ub²)",
    inputs=(
        _FIRST,
        _SECOND,
        Number("first_expanded_u", f"First’s {_U}", low=0.0),
        Number("second_expanded_u", f"Second’s {_U}", low=0.0),
    ),
    outputs=(Output("en", "E_n", "", 2),),
    source="ISO 13528; results agree up to 1",
    note="Two meters on one standard are correlated: E_n then looks better than it is.",
    conditions=(
        Condition(
            "first_expanded_u",
            lambda v: np.asarray(v.first_expanded_u) + v.second_expanded_u > 0,
            "At least one of the two needs an uncertainty above 0.",
        ),
    ),
    words=_en_words,
)
def en_score(first: Any, second: Any, first_expanded_u: Any, second_expanded_u: Any) -> Any:
    return comparison.en_score(first, second, first_expanded_u, second_expanded_u)
