"""The JSON interface to the calculations."""

from brumel.web.api.views import blueprint

__all__ = ["blueprint"]
