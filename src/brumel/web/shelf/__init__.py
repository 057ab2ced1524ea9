"""Shelf: standards and stock."""

from brumel.web.shelf.views import blueprint

__all__ = ["blueprint"]
