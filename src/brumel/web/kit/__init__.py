"""Kit: probes, their readiness, care and inspection."""

from brumel.web.kit.views import blueprint

__all__ = ["blueprint"]
