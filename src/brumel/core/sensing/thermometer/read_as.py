"""Temperature is read as it is sensed."""

from __future__ import annotations

from brumel.core.sensing.follows import as_sensed as read_as

__all__ = ["read_as"]
