"""Visits: all that is read at one place."""

from brumel.web.visits import at_once, settings
from brumel.web.visits.views import blueprint

__all__ = ["at_once", "blueprint", "settings"]
