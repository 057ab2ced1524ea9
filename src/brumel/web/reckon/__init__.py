"""Reckon: calculations with their working and their curve."""

from brumel.web.reckon.views import blueprint

__all__ = ["blueprint"]
