"""What the core refuses, each in one sentence: the rule, what was found, the remedy."""

from __future__ import annotations


class CoreError(ValueError):
    """Base of every refusal of the core; its text is fit for a technician to read."""


class OutOfRange(CoreError):
    """A value lies outside the range for which the published relation holds.

    ``field`` names the input, so that an interface can show the sentence in its place.
    """

    def __init__(self, field: str, message: str) -> None:
        super().__init__(message)
        self.field = field


class NotEnoughPoints(CoreError):
    """A fit was asked for with no point, or with points that all say the same."""
