"""Calibrating: the methods and tolerances as data, a run and its points, and the verdict."""
