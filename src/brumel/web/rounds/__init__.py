"""The rounds screens."""

from brumel.web.rounds.views import blueprint

__all__ = ["blueprint"]
