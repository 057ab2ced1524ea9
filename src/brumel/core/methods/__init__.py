"""Calibration schools as data: ordered steps, standards, rinse, waits, limits, and why."""
