"""How an installation begins."""
