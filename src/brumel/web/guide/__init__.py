"""The guide, in the application."""

from brumel.web.guide.views import blueprint

__all__ = ["blueprint"]
