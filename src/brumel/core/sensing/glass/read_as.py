"""pH is read as it is sensed."""

from __future__ import annotations

from brumel.core.sensing.follows import ReadAs
from brumel.core.sensing.principle import Principle


def read_as(own: Principle) -> ReadAs:
    """Return that nothing follows."""
    del own
    return ReadAs()
