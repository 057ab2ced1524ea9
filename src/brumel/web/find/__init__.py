"""Find a probe or a lot from anywhere."""

from brumel.web.find.views import blueprint

__all__ = ["blueprint"]
