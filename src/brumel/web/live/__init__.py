"""The live screens."""

from brumel.web.live.views import blueprint

__all__ = ["blueprint"]
