"""The guided start: a first kit, shelf and list of sites."""

from brumel.web.start.views import blueprint

__all__ = ["blueprint"]
