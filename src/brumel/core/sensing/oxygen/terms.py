"""The two principles of dissolved oxygen: behind a membrane, and by luminescence."""

from __future__ import annotations

from brumel.core.sensing.oxygen.luminescence import Luminescence
from brumel.core.sensing.oxygen.membrane import Membrane
from brumel.core.sensing.principle import Principle


def principles() -> tuple[Principle, ...]:
    """Return both."""
    return Membrane(), Luminescence()
