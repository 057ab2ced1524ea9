"""Brumel: calibrate water-quality probes, correct field readings, say how far to trust them."""

__version__ = "0.1.0"
