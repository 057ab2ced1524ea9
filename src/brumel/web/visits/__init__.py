"""Visits: all that is read at one place."""

from brumel.web.visits.views import blueprint

__all__ = ["blueprint"]
