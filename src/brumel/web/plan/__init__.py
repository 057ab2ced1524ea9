"""The plan backwards from departure."""

from brumel.web.plan.views import blueprint

__all__ = ["blueprint"]
