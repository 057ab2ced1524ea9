"""Kit: probes, their readiness, care and inspection; meters and instruments."""

from brumel.web.kit import meters
from brumel.web.kit.views import blueprint

__all__ = ["blueprint", "meters"]
