"""Where an answer changes while one thing grows: found between coarse steps by halving, for figures that are pinned."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence

CLOSELY = 1.04
"""Upper end by lower end between which a change is left."""


def changes(words: Callable[[float], str], amounts: Sequence[float]) -> Iterator[str]:
    """What is said of the first amount, and from where on something else is."""
    before, last = amounts[0], words(amounts[0])
    yield last
    for by in amounts[1:]:
        if (now := words(by)) != last:
            low, high = before, by
            while high / low > CLOSELY:
                middle = math.sqrt(low * high)
                low, high = (middle, high) if words(middle) == last else (low, middle)
            yield f"from {high:.2g} {now}"
        before, last = by, now
