"""The ledger screens."""

from brumel.web.ledger.views import blueprint

__all__ = ["blueprint"]
