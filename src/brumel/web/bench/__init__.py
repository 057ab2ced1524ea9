"""The bench screens."""

from brumel.web.bench.views import blueprint

__all__ = ["blueprint"]
