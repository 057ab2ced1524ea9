"""The today screens."""

from brumel.web.today.views import blueprint

__all__ = ["blueprint"]
