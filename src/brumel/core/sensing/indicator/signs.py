"""Its signal shows nothing by itself: it is compared with another instrument."""

from __future__ import annotations

from brumel.core.sensing.shows import Signs, nothing

SIGNS = Signs(nothing)
