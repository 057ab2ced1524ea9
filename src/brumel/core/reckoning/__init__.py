"""Reckoning: what a calculation is, and how every one of them is worked."""
