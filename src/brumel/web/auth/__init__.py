"""Signing in and out, and the theme."""

from brumel.web.auth.views import blueprint

__all__ = ["blueprint"]
