"""What it shows is read as it is sensed."""

from __future__ import annotations

from brumel.core.sensing.principle import Principle
from brumel.core.sensing.read_as import ReadAs


def read_as(own: Principle) -> ReadAs:
    """Return that nothing follows."""
    del own
    return ReadAs()
