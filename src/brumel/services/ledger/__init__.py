"""Ledger: what was recorded, found again and given out."""
